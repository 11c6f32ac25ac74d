"""Edits of the project: its takes, and how its sources are read."""

from __future__ import annotations

from dataclasses import replace

from msgspec.structs import replace as with_fields

from reflexa.desktop.session.selection import Place
from reflexa.desktop.session.session import Session
from reflexa.names import free_name
from reflexa.project.store import SourceFile
from reflexa.rig.sides import swap_in_text
from reflexa.steps import Step, new_id
from reflexa.steps.references import follow
from reflexa.take import Source, Take
from reflexa.take.clips import TAKE


def make(
    session: Session, sources: list[Source], step: Step | None = None, swap_names: bool = False, merge: str = ""
) -> list[str]:
    """One take for each clip, with one step where that is given, in one go; the first is opened. Named as the clip, or as
    its mirror image. The names made."""
    taken = {t.name for t in session.project.takes}
    made: list[Take] = []
    for source in sources:
        title = swap_in_text(source.clip) if swap_names else source.clip
        if step is not None and title == source.clip:
            title = f"{source.clip}, {step.name.lower()}"
        name = free_name(title, taken)
        taken.add(name)
        made.append(Take(name, source, (_fresh(step),) if step is not None else ()))
    if made:
        what = f"make take {made[0].name}" if len(made) == 1 else f"make {len(made)} takes"
        project = replace(session.project, takes=(*session.project.takes, *made))
        session.player.set_frame(0)
        session.edit(what, project, merge, Place(made[0].name))
    return [t.name for t in made]


def _fresh(step: Step) -> Step:
    return with_fields(step, id=new_id())


def delete(session: Session, name: str) -> None:
    """Take a take out of the project."""
    left = tuple(t for t in session.project.takes if t.name != name)
    session.edit(f"remove take {name}", replace(session.project, takes=left))


def rename(session: Session, old: str, new: str) -> None:
    """Give a take another name; steps of others that draw on it still do."""
    take, new = session.project.take(old), new.strip()
    if take is None or not new or new == old:
        return
    new = free_name(new, (t.name for t in session.project.takes if t.name != old))
    project = session.project.with_take(old, replace(take, name=new))
    takes = tuple(_following(t, old, new) for t in project.takes)
    place = session.selection.place
    place = replace(place, take=new) if place.take == old else place
    session.edit(f"rename take to {new}", replace(project, takes=takes), place=place)


def _following(take: Take, old: str, new: str) -> Take:
    steps = follow(take.steps, "clip", f"{TAKE}{old}", f"{TAKE}{new}")
    return take if steps == take.steps else replace(take, steps=steps)


def read_as(session: Session, label: str, entry: SourceFile) -> None:
    """Have a source read otherwise."""
    sources = tuple(entry if s.file == entry.file else s for s in session.project.sources)
    session.edit(label, replace(session.project, sources=sources))


def source_entry(session: Session, file: str) -> SourceFile | None:
    """What the project says of a source."""
    return next((s for s in session.project.sources if s.file == file), None)


def set_facing(session: Session, file: str, facing: str) -> None:
    """Tell which way the figure of a source faces in its file; an empty text takes the guess."""
    entry = source_entry(session, file)
    if entry is not None:
        read_as(session, f"set the facing of {file}", replace(entry, facing=facing))


def set_unit(session: Session, file: str, unit: float | None) -> None:
    """Tell the unit of a source (metres per unit); None takes the guess."""
    entry = source_entry(session, file)
    if entry is not None:
        read_as(session, f"set the unit of {file}", replace(entry, unit=unit))
