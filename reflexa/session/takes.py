"""Edits of the project: its takes, and how its sources are read."""

from __future__ import annotations

from dataclasses import replace

from msgspec.structs import replace as with_fields

from reflexa.names import Names, free_name
from reflexa.project.store import SourceFile
from reflexa.rig.sides import swap_in_text
from reflexa.session.selection import Place
from reflexa.session.session import Session
from reflexa.steps import Step, new_id
from reflexa.steps.references import follow
from reflexa.take import Export, Segment, Source, Take
from reflexa.take.clips import TAKE


def make(
    session: Session, sources: list[Source], step: Step | None = None, swap_names: bool = False, merge: str = ""
) -> list[str]:
    """One take for each clip, with one step where that is given, in one go; the first is opened. Named as the clip, or as
    its mirror image. The names made."""
    pairs = [(s, step) for s in sources]
    return make_each(session, pairs, swap_names, merge)


def make_each(
    session: Session, pairs: list[tuple[Source, Step | None]], swap_names: bool = False, merge: str = ""
) -> list[str]:
    """The same, with a step of its own for each clip, or none."""
    names, made = Names(taken=(t.name for t in session.project.takes), cased=False), list[Take]()
    for source, step in pairs:
        title = swap_in_text(source.clip) if swap_names else source.clip
        if step is not None and title == source.clip:
            title = f"{source.clip}, {step.name.lower()}"
        made.append(Take(names.give(title), source, (_fresh(step),) if step is not None else ()))
    if made:
        what = f"make take {made[0].name}" if len(made) == 1 else f"make {len(made)} takes"
        project = replace(session.project, takes=(*session.project.takes, *made))
        session.player.set_frame(0)
        session.edit(what, project, merge, Place(made[0].name))
    return [t.name for t in made]


def _fresh(step: Step) -> Step:
    return with_fields(step, id=new_id())


def duplicate(session: Session, name: str, steps: bool = True) -> str:
    """A copy of a take behind it, with its steps or as its source is; it is opened. Its name."""
    take = session.project.take(name)
    if take is None:
        return ""
    copy = replace(take, id="", name=free_name(take.name, (t.name for t in session.project.takes)))
    if not steps:
        copy = replace(copy, steps=(), ranges=(), export=Export())
    takes = list(session.project.takes)
    takes.insert(takes.index(take) + 1, copy)
    session.edit(f"duplicate take {name}", replace(session.project, takes=tuple(takes)), place=Place(copy.name))
    return copy.name


def join(session: Session, segments: list[Segment], name: str) -> str:
    """A take of clips in a row; it is opened. Its name."""
    own = free_name(name, (t.name for t in session.project.takes))
    take = Take(own, Source(segments[0].file, own, tuple(segments)))
    session.player.set_frame(0)
    session.edit(f"make take {own}", replace(session.project, takes=(*session.project.takes, take)), place=Place(own))
    return own


def there_and_back(source: Source) -> list[Segment]:
    """A clip forward, then backwards."""
    one = Segment(source.file, source.clip)
    return [one, replace(one, reversed=True)]


def all_four_ways(source: Source) -> list[Segment]:
    """A clip forward and back, then its mirror image forward and back."""
    pair = there_and_back(source)
    return [*pair, *(replace(s, mirrored=True, crossfade=6 if not s.reversed else 0) for s in pair)]


def set_segments(session: Session, segments: tuple[Segment, ...], label: str, merge: str = "") -> None:
    """Other segments for the open take's source. One that is its whole clip alone is that clip again."""
    take = session.take
    if take is None or not segments:
        return
    only = segments[0]
    plain = len(segments) == 1 and replace(only, crossfade=0) == Segment(only.file, only.clip)
    source = Source(only.file, only.clip) if plain else Source(only.file, take.source.clip, segments)
    session.edit_take(label, replace(take, source=source), merge)


def append(session: Session, sources: list[Source]) -> None:
    """More clips behind those that the open take begins with."""
    take = session.take
    if take is not None:
        given = take.source.segments or (Segment(take.source.file, take.source.clip),)
        names = ", ".join(s.clip for s in sources)
        own = take.source.clip if take.source.segments else f"{take.source.clip}, {names}"
        segments = (*given, *(Segment(s.file, s.clip, crossfade=6) for s in sources))
        session.edit_take(f"join {names}", replace(take, source=Source(given[0].file, own, segments)))


def set_note(session: Session, text: str) -> None:
    """Say something of the open take."""
    take = session.take
    if take is not None and text != take.note:
        session.edit_take(f"note on {take.name}", replace(take, note=text))


def delete(session: Session, *names: str) -> None:
    """Take takes out of the project."""
    left = tuple(t for t in session.project.takes if t.name not in names)
    what = f"remove take {names[0]}" if len(names) == 1 else f"remove {len(names)} takes"
    session.edit(what, replace(session.project, takes=left))


def in_folders(given: tuple[Take, ...]) -> list[Take]:
    """Takes as they are listed: without a folder, then folder by folder in the order of the first of each."""
    first = {f: i for i, f in reversed(list(enumerate(t.folder for t in given)))}
    return sorted(given, key=lambda t: first[t.folder] if t.folder else -1)


def move(session: Session, names: list[str], before: str, folder: str) -> None:
    """Put takes before another (an empty name: last), into a folder (an empty name: none)."""
    takes = in_folders(session.project.takes)
    moved = [replace(t, folder=folder) for t in takes if t.name in names]
    left = [t for t in takes if t.name not in names]
    at = next((i for i, t in enumerate(left) if t.name == before), len(left))
    what = f"move take {names[0]}" if len(names) == 1 else f"move {len(names)} takes"
    session.edit(what, replace(session.project, takes=(*left[:at], *moved, *left[at:])))


def put_into(session: Session, names: list[str], folder: str) -> None:
    """Put takes into a folder, where they are among the others."""
    takes = tuple(replace(t, folder=folder) if t.name in names else t for t in session.project.takes)
    who = names[0] if len(names) == 1 else f"{len(names)} takes"
    where = f"into {folder}" if folder else "out of its folder"
    session.edit(f"put {who} {where}", replace(session.project, takes=takes))


def rename_folder(session: Session, old: str, new: str) -> None:
    """Call a folder otherwise; an empty name takes it away, and its takes stay."""
    takes = tuple(replace(t, folder=new) if t.folder == old else t for t in session.project.takes)
    what = f"rename folder to {new}" if new else f"remove folder {old}"
    session.edit(what, replace(session.project, takes=takes))


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
