"""The main window: panels around the figure, and the commands that tie them to the session."""

from __future__ import annotations

import tempfile
from collections.abc import Callable
from pathlib import Path

import msgspec
from PySide6.QtCore import QSettings, Qt
from PySide6.QtGui import QCloseEvent, QDragEnterEvent, QDropEvent
from PySide6.QtWidgets import (
    QApplication,
    QFileDialog,
    QFrame,
    QLabel,
    QMainWindow,
    QMenu,
    QMessageBox,
    QProgressDialog,
    QSplitter,
    QTabWidget,
    QVBoxLayout,
    QWidget,
)  # fmt: skip

from reflexa import __version__
from reflexa.desktop import theme
from reflexa.desktop.commands import Command, Registry
from reflexa.desktop.curve_view import VIEWS
from reflexa.desktop.dialogs import CommandSearch, ExportDialog, ImportReport, Shortcuts
from reflexa.desktop.export_all import ExportAllDialog
from reflexa.desktop.figure_panel import FigurePanel
from reflexa.desktop.key_commands import KeyCommands
from reflexa.desktop.library_panel import LibraryPanel
from reflexa.desktop.revision_line import RevisionLine
from reflexa.desktop.session import RESULT_CARD, SOURCE_CARD, Session
from reflexa.desktop.settings_panel import SettingsPanel
from reflexa.desktop.stage_panel import StagePanel
from reflexa.desktop.time_area import TimeArea, set_range
from reflexa.desktop.viewport import COMPARE, Viewport
from reflexa.draw.camera import STANDARD
from reflexa.errors import ReflexaError
from reflexa.formats import SUFFIXES, Imported
from reflexa.formats.files import write_bytes
from reflexa.formats.rigfile import SUFFIX as RIG_SUFFIX
from reflexa.formats.rigfile import RigDocument, read_rig
from reflexa.project import store
from reflexa.project.store import Project
from reflexa.project.text import pretty
from reflexa.rig.notes import notes_of, with_notes
from reflexa.stage import Prop
from reflexa.stage.presets import PRESETS
from reflexa.steps import KINDS
from reflexa.take import Source


