"""Going into a project: its lock, what was not saved the last time, and what others change while it is open."""

from __future__ import annotations

import shutil
import time
from pathlib import Path

from reflexa.desktop.actions.desk import Desk
from reflexa.desktop.recent import remember
from reflexa.errors import ReflexaError
from reflexa.project import recovery, store
from reflexa.project.store import Project
from reflexa.review.changes import project_changes
from reflexa.session.sources import Sources, opened
from reflexa.session.work import Job

# A project and its texts on disk with digests, or why it cannot be read.
_Read = tuple[Project, dict[str, str]] | ReflexaError

# As many sentences about a difference are shown.
_MOST = 12


def start_empty(d: Desk) -> None:
    """A new project in a folder of its own until it is saved somewhere: one that no system clears away."""
    before = d.session.sources
    d.keeper.let_go(leaving=True)
    folder = recovery.new_draft()
    d.session.adopt(Project("Untitled"), Sources(folder, placed=False))
    d.keeper.hold(folder)
    clear_draft(before)


def clear_draft(sources: Sources) -> None:
    """A draft that was open and is no longer wanted."""
    if not sources.placed and sources.folder.parent == recovery.drafts():
        shutil.rmtree(sources.folder, ignore_errors=True)


def open_folder(d: Desk, folder: Path) -> None:
    """Open a project folder; what of it is missing or damaged is said. Where it is none, or is not wanted
    then, nothing changes."""
    found = d.wait(f"Opening {folder.name}…", lambda job: opened(folder, tell=job.tell))
    if found is not None:
        enter(d, *found)


def enter(d: Desk, project: Project, sources: Sources) -> None:
    """Go into a project that was read: alone, or to look at it; with what was not saved the last time, where that is wanted."""
    before, by = d.session.sources, d.keeper.hold(sources.folder)
    if by is not None:
        answers = ("Open read-only", "Take over", "Cancel") if by.host else ("Open read-only", "Cancel")
        said = f"{project.name} is open already: {by.text}." if by.host else f"{project.name} cannot be written to."
        answer = answers[d.ask("Open project", f"{said} You can always open it read-only and save a copy.", *answers)]
        if answer == "Cancel":
            d.keeper.hold(before.folder)
            return
        if answer == "Take over":
            d.keeper.hold(sources.folder, by_force=True)
        sources.read_only = answer == "Open read-only"
    if before.folder != sources.folder:
        recovery.forget(before.folder)
        clear_draft(before)
    d.session.adopt(project, sources)
    remember(sources.folder)
    _offer_recovered(d)
    said_missing = [*sources.missing.values(), *(x.reason for x in project.lost)]
    if said_missing:
        found = "\n\nThe page of a take's source looks for its file where it may be now." if sources.missing else ""
        d.show_error(
            "Some parts are missing or damaged. They stay unchanged, and the rest is open:\n"
            + "\n".join(said_missing)
            + found
        )


def all_read(d: Desk) -> bool:
    """Wait until every source is read that can be; False where a person stopped it."""
    sources, count = d.session.sources, len(d.session.sources.waiting)

    def until(job: Job[bool]) -> bool:
        while left := len(sources.waiting):
            job.tell(f"Reading sources: {left} left", 1 - left / count)
            time.sleep(0.05)
        return True

    return not count or d.wait("Reading sources…", until) is True


def _offer_recovered(d: Desk) -> None:
    session = d.session
    left = recovery.found(session.folder)
    if left is None or session.sources.read_only:
        return
    changes = project_changes(session.project, left.project)
    if not changes:
        left.path.unlink(missing_ok=True)
        return
    more = [f"… and {len(changes) - _MOST} more"] if len(changes) > _MOST else []
    text = "Your last changes were not saved. Differences from the saved project:\n\n"
    if (
        d.ask(
            "Unsaved changes found",
            text + "\n".join([*changes[:_MOST], *more]),
            "Restore them",
            "Open the saved project",
        )
        == 0
    ):
        session.edit("restore unsaved changes", left.project)
        left.path.unlink(missing_ok=True)
        d.keeper.keep_now()
    else:
        recovery.decline(left)


def offer_draft(d: Desk) -> bool:
    """Offer the newest project that had no place yet and was not saved; True where it was opened."""
    lost = recovery.lost_drafts()
    left = recovery.found(lost[0]) if lost else None
    if left is None:
        return False
    takes = ", ".join(t.name for t in left.project.takes[:6]) or "no takes yet"
    text = f"A project was never saved: {left.project.name} ({takes})."
    if d.ask("Unsaved changes found", text, "Restore them", "Leave it") != 0:
        recovery.decline(left)
        return False
    folder = lost[0]
    sources, before = Sources(folder, placed=False), d.session.sources
    d.keeper.let_go(leaving=True)
    d.session.adopt(Project("Untitled"), sources)
    d.keeper.hold(folder)
    clear_draft(before)
    d.session.edit("restore unsaved changes", left.project)
    left.path.unlink(missing_ok=True)
    d.keeper.keep_now()
    return True


def on_changed(d: Desk, names: list[str]) -> None:
    """Somebody else has changed the project on disk: say what, and offer to read it anew."""
    session, folder = d.session, d.session.folder

    def read(_: Job[_Read]) -> _Read:
        try:
            return store.load(folder), store.state(folder)
        except ReflexaError as e:
            return e

    found = d.wait(f"Reading {folder.name}…", read)
    if isinstance(found, ReflexaError):
        d.say(f"The project was changed on disk and cannot be read now: {found}")
    if found is None or isinstance(found, ReflexaError) or session.folder != folder:
        return
    project, state = found
    changes = project_changes(session.project, project) or [f"{n} was written again" for n in names]
    more = [f"… and {len(changes) - _MOST} more"] if len(changes) > _MOST else []
    text = "Someone else changed the project on disk. Differences from what is open:\n\n"
    unsaved = "\n\nReloading replaces your unsaved changes. Undo brings them back." if session.history.unsaved else ""
    if (
        d.ask(
            "Changed on disk",
            text + "\n".join([*changes[:_MOST], *more]) + unsaved,
            "Reload",
            "Keep my version",
        )
        == 0
    ):
        session.edit("reload the project", project)
        session.sources.state = state
