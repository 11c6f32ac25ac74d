"""Sources of the project that are gone, or not wanted: another file in the place of one, and one taken out."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

from PySide6.QtWidgets import QFileDialog

from reflexa.desktop.actions.desk import Desk
from reflexa.formats import Imported, read, suffixes
from reflexa.project.relink import differences, known_by, relinked, taken_in, without
from reflexa.project.sources import options_of
from reflexa.project.store import SourceFile
from reflexa.project.uses import users
from reflexa.session.work import Job


def find_file(d: Desk, file: str) -> None:
    """Ask for the file that is to stand for a source."""
    patterns = " ".join(f"*{s}" for s in suffixes())
    chosen, _ = QFileDialog.getOpenFileName(
        d.window, f"The file for {file}", "", f"Motion files ({patterns});;All files (*)"
    )
    if chosen:
        relink(d, file, Path(chosen))


def relink(d: Desk, file: str, path: Path) -> None:
    """Have a file stand for a source: it is copied in, and every take and step follows, in one edit. Where it is not the file
    that was known, what differs is asked about first."""
    session, sources = d.session, d.session.sources
    old = next((s for s in session.project.sources if s.file == file), None)
    if old is None:
        return
    known = old

    def look(_job: Job[tuple[SourceFile, Imported]]) -> tuple[SourceFile, Imported]:
        document = read(path, options_of(known))
        return known_by(replace(known, file=path.name), document), document

    seen = d.wait(f"Reading {path.name}…", look)
    if seen is None:
        return
    new, document = seen
    others = differences(session.project, old, new, document, sources.documents.get(file))
    said = f"{path.name} is not the same file as {file}.\n\n" + "\n".join(others)
    if others and d.ask("Replace the file of a source", said, "Use it anyway", "Cancel") != 0:
        return
    copied = d.wait(f"Copying {path.name}…", lambda _job: taken_in(sources.folder, known, path))
    if copied is None or session.sources is not sources:
        return
    entry, document = copied
    name, project = entry.file, relinked(session.project, file, *copied)
    sources.add_read(entry, document)
    session.history.end_merge()
    if project == session.project:  # the very same file is back at its place
        session.read_again()
    else:
        session.edit(f"find {file} again" if name == file else f"take {name} for {file}", project)
    same = "the same file, byte for byte" if old.digest and old.digest == new.digest else "the takes use it now"
    d.say(f"{name} replaces {file}: {same}", 6000)


def remove(d: Desk, file: str) -> None:
    """Take a source out of the project with the takes that begin with it, after asking where there are such. The file stays on
    disk, so that it can be undone."""
    session = d.session
    begin, draw = users(session.project, file)
    if begin or draw:
        text = f"{file} is used.\n"
        if begin:
            text += f"\nThese takes use it as their source and are removed too: {_named([t.name for t in begin])}."
        if draw:
            text += (
                f"\nSteps of these takes use it and will report that it is missing: {_named([t.name for t in draw])}."
            )
        if d.ask("Remove a source", text + "\n\nYou can undo this.", "Remove it", "Cancel") != 0:
            return
    session.edit(f"remove {file}", without(session.project, file))
    d.say(f"{file} was removed from the project. The file stays in {session.folder / 'sources'}", 6000)


def _named(names: list[str]) -> str:
    more = f" and {len(names) - 8} more" if len(names) > 8 else ""
    return ", ".join(names[:8]) + more
