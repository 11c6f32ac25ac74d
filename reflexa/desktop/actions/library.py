"""What is done with library folders: added, searched, put in order, and their clips taken into the project."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from pathlib import Path

from PySide6.QtCore import QPoint
from PySide6.QtGui import QGuiApplication
from PySide6.QtWidgets import QFileDialog, QInputDialog, QMenu

from reflexa.batch.tidy import Tidied, tidied
from reflexa.desktop.actions.desk import Command, Desk
from reflexa.desktop.actions.relink import relink
from reflexa.desktop.actions.view import panel as panel_of
from reflexa.desktop.library.using import make_fitting, newer, sources_in
from reflexa.desktop.widgets import menus
from reflexa.formats.files import digest
from reflexa.library import notes
from reflexa.library.finder import Row
from reflexa.library.folder_list import with_folder, without_folder
from reflexa.library.query import Query
from reflexa.session.importing import MERGE, Imports, import_job
from reflexa.session.work import Job
from reflexa.take import Source
from reflexa.words import counted

Picks = list[tuple[Path, str]]


# Which library folders there are ----------------------------------------------------------------------------------------


def add_library_folder(d: Desk) -> None:
    """Ask for a folder and show it as a library folder."""
    chosen = QFileDialog.getExistingDirectory(d.window, "A folder of clips")
    if chosen:
        put_library_folder(d, Path(chosen))


def put_library_folder(d: Desk, folder: Path) -> None:
    """Show a folder as a library folder."""
    show_library(d)
    d.library.work.set_folders(f"add the library folder {folder.name}", lambda s: with_folder(s, folder))


def show_library(d: Desk) -> None:
    """Go to the library, with the keyboard in the search."""
    d.tabs.setCurrentWidget(d.library)
    d.library.search.setFocus()


def scan(d: Desk) -> None:
    """Look through the library again."""
    d.library.begin()
    d.library.work.scan()


def _remove(d: Desk, name: str) -> None:
    if d.library.work.set_folders(f"remove the library folder {name}", lambda s: without_folder(s, name)):
        d.say(f"{name} is no longer a library folder. Its files, tags and sets stay where they are.")


def _undo_title(d: Desk) -> str:
    label = d.library.work.past.undo_label
    return f"Undo in the library: {label}" if label else "Undo in the library"


def _redo_title(d: Desk) -> str:
    label = d.library.work.past.redo_label
    return f"Redo in the library: {label}" if label else "Redo in the library"


# Into the project -----------------------------------------------------------------------------------------------


def _chosen(d: Desk) -> Picks:
    return [(r.path, r.clip) for r in d.library.chosen()]


def bring_in(d: Desk, picks: Picks, then: Callable[[list[Source]], object]) -> None:
    """Take clips into the project, each file once, and then do something with them. What could not be read is said."""
    paths, known = list(dict.fromkeys(p for p, _ in picks)), d.library.work.folders
    origins = {}
    for path in paths:
        library_folder = known.of(path)
        if library_folder is not None:
            origins[path] = (library_folder.name, library_folder.key(path, "").removesuffix("#"))

    def land(found: Imports) -> None:
        if found.errors:
            d.show_error("\n".join(found.errors))
        sources = sources_in(found, picks)
        if sources:
            then(sources)
        d.session.history.end_merge()

    job = import_job(d.session, paths, land, origins)
    d.show_progress(f"Importing {len(paths)} files…" if len(paths) > 1 else f"Importing {paths[0].name}…", job)
    d.session.work.start(job)


def make_takes(d: Desk, retarget: bool = False) -> None:
    """Takes of the chosen clips: renamed on the way where that is all they need to fit the open rig."""
    picks = _chosen(d)
    if picks:
        bring_in(d, picks, partial(takes_of, d, retarget=retarget))


def takes_of(d: Desk, sources: list[Source], retarget: bool = False) -> None:
    """Takes of clips that came in, and a word about what each needed."""
    made = make_fitting(d.session, sources, MERGE, retarget)
    said = [f"{counted(len(made.names), 'take')} made"]
    if made.renamed:
        said.append(f"{made.renamed} renamed to the joints of the open rig: the step Rename joints shows how")
    if made.other_rigs:
        names = ", ".join(made.other_rigs[:3]) + ("…" if len(made.other_rigs) > 3 else "")
        said.append(f"{names} has a different rig: add the step Retarget to transfer it to the open rig")
    d.fill(False)  # what was made is to be seen
    d.say("; ".join(said) + ".", 10000)


def import_only(d: Desk) -> None:
    """Take the chosen clips into the project, and nothing else."""
    picks = _chosen(d)
    if picks:
        bring_in(d, picks, lambda sources: d.say(f"{counted(len(sources), 'clip')} imported."))


# Newer in the library ---------------------------------------------------------------------------------------------


def look_for_newer(d: Desk) -> None:
    """Say which sources of the project are another on their library folder by now, and offer those."""
    session, folders = d.session, d.library.work.folders
    places = {}
    for s in session.project.sources:
        library_folder = folders.named(s.library_folder) if s.library_folder else None
        if (
            library_folder is not None
            and library_folder.holds(path := library_folder.folder / s.library_path)
            and path.is_file()
        ):
            places[s.file] = path

    def call(job: Job[dict[str, str]]) -> dict[str, str]:
        out = {}
        for i, (file, path) in enumerate(places.items()):
            job.tell(f"Comparing {file}", i / len(places))
            out[file] = digest(path)
        return out

    def done(found: dict[str, str]) -> None:
        others = newer(session, found)
        d.library.newer = {s.file: places[s.file] for s in others}
        if others:
            names = ", ".join(s.file for s in others[:3]) + ("…" if len(others) > 3 else "")
            d.say(f"Newer in the library: {names}. Choose Project, Update sources from the library.", 15000)

    if places:
        session.work.start(Job(call, done))


def take_newer(d: Desk) -> None:
    """Have what is newer in the library stand for what was taken from there."""
    before = {s.file: s.digest for s in d.session.project.sources}
    for file, path in list(d.library.newer.items()):
        relink(d, file, path)
    # What was not wanted is still offered.
    d.library.newer = {f: p for f, p in d.library.newer.items() if _digest(d, f) == before.get(f)}


def _digest(d: Desk, file: str) -> str | None:
    return next((s.digest for s in d.session.project.sources if s.file == file), None)


def _nothing_newer(d: Desk) -> str:
    return "" if d.library.newer else "no source has a newer version in the library"


# Order ----------------------------------------------------------------------------------------------------------


def _none_chosen(d: Desk) -> str:
    return "" if d.library.count else "select clips in the Library view first"


def _not_one_chosen(d: Desk) -> str:
    return "" if d.library.count == 1 else "select one clip in the Library view first"


def like_this(d: Desk) -> None:
    """Clips whose motion is near that of the chosen one."""
    d.library.like(d.library.chosen()[0])


def tag(d: Desk) -> None:
    """Ask for tags of the chosen clips; all of them are shown and can be changed."""
    rows = d.library.chosen()
    now = sorted({t for r in rows for t in r.said.tags}, key=str.lower)
    text, good = QInputDialog.getText(d.window, "Tags", "Tags, separated by commas", text=", ".join(now))
    if good:
        wanted = [t.strip() for t in text.split(",") if t.strip()]
        gone = [t for t in now if t.lower() not in {w.lower() for w in wanted}]
        d.library.say("the tags of {}", lambda n, keys: notes.tagged(n, keys, wanted, gone))


def _star(count: int, d: Desk) -> None:
    d.library.say("the stars of {}", lambda n, keys: notes.starred(n, keys, count))


def into_set(d: Desk, name: str = "") -> None:
    """Put the chosen clips into a set; asks for its name."""
    if not name:
        name, good = QInputDialog.getText(d.window, "Set", "Name of the set")
        name = name.strip() if good else ""
    if name:
        d.library.say(f"put {{}} into {_plain(name)}", lambda n, keys: notes.in_set(n, keys, name))


def _out_of_set(d: Desk, name: str) -> None:
    d.library.say(f"remove {{}} from {_plain(name)}", lambda n, keys: notes.out_of_set(n, keys, name))


def _plain(name: str) -> str:
    """A name inside a pattern."""
    return name.replace("{", "{{").replace("}", "}}")


def choose_set(d: Desk, name: str) -> None:
    """Show a set and choose all of it, so that it goes in as one."""
    d.library.show_query(Query(set=name))
    d.library.choose_what_comes()


def keep_search(d: Desk) -> None:
    """Keep what is asked for under a name."""
    name, good = QInputDialog.getText(d.window, "Save the search", "Name")
    if good and name.strip():
        d.library.work.keep_search(name.strip(), d.library.query)


# Clean copies ---------------------------------------------------------------------------------------------------


def normalise(d: Desk) -> None:
    """Clean copies of the chosen files, with manifests, in another folder."""
    chosen = QFileDialog.getExistingDirectory(d.window, "A folder for clean copies")
    if chosen:
        normalise_into(d, Path(chosen))


def normalise_into(d: Desk, folder: Path) -> None:
    """Write clean copies of the chosen files: metres, +Y up, facing +Z, transforms applied."""
    paths = list(dict.fromkeys(r.path for r in d.library.chosen()))

    def call(job: Job[Tidied]) -> Tidied:
        return tidied(paths, folder, job.tell)

    found = d.wait(f"Writing {len(paths)} clean copies…", call)
    if found is not None:
        said = [f"{len(found.written)} clean copies in {folder}."]
        (d.inform if not found.errors else d.show_error)("\n".join([*said, *found.errors]))


# The menu of a clip ---------------------------------------------------------------------------------------------


def show_menu(d: Desk, at: QPoint) -> None:
    """What can be done with the chosen clips."""
    rows = d.library.chosen()
    menu = QMenu(d.window)
    menu.setToolTipsVisible(True)
    (_fill if rows else _fill_empty)(d, menu, rows)
    menus.show(menu, at)


def _fill_empty(d: Desk, menu: QMenu, _: list[Row]) -> None:
    menu.addAction("Add library folder…", partial(add_library_folder, d))
    menu.addAction("Scan again", partial(scan, d))
    _searches(d, menu)
    for library_folder in d.library.work.folders.folders:
        menu.addAction(
            f"Remove the library folder {library_folder.name}", partial(_remove, d, library_folder.name)
        ).setToolTip(str(library_folder.folder))


def _searches(d: Desk, menu: QMenu) -> None:
    menu.addAction("Save this search…", partial(keep_search, d))
    for name, query in d.library.work.folders.searches.items():
        below = menu.addMenu(name)
        below.addAction("Show", partial(d.library.show_query, query))
        below.addAction("Remove", partial(d.library.work.keep_search, name, None))


def _fill(d: Desk, menu: QMenu, rows: list[Row]) -> None:
    several = len(rows) > 1
    menu.addAction(f"Make {counted(len(rows), 'take')}" if several else "Make take", partial(make_takes, d))
    if d.session.take is not None:
        onto = d.session.take.source.file
        menu.addAction(f"Make takes, retargeted to {onto} if needed", partial(make_takes, d, True))
    menu.addAction("Import, without takes", partial(import_only, d))
    menu.addSeparator()
    if not several:
        menu.addAction("Find similar clips", partial(like_this, d))
        menu.addAction("Show in large", d.library.show_big)
    menu.addAction("Tags…", partial(tag, d))
    stars = menu.addMenu("Stars")
    for count in range(notes.MOST_STARS + 1):
        stars.addAction("★" * count or "None", partial(_star, count, d))
    sets = menu.addMenu("Sets")
    for name in sorted({s for n in d.library.work.notes.values() for s in n.sets}):
        sets.addAction(f"Put into {name}", partial(into_set, d, name))
    sets.addAction("Put into a new set…", partial(into_set, d))
    for name in sorted({s for r in rows for s in r.sets}):
        sets.addSeparator()
        sets.addAction(f"Select all of {name}", partial(choose_set, d, name))
        sets.addAction(f"Remove from {name}", partial(_out_of_set, d, name))
    menu.addSeparator()
    menu.addAction("Write clean copies to…", partial(normalise, d)).setToolTip(
        "Write clean copies to another folder: transforms applied, in metres, facing +Z, with manifests"
    )
    menu.addAction("Copy the path", partial(QGuiApplication.clipboard().setText, "\n".join(str(r.path) for r in rows)))
    menu.addSeparator()
    _fill_empty(d, menu, rows)


def connect(d: Desk) -> None:
    """Have the panel's wishes done."""
    panel = d.library
    panel.add_wanted.connect(partial(add_library_folder, d))
    panel.fill_wanted.connect(lambda: d.fill(None, panel_of(d, "left")))
    panel.take_wanted.connect(lambda: make_takes(d))
    panel.menu_wanted.connect(partial(show_menu, d))
    panel.compare_wanted.connect(partial(look_for_newer, d))


