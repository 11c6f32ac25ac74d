"""The project is written where it lies, beside the work: the window goes on meanwhile."""

from __future__ import annotations

from functools import partial

from reflexa.desktop.actions.desk import Desk
from reflexa.project.store import Project
from reflexa.session.sources import Sources
from reflexa.session.work import Job

# So many files are named where others have changed them.
_NAMED = 5


def write(d: Desk) -> bool:
    """Save the project as it is now; what is edited meanwhile is not in it, and stays unsaved. True where it was saved. Asks
    where that would write over what somebody else has saved; says what went wrong."""
    session, sources = d.session, d.session.sources
    if sources.read_only:
        d.show_error("The project is open read-only, because someone else has it open. Save a copy instead.")
        return False
    if sources.saving:
        d.say("The project is being saved.")
        return False
    project = session.project
    sources.saving = True
    try:
        saved = _written(d, project, sources)
    finally:
        sources.saving = False
    if saved and session.sources is sources:
        session.history.saved(project)
        d.say(f"Saved to {sources.folder}", 4000)
    return saved


def _written(d: Desk, project: Project, sources: Sources) -> bool:
    what, over = f"Saving {project.name}…", not sources.placed or not sources.state
    written: list[dict[str, str]] = []  # also where it was stopped too late

    def call(over: bool, job: Job[tuple[str, ...]]) -> tuple[str, ...]:
        others = () if over else sources.others()
        if not others:
            written.append(sources.write(project, job.tell))
        return others

    others = d.wait(what, partial(call, over), "saving")
    if others:
        named = ", ".join(others[:_NAMED]) + ("…" if len(others) > _NAMED else "")
        said = f"Someone else has saved the project in the meantime ({named}). Saving overwrites their version."
        if d.ask("Changed on disk", said, "Overwrite", "Do not save") != 0:
            return False
        d.wait(what, partial(call, True), "saving")
    if written:
        sources.state = written[0]
    return bool(written)