class MainWindow(QMainWindow):
    """Open with ``session.load`` or ``start_empty``."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.commands = Registry(self)
        self._dialog: object = None
        self.revision_line = RevisionLine(session)
        self.viewport = Viewport(session)
        self.library = LibraryPanel(session)
        self.figure = FigurePanel(session)
        self.stage = StagePanel(session)
        self.settings = SettingsPanel(session)
        self.time_area = TimeArea(session)
        self._lay_out()
        self._add_commands()
        self.commands.fill_menu_bar()
        self.setAcceptDrops(True)
        self.resize(1280, 800)
        self._progress: QProgressDialog | None = None
        self.revision_line.export_wanted.connect(lambda: self.commands.run("export"))
        self.settings.export_wanted.connect(lambda: self.commands.run("export"))
        self.library.compare_wanted.connect(self.viewport.compare_with)
        self.figure.menu_wanted.connect(self._rig_menu)
        self.library.clips.itemSelectionChanged.connect(self.commands.refresh)
        self.library.import_wanted.connect(lambda: self.commands.run("import"))
        session.said.connect(lambda text: self.statusBar().showMessage(text, 6000))
        session.failed.connect(self.show_error)
        for signal in (
            session.saved_changed, session.project_changed, session.take_changed, session.selection_changed,
            session.playing_changed, session.evaluated,
        ):  # fmt: skip
            signal.connect(self._refresh)
        self._refresh()

    # Layout -------------------------------------------------------------------------------------------------

    def _lay_out(self) -> None:
        left = QFrame(objectName="panel")
        column = QVBoxLayout(left)
        column.setContentsMargins(4, 4, 4, 4)
        self.tabs = QTabWidget()
        self.tabs.setDocumentMode(True)
        self.tabs.tabBar().setDrawBase(False)
        self.tabs.addTab(self.library, "Clips")
        self.tabs.addTab(self.figure, "Figure")
        self.tabs.addTab(self.stage, "Stage")
        column.addWidget(self.tabs)
        centre = QFrame(objectName="panel")
        column = QVBoxLayout(centre)
        column.setContentsMargins(1, 1, 1, 1)
        column.addWidget(self.viewport)
        self.across = QSplitter(Qt.Orientation.Horizontal)
        for widget, stretch in ((left, 0), (centre, 1), (self.settings, 0)):
            self.across.addWidget(widget)
            self.across.setStretchFactor(self.across.count() - 1, stretch)
        self.across.setSizes([262, 742, 276])
        self.down = QSplitter(Qt.Orientation.Vertical)
        self.down.addWidget(self.across)
        self.down.addWidget(self.time_area)
        self.down.setStretchFactor(0, 1)
        self.down.setSizes([478, 182])
        for splitter in (self.across, self.down):
            splitter.setHandleWidth(6)
        whole = QWidget()
        column = QVBoxLayout(whole)
        column.setContentsMargins(6, 0, 6, 2)
        column.setSpacing(4)
        column.addWidget(self.revision_line)
        column.addWidget(self.down, 1)
        self.setCentralWidget(whole)
        self.project_label = QLabel()
        self.project_label.setContentsMargins(0, 0, 10, 0)
        self.statusBar().addPermanentWidget(self.project_label)
        self.statusBar().setSizeGripEnabled(False)

    def _refresh(self) -> None:
        session = self.session
        mark = " •" if session.unsaved else ""
        self.setWindowTitle(f"{session.project.name}{mark} – Reflexa")
        self.project_label.setText(f"{session.folder or ''}{'  ·  unsaved changes' if session.unsaved else ''}")
        self.commands.refresh()

    # Commands -----------------------------------------------------------------------------------------------

    def _add_commands(self) -> None:
        s = self.session

        def no_take() -> str:
            return "" if s.take is not None else "no take is open"

        def no_result() -> str:
            return "" if s.result is not None else "there is no result yet"

        def no_step() -> str:
            return "" if s.step is not None else "select a step on the revision line first"

        def no_keys() -> str:
            return "" if s.keys else "select keys in the time area first"

        def add(id_: str, title: str, menu: str, run: Callable[[], object], shortcut: str = "",
                why_not: Callable[[], str] = lambda: "", checked: Callable[[], bool] | None = None) -> None:  # fmt: skip
            self.commands.add(Command(id_, title, menu, run, shortcut, why_not, checked))

        add("new", "New project", "Project/1", self.new_project, "Ctrl+N")
        add("open", "Open project…", "Project/1", self.open_project, "Ctrl+O")
        add("save", "Save", "Project/2", self.save, "Ctrl+S")
        add("save_as", "Save a copy as…", "Project/2", self.save_as, "Ctrl+Shift+S")
        add("import", "Import clips…", "Project/3", self.import_dialog, "Ctrl+I")
        add("export", "Export…", "Project/3", self.export_dialog, "Ctrl+E", no_result)
        add("quit", "Quit", "Project/4", self.close, "Ctrl+Q")
        add("undo", "Undo", "Edit/1", s.undo, "Ctrl+Z", lambda: "" if s.undo_label() else "nothing to undo")
        add(
            "redo",
            "Redo",
            "Edit/1",
            s.redo,
            "Ctrl+Shift+Z | Ctrl+Y",
            lambda: "" if s.redo_label() else "nothing to redo",
        )
        add("show_keys", "Bring the selected keys into sight", "Keys/1", self.time_area.show_keys, "", no_keys)
        add("delete_keys", "Delete keys", "Edit/2", self.time_area.lanes.delete_keys, "", no_keys)
        for then in ("smooth", "eased", "linear", "hold"):
            add(
                f"keys_{then}",
                f"Make keys {then}",
                "Keys/5",
                lambda n=then: self.time_area.lanes.set_interpolation(n),
                "",
                no_keys,
            )
        add("rename_take", "Rename take…", "Take/1", lambda: self.library.rename_take(s.take_name), "F2", no_take)
        add("delete_take", "Delete take", "Take/1", lambda: s.delete_take(s.take_name), "", no_take)
        for kind in KINDS.values():
            add(f"add_{kind.kind}", f"Add {kind.title.lower()}", "Take/2", lambda k=kind.kind: s.add_step(k),
                {"mirror": "Ctrl+M", "correction": "Ctrl+K", "retarget": "Ctrl+T"}.get(kind.kind, ""), no_take)  # fmt: skip
        add("rename_step", "Rename step", "Take/3", lambda: self.revision_line.rename(s.card), "", no_step)
        add(
            "duplicate_step",
            "Duplicate step",
            "Take/3",
            lambda: self.revision_line.duplicate(s.card),
            "Ctrl+D",
            no_step,
        )
        add("remove_step", "Remove step", "Take/3", lambda: s.remove_step(s.card), "Ctrl+Backspace", no_step)
        add("toggle_step", "Switch step on or off", "Take/3", self._toggle_step, "Ctrl+Return", no_step)
        add("solo_step", "Show the step alone", "Take/3", lambda: self.revision_line.toggle_solo(s.card), "Ctrl+Alt+Return",
            no_step, lambda: s.step is not None and s.solo == s.card)  # fmt: skip
        add("lock_step", "Lock the step", "Take/3", lambda: self.revision_line.toggle_lock(s.card), "", no_step,
            lambda: s.step is not None and s.step.locked)  # fmt: skip
        add("earlier", "Move step earlier", "Take/3", lambda: s.move_step(s.card, s.card - 1), "Ctrl+Shift+Left",
            lambda: no_step() or ("" if s.card > 0 else "it is the first step"))  # fmt: skip
        add("later", "Move step later", "Take/3", lambda: s.move_step(s.card, s.card + 1), "Ctrl+Shift+Right",
            lambda: no_step() or ("" if s.take and s.card < len(s.take.steps) - 1 else "it is the last step"))  # fmt: skip
        add("next_card", "Select next card", "Take/4", lambda: self._step_card(1), "Ctrl+Right", no_take)
        add("previous_card", "Select previous card", "Take/4", lambda: self._step_card(-1), "Ctrl+Left", no_take)

        self.keys = KeyCommands(s, self, self.commands)

        def no_rig() -> str:
            return "" if s.rig is not None else "no take is open"

        def no_joint() -> str:
            return "" if s.rig is not None and s.joint in s.rig.skeleton.index else "select a joint first"

        add("pair", "Pair the joint with…", "Figure/1", lambda: s.start_pairing(s.joint), "Ctrl+J", no_joint)
        add("mark_centre", "Put the joint on the centre line", "Figure/1", s.mark_centre, "Ctrl+Shift+J", no_joint)
        add("unpair", "Unpair the joint", "Figure/1", s.unpair, "", no_joint)
        add("show_rest", "Show the rest pose", "Figure/2", lambda: s.show_rest(not s.rest_shown), "Ctrl+R", no_rig,
            lambda: s.rest_shown)  # fmt: skip
        add("reference", "Take this frame for the neutral pose", "Figure/2", lambda: s.take_reference(True), "",
            lambda: no_rig() or ("the rest pose is shown" if s.rest_shown else ""))  # fmt: skip
        add("no_reference", "Take the rest pose for neutral again", "Figure/2", lambda: s.take_reference(False), "",
            lambda: no_rig() or ("" if s.rig.reference is not None else "the rest pose is neutral already"))  # fmt: skip
        add("import_rig", "Import a rig document…", "Figure/3", self.import_rig, "", no_rig)
        add("export_rig", "Export the rig document…", "Figure/3", self.export_rig, "", no_rig)
        add("forget_rig", "Take the rig as it was found", "Figure/3", lambda: s.forget_rig(s.rig), "",
            lambda: no_rig() or ("" if s.project.rig_document(s.rig.key) else "nothing was corrected by hand"))  # fmt: skip

        for name, make_prop in PRESETS.items():
            add(f"put_{name}", f"Put in: {name}", "Stage/1", lambda m=make_prop: self.show_stage(m()), "", no_take)
        add("stage_open", "Add props from a file…", "Stage/2", self.stage.open_dialog, "", no_take)
        add("stage_save", "Save the stage as a file…", "Stage/2", self.stage.save_dialog, "",
            lambda: no_take() or ("" if s.stage.props else "nothing stands on the stage"))  # fmt: skip
        add("remove_prop", "Take the prop away", "Stage/3", s.remove_prop, "Shift+Delete",
            lambda: "" if s.prop else "select a prop first")  # fmt: skip

        def no_clips() -> str:
            return "" if self.library.chosen() else "select clips in the library first"

        add(
            "mirror_clips",
            "Mirror the selected clips",
            "Project/3",
            self.library.make_mirrored,
            "Ctrl+Shift+M",
            no_clips,
        )
        add(
            "helper_clips",
            "Put helper joints back in the selected clips",
            "Project/3",
            self.library.make_with_helpers,
            "",
            no_clips,
        )
        add("export_takes", "Export all takes…", "Project/3", self.export_all, "Ctrl+Shift+E",
            lambda: "" if s.project.takes else "there are no takes")  # fmt: skip
        add("play", "Play or pause", "Time/1", s.toggle_play, "Space", no_result)
        add("next", "Next frame", "Time/1", lambda: s.set_frame(s.frame + 1), "Right", no_result)
        add("previous", "Previous frame", "Time/1", lambda: s.set_frame(s.frame - 1), "Left", no_result)
        add("first", "Start of the range", "Time/1", lambda: s.set_frame(s.range[0]), "Home", no_result)
        add("last", "End of the range", "Time/1", lambda: s.set_frame(s.range[1]), "End", no_result)
        add("range_first", "Begin the range here", "Time/2", lambda: set_range(s, first=s.frame), "[", no_result)
        add("range_last", "End the range here", "Time/2", lambda: set_range(s, last=s.frame), "]", no_result)
        add(
            "range_all",
            "Range: the whole clip",
            "Time/2",
            lambda: set_range(s, first=0, last=s.frames - 1),
            "",
            no_result,
        )
        pages = {"": "Show keys"} | {v: f"Show curves: {t.lower()}" for v, (t, _, _) in VIEWS.items()}
        for i, (view, title) in enumerate(pages.items(), 1):
            add(
                f"page_{view or 'keys'}",
                title,
                "Time/4",
                lambda v=view: self.time_area.show_page(v),
                f"Ctrl+Alt+{i}",
                no_take,
            )
        add("zoom_time", "Show the whole clip's time", "Time/3", self.time_area.time.show_all, "Shift+F5", no_result)
        for i, name in enumerate(COMPARE, 1):
            add(f"compare_{i}", f"Show {name.lower()}", "View/1", lambda n=name: self.viewport.set_compare(n), f"Ctrl+{i}",
                no_take, lambda n=name: self.viewport.compare == n)  # fmt: skip
        add("frame", "Bring the figure into the picture", "View/2", self.viewport.frame_figure, "F5", no_take)
        for i, name in enumerate(STANDARD, 1):
            add(
                f"view_{i}", f"{name.capitalize()} view", "View/2", lambda n=name: self.viewport.set_view(n), f"Alt+{i}"
            )
        add(
            "parallel",
            "Parallel view",
            "View/2",
            self.viewport.toggle_parallel,
            "Alt+0",
            checked=lambda: not self.viewport.camera.perspective,
        )
        for id_, title, attribute in (("mesh", "Show the skin", "show_mesh"), ("joints", "Show joints and bones", "show_joints"),
                                      ("follow", "Keep the figure in the picture", "follow"),
                                      ("in_place", "Hold in place", "in_place"), ("ghosts", "Show ghosts", "ghosts"),
                                      ("trail", "Show the joint's trail", "trail")):  # fmt: skip
            add(id_, title, "View/3", lambda b=id_: self.viewport.buttons[b].toggle(), "",
                checked=lambda a=attribute: getattr(self.viewport, a))  # fmt: skip
        for name in theme.THEMES:
            add(f"theme_{name}", f"{name} theme", "View/4", lambda n=name: self.set_theme(n), "",
                checked=lambda n=name: theme.current().name == n)  # fmt: skip
        add("search", "Find a command…", "Help/1", self.search_commands, "Ctrl+P | F3")
        add("shortcuts", "Keys and mouse", "Help/1", lambda: Shortcuts(self.commands, self).exec(), "F1")
        add("about", "About Reflexa", "Help/2", self.about)

    def show_stage(self, prop: Prop) -> None:
        """Put a prop in, and show its settings."""
        self.session.put_prop(prop)
        self.tabs.setCurrentWidget(self.stage)

    def _toggle_step(self) -> None:
        self.revision_line._set_on(self.session.card, not self.session.step.on)

    def _step_card(self, by: int) -> None:
        order = [SOURCE_CARD, *range(len(self.session.take.steps)), RESULT_CARD]
        at = order.index(self.session.card) if self.session.card in order else 0
        self.session.select_card(order[max(0, min(len(order) - 1, at + by))])

    def set_theme(self, name: str) -> None:
        """Change the look at once and remember it."""
        app = QApplication.instance()
        theme.apply(app, theme.THEMES[name])
        QSettings().setValue("theme", name)
        self.viewport.refresh_icons()
        self.time_area.refresh_icons()
        self.revision_line.refresh()
        self.figure.refresh(force=True)
        self.settings.refresh(force=True)
        self.library._pictures.clear()
        self.library.refresh()
        self.update()

    def search_commands(self) -> None:
        CommandSearch(self.commands, self).exec()

    def about(self) -> None:
        QMessageBox.about(
            self, "About Reflexa", f"Reflexa {__version__}\nA revision bench for skeletal animation clips."
        )

    def show_error(self, text: str) -> None:
        """An error that a person must see: it stays until it is read."""
        box = QMessageBox(QMessageBox.Icon.Warning, "Reflexa", text, QMessageBox.StandardButton.Ok, self)
        box.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self._dialog = box
        box.open()

    def keyPressEvent(self, e: object) -> None:
        if e.key() == Qt.Key.Key_B and not e.isAutoRepeat():
            alone = bool(e.modifiers() & Qt.KeyboardModifier.ShiftModifier)
            self.viewport.hold_before(True, alone)
        elif e.key() == Qt.Key.Key_Escape and self.session.pairing:
            self.session.start_pairing("")
        elif e.key() == Qt.Key.Key_Escape and self.session.stop_computing():
            pass
        else:
            super().keyPressEvent(e)

    def keyReleaseEvent(self, e: object) -> None:
        if e.key() == Qt.Key.Key_B and not e.isAutoRepeat():
            self.viewport.hold_before(False)
        else:
            super().keyReleaseEvent(e)

    # Project ------------------------------------------------------------------------------------------------

    def start_empty(self) -> None:
        """A new project in a folder of its own until it is saved somewhere."""
        folder = Path(tempfile.mkdtemp(prefix="reflexa-"))
        self.session.adopt(Project("Untitled"), folder, {}, {})

    def may_leave(self) -> bool:
        """Ask about unsaved changes; True when the project may be closed."""
        if not self.session.unsaved:
            return True
        box = QMessageBox(self)
        box.setWindowTitle("Unsaved changes")
        box.setText(f"Save the changes to {self.session.project.name}?")
        save = box.addButton("Save", QMessageBox.ButtonRole.AcceptRole)
        drop = box.addButton("Leave without saving", QMessageBox.ButtonRole.DestructiveRole)
        box.addButton("Stay", QMessageBox.ButtonRole.RejectRole)
        box.exec()
        if box.clickedButton() is save:
            return self.save()
        return box.clickedButton() is drop

    def new_project(self) -> None:
        if self.may_leave():
            self.start_empty()

    def open_project(self) -> None:
        if self.may_leave():
            chosen = QFileDialog.getExistingDirectory(self, "Open a project folder")
            if chosen:
                self.open_folder(Path(chosen))

    def open_folder(self, folder: Path) -> None:
        try:
            self.session.load(folder)
        except ReflexaError as e:
            self.show_error(str(e))
        if self.session.missing:
            self.show_error("Some sources are missing or damaged:\n" + "\n".join(self.session.missing.values()))

    def save(self) -> bool:
        if self.session.folder is not None and self.session.folder.name.startswith("reflexa-"):
            return self.save_as()
        return self._save()

    def _save(self) -> bool:
        try:
            self.session.save()
        except ReflexaError as e:
            self.show_error(str(e))
            return False
        self.statusBar().showMessage(f"Saved to {self.session.folder}", 4000)
        return True

    def save_as(self) -> bool:
        chosen, _ = QFileDialog.getSaveFileName(
            self, "Save the project as a folder", str(Path.home() / self.session.project.name)
        )
        return bool(chosen) and self.save_to(Path(chosen))

    def save_to(self, folder: Path) -> bool:
        """Save a copy of the project, sources and all, into a folder, and go on there."""
        session = self.session
        assert session.folder is not None
        if folder.exists() and any(folder.iterdir()) and not (folder / store.PROJECT).exists():
            self.show_error(f"{folder} is not empty and holds no project. Choose another folder.")
            return False
        try:
            for source in session.project.sources:
                path = store.inside(session.folder, source.file)
                if path.exists():
                    store.add_source(folder, path)
        except ReflexaError as e:
            self.show_error(str(e))
            return False
        from dataclasses import replace

        session.folder = folder
        if session.project.name == "Untitled":
            session.edit("name the project", replace(session.project, name=folder.name))
        return self._save()

    # Import and export --------------------------------------------------------------------------------------

    def import_dialog(self) -> None:
        patterns = " ".join(f"*{s}" for s in SUFFIXES)
        chosen, _ = QFileDialog.getOpenFileNames(self, "Import clips", "", f"Motion files ({patterns});;All files (*)")
        if chosen:
            self.import_paths([Path(c) for c in chosen])

    def import_paths(self, paths: list[Path]) -> None:
        """Import files with progress, then say what was found."""
        self._progress = QProgressDialog(
            f"Reading {len(paths)} files…" if len(paths) > 1 else f"Reading {paths[0].name}…", "", 0, 0, self
        )
        self._progress.setCancelButton(None)
        self._progress.setMinimumDuration(200)
        self._progress.setWindowModality(Qt.WindowModality.WindowModal)
        self.session.import_files(paths, self._imported)

    def _imported(self, found: list[Imported], errors: list[str]) -> None:
        if self._progress is not None:
            self._progress.close()
            self._progress = None
        report = ImportReport(found, errors, self)
        report.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self._dialog = report

        def finish() -> None:
            if report.make_take.isChecked():
                for document in found:
                    names = [c.name for c in document.clips] or [document.path.stem]
                    for name in names:
                        self.session.new_take(Source(document.path.name, name))

        report.accepted.connect(finish)
        report.open()

    def dragEnterEvent(self, e: QDragEnterEvent) -> None:
        if any(u.toLocalFile().lower().endswith(SUFFIXES) for u in e.mimeData().urls()):
            e.acceptProposedAction()

    def dropEvent(self, e: QDropEvent) -> None:
        paths = [Path(u.toLocalFile()) for u in e.mimeData().urls() if u.isLocalFile()]
        if paths:
            self.import_paths(paths)

    def export_dialog(self) -> None:
        folder = QSettings().value("export_folder", "") or str(Path.home())
        dialog = ExportDialog(self.session, Path(str(folder)), self)
        dialog.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        dialog.finished.connect(lambda _r: QSettings().setValue("export_folder", dialog.folder.text()))
        self._dialog = dialog
        dialog.open()

    def export_all(self) -> None:
        """Every take into one folder, with progress that can be cancelled, and what was proven."""
        folder = str(QSettings().value("export_folder", "") or Path.home())
        dialog = ExportAllDialog(self.session, Path(folder), self)
        dialog.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        dialog.finished.connect(lambda _r: QSettings().setValue("export_folder", dialog.folder.text()))
        self._dialog = dialog
        dialog.open()

    # Rigs ---------------------------------------------------------------------------------------------------

    def import_rig(self) -> None:
        chosen, _ = QFileDialog.getOpenFileName(self, "Import a rig document", "", f"Rig documents (*{RIG_SUFFIX})")
        if chosen:
            self.import_rig_from(Path(chosen))

    def import_rig_from(self, path: Path) -> None:
        """Take what a document says of the rig shown; what it says of joints that this rig lacks is named."""
        rig = self.session.rig
        try:
            document = read_rig(path)
        except ReflexaError as e:
            self.show_error(str(e))
            return
        unused = with_notes(rig, document.notes)[1]
        if not set(document.notes.body_map) & set(rig.body_map) and unused:
            self.show_error(f"{path.name} speaks of another rig. {' '.join(unused)}")
            return
        self.session.edit_rig(f"take {path.name}", rig, msgspec.structs.replace(document.notes, joints=()))
        if unused:
            self.show_error(f"{path.name} was taken, but for this: {' '.join(unused)}")

    def export_rig(self) -> None:
        document = self.session.document_of(self.session.rig)
        stem = document.path.stem if document is not None else "rig"
        chosen, _ = QFileDialog.getSaveFileName(
            self, "Export the rig document", str(Path.home() / f"{stem}{RIG_SUFFIX}")
        )
        if chosen:
            self.export_rig_to(Path(chosen))

    def export_rig_to(self, path: Path) -> None:
        """Write what is known of the rig shown, skeleton and all."""
        rig = self.session.rig
        text = pretty(RigDocument(path.name.removesuffix(RIG_SUFFIX), rig.key, notes_of(rig, with_joints=True)).plain())
        try:
            write_bytes(path, text.encode(), overwrite=True)  # the file dialog has asked
        except ReflexaError as e:
            self.show_error(str(e))
            return
        self.statusBar().showMessage(f"Written: {path}", 6000)

    def _rig_menu(self, button: QWidget) -> None:
        menu = QMenu(self)
        menu.setToolTipsVisible(True)
        for group in (("reference", "no_reference"), ("import_rig", "export_rig", "forget_rig")):
            for id_ in group:
                menu.addAction(self.commands.action(id_))
            menu.addSeparator()
        menu.exec(button.mapToGlobal(button.rect().topLeft()))

    def closeEvent(self, e: QCloseEvent) -> None:
        if self.may_leave():
            settings = QSettings()
            settings.setValue("geometry", self.saveGeometry())
            settings.setValue("across", self.across.saveState())
            settings.setValue("down", self.down.saveState())
            self.session.pause()
            e.accept()
        else:
            e.ignore()

    def restore_layout(self) -> None:
        """Sizes as they were when the window was last closed."""
        settings = QSettings()
        for key, restore in (
            ("geometry", self.restoreGeometry), ("across", self.across.restoreState), ("down", self.down.restoreState),
        ):  # fmt: skip
            value = settings.value(key)
            if value is not None:
                restore(value)
