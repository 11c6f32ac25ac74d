"""Rows of the library's lists: takes by folder, and clips by file, as far as they fit the search."""

from __future__ import annotations

from collections.abc import Set

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QListWidget, QListWidgetItem

from reflexa.desktop.clips.delegate import ICONS, LINES, SHOWN, THING
from reflexa.desktop.clips.previews import Thing
from reflexa.desktop.kinds import view_of
from reflexa.session import Session, takes
from reflexa.take import Source, Take
from reflexa.words import counted


def list_takes(where: QListWidget, session: Session, words: list[str], folded: Set[str]) -> None:
    """List the takes, each folder under its heading; those of folded ones are left out but while one searches."""
    chosen = {i.data(THING).take for i in where.selectedItems()}
    last = ""
    where.clear()
    # Headings of folders are lower; else thousands of rows need not be measured one by one.
    where.setUniformItemSizes(not any(t.folder for t in session.project.takes))
    for take in takes.in_folders(session.project.takes):
        if not fits(words, take.name, take.source.clip, take.source.file, take.folder, _steps(take)):
            continue
        if take.folder != last:
            last = take.folder
            item = _add(where, f"{'▸' if last in folded else '▾'}  {last}", Thing(folder=last), ())
            item.setFlags(Qt.ItemFlag.ItemIsEnabled)
            item.setToolTip("Click to collapse or expand; right-click for more")
        if words or take.folder not in folded:
            item = _add(where, take.name, Thing(take=take.name, folder=take.folder), ())
            show_take(item, take)
            item.setSelected(take.name in chosen)
    for lost in session.project.lost:
        if fits(words, lost.file):
            item = _add(where, lost.file, Thing(), ("damaged or newer", "unchanged on disk"))
            item.setToolTip(f"{lost.reason}\nThe file stays unchanged, on disk and in the project.")


def list_clips(where: QListWidget, session: Session, words: list[str]) -> None:
    """List the clips of every source, and the sources that are being read, missing or damaged."""
    chosen = {item.data(THING) for item in where.selectedItems()}
    where.clear()
    for entry in session.project.sources:
        document = session.sources.documents.get(entry.file)
        if entry.file in session.sources.waiting:
            if fits(words, entry.file):
                _add(where, entry.file, Thing(), ("being read…",))
        elif document is None and fits(words, entry.file):
            said = session.sources.missing.get(entry.file, "")
            item = _add(where, entry.file, Thing(missing=entry.file), ("missing or damaged",))
            item.setToolTip(f"{said}\nDouble-click to find the file again.")
        for clip in document.or_rest.heads if document is not None else ():
            if fits(words, clip.name, entry.file):
                size = f"{counted(clip.frames, 'frame')}, {clip.duration:.2f} s"
                thing = Thing(source=Source(entry.file, clip.name))
                _add(where, clip.name, thing, (size, entry.file)).setSelected(thing in chosen)


def _add(where: QListWidget, title: str, thing: Thing, lines: tuple[str, ...]) -> QListWidgetItem:
    item = QListWidgetItem(title)
    item.setData(THING, thing)
    item.setData(LINES, lines)
    item.setToolTip("\n".join((title, *lines)))
    where.addItem(item)
    return item


def _steps(take: Take) -> str:
    return ", ".join(s.name for s in take.steps) or "no steps"


def show_take(item: QListWidgetItem, take: Take) -> None:
    """What a take is of, and its steps as icons; in words in its tip. Nothing where that is shown already."""
    if item.data(SHOWN) is take:
        return
    item.setData(SHOWN, take)
    item.setData(LINES, (take.source.clip,))
    item.setData(ICONS, tuple(view_of(s.kind).icon or s.kind for s in take.steps))
    item.setToolTip(
        f"{take.name}\nof {take.source.clip} in {take.source.file}\n{_steps(take)}"
        + (f"\n{take.note}" if take.note else "")
    )


def fits(words: list[str], *texts: str) -> bool:
    """True if every search word occurs in one of the texts."""
    whole = " ".join(texts).lower()
    return all(w in whole for w in words)
