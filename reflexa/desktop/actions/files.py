"""Projects opened, saved and left; files imported and exported. What the Project menu does."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

from PySide6.QtCore import QSettings
from PySide6.QtWidgets import QFileDialog

from reflexa.desktop.actions.desk import Desk
from reflexa.desktop.actions.opening import all_read, clear_draft, open_folder, start_empty
from reflexa.desktop.actions.saving import write
from reflexa.desktop.dialogs.build import BuildDialog
from reflexa.desktop.dialogs.export import ExportDialog
from reflexa.desktop.dialogs.export_takes import ExportTakesDialog
from reflexa.desktop.dialogs.folder_row import FolderRow
from reflexa.desktop.dialogs.import_report import ImportReport
from reflexa.desktop.recent import remember
from reflexa.formats import suffixes
from reflexa.project import store
from reflexa.project.sources import copy_to
from reflexa.session import takes
from reflexa.session.importing import MERGE, Imports, import_job
from reflexa.session.work import Job
from reflexa.take import Source

# Projects -------------------------------------------------------------------------------------------------------


def may_leave(d: Desk) -> bool:
    """Ask about unsaved changes and work under way; True where the project may be closed."""
    session = d.session
    unsaved, under_way = session.history.unsaved, session.work.titles
    if session.sources.saving:
        d.say("The project is being saved.")
        return False
    if not unsaved and not under_way:
        return True
    stay = "" if not under_way else f"{', '.join(under_way)} is still running and would be stopped."
    if not unsaved:
        return d.ask("Work in progress", stay, "Leave", "Stay") == 0
    said = f"Save the changes to {session.project.name}?" + (f"\n\n{stay}" if stay else "")
    answer = d.ask("Unsaved changes", said, "Save", "Leave without saving", "Stay")
    return save(d) if answer == 0 else answer == 1


def new_project(d: Desk) -> None:
    """Begin anew, once the project that is open may be left."""
    if may_leave(d):
        start_empty(d)


def open_project(d: Desk) -> None:
    """Ask for a project folder and open it."""
    if may_leave(d):
        chosen = QFileDialog.getExistingDirectory(d.window, "Open a project folder")
        if chosen:
            open_folder(d, Path(chosen))


def save(d: Desk) -> bool:
    """Save the project where it lies; a new one asks where that is. True where it was saved."""
    return write(d) if d.session.sources.placed else save_as(d)


def save_as(d: Desk) -> bool:
    """Ask for a folder, and save the project there."""
    start = str(Path.home() / d.session.project.name)
    chosen, _ = QFileDialog.getSaveFileName(d.window, "Save the project as a folder", start)
    return bool(chosen) and save_to(d, Path(chosen))


def save_to(d: Desk, folder: Path) -> bool:
    """Save a copy of the project, sources and all, into a folder, and go on there. A folder in which something else lies is
    left alone."""
    session = d.session
    if folder.resolve() != session.folder.resolve():
        project, here = session.project, session.folder

        def copy(job: Job[bool]) -> bool:
            copy_to(project, here, folder, job.tell)
            return True

        if not d.wait(f"Saving to {folder}…", copy):
            return False
    before = replace(session.sources)
    session.sources.folder, session.sources.placed, session.sources.read_only = folder, True, False
    session.sources.state = store.state(folder)  # which is our own
    d.keeper.hold(folder)
    remember(folder)
    clear_draft(before)
    if session.project.name == "Untitled":
        session.edit("name the project", replace(session.project, name=folder.name))
    return write(d)


# Import ---------------------------------------------------------------------------------------------------------


def import_dialog(d: Desk) -> None:
    """Ask for files to be imported."""
    patterns = " ".join(f"*{s}" for s in suffixes())
    last = str(QSettings().value("import_folder", ""))
    chosen, _ = QFileDialog.getOpenFileNames(
        d.window, "Import clips", last, f"Motion files ({patterns});;All files (*)"
    )
    if chosen:
        QSettings().setValue("import_folder", str(Path(chosen[0]).parent))
        import_paths(d, [Path(c) for c in chosen])


def import_paths(d: Desk, paths: list[Path]) -> None:
    """Import files with progress that can be stopped, then say what was found."""
    job = import_job(d.session, paths, lambda found: _imported(d, found))
    d.show_progress(f"Reading {len(paths)} files…" if len(paths) > 1 else f"Reading {paths[0].name}…", job)
    d.session.work.start(job)


def _imported(d: Desk, found: Imports) -> None:
    report = ImportReport(found.said, found.errors, d.window)

    def finish() -> None:
        if report.make_take.isChecked():
            sources = [
                Source(file_name, clip) for file_name, file in found.documents.items() for clip in file.or_rest.names
            ]
            takes.make(d.session, sources, merge=MERGE)
        d.session.history.end_merge()

    report.accepted.connect(finish)
    d.show(report)


# Export ---------------------------------------------------------------------------------------------------------


def _remembering(d: Desk, dialog: ExportDialog | ExportTakesDialog) -> None:
    place: FolderRow = dialog.place
    dialog.finished.connect(lambda _r: QSettings().setValue("export_folder", place.field.text()))
    d.show(dialog)


def _export_folder() -> Path:
    return Path(str(QSettings().value("export_folder", "") or Path.home()))


def export_dialog(d: Desk) -> None:
    """The result of the open take into a new file."""
    take, clip = d.session.take, d.session.computed.result
    if take is not None and clip is not None:
        _remembering(d, ExportDialog(d.session, take, clip, _export_folder(), d.window))


def build_dialog(d: Desk) -> None:
    """What of the project is out of date, and exporting that anew. It goes by what is saved: what is not is saved first."""
    if (d.session.sources.placed and not d.session.history.unsaved) or save(d):
        d.show(BuildDialog(d.session, d.window))


def export_takes(d: Desk) -> None:
    """Every take into one folder, with progress that can be cancelled, and what was proven."""
    if all_read(d):
        _remembering(d, ExportTakesDialog(d.session, _export_folder(), d.window))