COMMANDS = (
    Command("library", "Clip library", "Project/35/Library", show_library, "Ctrl+L"),
    Command("add_library_folder", "Add a library folder…", "Project/35/Library", add_library_folder),
    Command("scan_library", "Scan the library again", "Project/35/Library", scan),
    Command(
        "like_this", "Find clips similar to the selected one", "Project/35/Library", like_this, "", _not_one_chosen
    ),
    Command("keep_search", "Save the library search…", "Project/35/Library", keep_search),
    Command(
        "normalise", "Write clean copies of the selected clips to…", "Project/35/Library", normalise, "", _none_chosen
    ),
    Command("take_newer", "Update sources from the library", "Project/35/Library", take_newer, "", _nothing_newer),
    Command(
        "undo_library",
        "Undo in the library",
        "Edit/1",
        lambda d: d.library.work.past.undo(),
        "Ctrl+Alt+Z",
        lambda d: "" if d.library.work.past.undo_label else "nothing was changed in the library",
        named=_undo_title,
    ),
    Command(
        "redo_library",
        "Redo in the library",
        "Edit/1",
        lambda d: d.library.work.past.redo(),
        "Ctrl+Alt+Y",
        lambda d: "" if d.library.work.past.redo_label else "nothing was undone in the library",
        named=_redo_title,
    ),
    Command("fill_window", "Maximise the active panel", "View/25/Panels", lambda d: d.fill(None), "F9"),
)
