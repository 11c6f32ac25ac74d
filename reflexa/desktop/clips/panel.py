"""The library: takes and clips with previews that play on hover, and search."""

from __future__ import annotations

from functools import partial

from PySide6.QtCore import QEvent, QObject, QPoint, Qt, Signal
from PySide6.QtWidgets import (
    QHBoxLayout,
    QInputDialog,
    QListWidget,
    QListWidgetItem,
    QMenu,
    QPushButton,
    QToolButton,
    QVBoxLayout,
    QWidget,
)  # fmt: skip

from reflexa.desktop.clips import rows
from reflexa.desktop.clips.clip_list import ClipList
from reflexa.desktop.clips.delegate import THING, ItemDelegate
from reflexa.desktop.clips.previews import Previews, Thing
from reflexa.desktop.clips.recipe_list import RecipeList
from reflexa.desktop.clips.take_list import TakeList
from reflexa.desktop.kinds import VIEWS, Offer
from reflexa.desktop.look import theme
from reflexa.desktop.widgets import menus
from reflexa.desktop.widgets.qt_properties import named, styled
from reflexa.desktop.widgets.search import search_field
from reflexa.session import Session, takes, variations
from reflexa.steps import make
from reflexa.take import Segment, Source


class ClipsPanel(QWidget):
    """Double-click a clip to make a take of it; click a take to open it."""

    import_wanted = Signal()
    compare_wanted = Signal(str)
    numbers_wanted = Signal(str)
    file_wanted = Signal(str)
    removal_wanted = Signal(str)
    menu_wanted = Signal(QPoint)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self._folded: set[str] = set()
        self._takes_listed: object = None
        self._shown: object = None
        self._clips_listed: object = None
        self.previews = Previews(session, self)
        column = QVBoxLayout(self)
        column.setContentsMargins(6, 6, 6, 6)
        column.setSpacing(5)
        self.search = search_field("Search takes and clips")
        self.search.textChanged.connect(self.refresh)
        column.addWidget(self.search)
        self.takes, self.clips = TakeList(), ClipList()
        self._dress(self.takes, "Takes")
        self._dress(self.clips, "Clips")
        self.takes_heading, self.clips_heading = (_fold(w) for w in (self.takes, self.clips))
        for heading, below, stretch in ((self.takes_heading, self.takes, 5), (self.clips_heading, self.clips, 3)):
            column.addWidget(heading)
            column.addWidget(below, stretch)
        self.recipes = RecipeList()
        self.recipes_heading = _fold(self.recipes)
        column.addWidget(self.recipes_heading)
        column.addWidget(self.recipes)
        self._filler = QWidget()
        column.addWidget(self._filler)
        for heading in (self.takes_heading, self.clips_heading):
            heading.toggled.connect(self._fill)
        row = QHBoxLayout()
        self.import_button = QPushButton("Import…")
        self.import_button.clicked.connect(self.import_wanted)
        self.take_button = QPushButton("Make take")
        self.take_button.clicked.connect(self.make_take)
        row.addWidget(self.import_button)
        row.addWidget(self.take_button)
        column.addLayout(row)
        self.takes.itemClicked.connect(self._on_take_clicked)
        self.takes.itemActivated.connect(lambda item: session.open_take(item.data(THING).take))
        self.takes.moved.connect(partial(takes.move, session))
        self.takes.removal_wanted.connect(lambda names: takes.delete(session, *names))
        self.takes.itemSelectionChanged.connect(self._enable)
        self.clips.itemActivated.connect(lambda item: self._use(item.data(THING)))
        self.clips.itemSelectionChanged.connect(self._enable)
        self.previews.drawn.connect(self._repaint)
        session.project_changed.connect(self.refresh)
        session.take_changed.connect(self._update)
        session.take_changed.connect(self._show_open)
        session.evaluator.done.connect(self._update)
        self.refresh()

    def _dress(self, out: QListWidget, name: str) -> None:
        out.setAccessibleName(name)
        out.setItemDelegate(ItemDelegate(self.previews, out))
        out.setMouseTracking(True)
        out.setUniformItemSizes(True)  # else a thousand rows are measured one by one
        out.setVerticalScrollMode(QListWidget.ScrollMode.ScrollPerPixel)
        out.itemEntered.connect(lambda item: self.previews.play(item.data(THING)))
        out.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
        out.customContextMenuRequested.connect(partial(self._menu, out))
        out.viewport().installEventFilter(self)

    def _fill(self) -> None:
        """With both folded the headings stay at the top."""
        self._filler.setVisible(not (self.takes_heading.isChecked() or self.clips_heading.isChecked()))

    def _on_take_clicked(self, item: QListWidgetItem) -> None:
        thing: Thing = item.data(THING)
        if thing.heading:
            self._folded ^= {thing.folder}
            self.refresh()
        elif len(self.takes.chosen()) <= 1:  # more are being chosen, not opened
            self.session.open_take(thing.take)

    def _show_open(self) -> None:
        """The open take is always in sight."""
        take = self.session.take
        if take is not None and take.folder in self._folded:
            self._folded.discard(take.folder)
            self.refresh()
        for i in range(self.takes.count()):
            if take is not None and self.takes.item(i).data(THING).take == take.name:
                self.takes.scrollToItem(self.takes.item(i))

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if event.type() == QEvent.Type.Leave:
            self.previews.play(None)
        return False

    def refresh_icons(self) -> None:
        """Pictures in the colours of the theme."""
        self.previews.forget()

    # Content ----------------------------------------------------------------------------------------------------

    def refresh(self) -> None:
        """List what fits the search. What is listed already stays: hundreds of rows are not made anew for one edit."""
        self.previews.project_changed()
        words, session = self.search.text().lower().split(), self.session
        project, sources = session.project, session.sources
        takes_now = words, [(t.name, t.folder) for t in project.takes], sorted(self._folded), project.lost
        if words or takes_now != self._takes_listed:
            rows.list_takes(self.takes, session, words, self._folded)
            self._shown = project
        else:
            self._update()
        clips_now = (
            words,
            [
                (e.file, e.file in sources.waiting, sources.documents.get(e.file), sources.missing.get(e.file))
                for e in project.sources
            ],
        )
        if clips_now != self._clips_listed:
            rows.list_clips(self.clips, session, words)
        self._takes_listed, self._clips_listed = takes_now, clips_now
        self.recipes.fill([r for r in session.project.recipes if rows.fits(words, r.name)])
        self.recipes_heading.setText(f"Recipes · {len(session.project.recipes)}")
        self.recipes_heading.setVisible(bool(session.project.recipes))
        self.recipes.setVisible(bool(session.project.recipes) and self.recipes_heading.isChecked())
        self.takes_heading.setText(f"Takes · {len(session.project.takes)}")
        self.clips_heading.setText(f"Clips · {self.clips.count()}")
        self._enable()
        self._show_open()

    def _update(self) -> None:
        """Names of steps, and pictures, may be others."""
        project = self.session.project
        if project is not self._shown:
            self._shown = project
            for i in range(self.takes.count()):
                item = self.takes.item(i)
                take = project.take(item.data(THING).take)
                if take is not None:
                    rows.show_take(item, take)
        self._repaint()

    def _repaint(self, thing: Thing | None = None) -> None:
        """Of one thing, or of all."""
        for listed in (self.takes, self.clips):
            if thing is None:
                listed.viewport().update()
                continue
            for item in (listed.item(i) for i in range(listed.count())):
                if item.data(THING) == thing:
                    listed.viewport().update(listed.visualItemRect(item))

    def _enable(self) -> None:
        count = len(self.chosen())
        self.take_button.setEnabled(count > 0)
        self.take_button.setText(f"Make {count} takes" if count > 1 else "Make take")
        self.take_button.setToolTip(
            "Make a take of each selected clip" if count else "Select clips first (Ctrl or Shift: several)"
        )

    def chosen(self) -> list[Source]:
        """The clips that are selected, in their order."""
        things = [i.data(THING) for i in sorted(self.clips.selectedItems(), key=self.clips.row)]
        return [t.source for t in things if t.source is not None]

    def _use(self, thing: Thing) -> None:
        if thing.missing:
            self.file_wanted.emit(thing.missing)
        else:
            self.make_take()

    # Making takes -----------------------------------------------------------------------------------------------

    def make_take(self) -> None:
        """A take of each selected clip, without steps."""
        takes.make(self.session, self.chosen())

    def join(self) -> None:
        """One take of the selected clips in a row."""
        chosen = self.chosen()
        if len(chosen) > 1:
            segments = [Segment(s.file, s.clip, crossfade=6 if i else 0) for i, s in enumerate(chosen)]
            takes.join(self.session, segments, ", ".join(s.clip for s in chosen[:3]))

    def make_with(self, kind: str, offer: Offer) -> None:
        """A take of each selected clip that it can be done to, with a step in it."""
        rigs = self.session.rigs
        sources = [s for s in self.chosen() if s.file in rigs and offer.fits(rigs[s.file])]
        step = make(kind, offer.name, **offer.settings)
        takes.make(self.session, sources, step, offer.swap_names)

    def _menu(self, which: QListWidget, at: QPoint) -> None:
        item = which.itemAt(at)
        if item is None:
            self.menu_wanted.emit(self.mapFromGlobal(which.viewport().mapToGlobal(at)))
            return
        menu = QMenu(self)
        menu.setToolTipsVisible(True)
        thing: Thing = item.data(THING)
        names = self.takes.chosen()
        if thing.heading:
            self._fill_for_folder(menu, thing.folder)
        elif thing.take and len(names) > 1 and thing.take in names:
            self._fill_for_takes(menu, names)
        elif thing.take:
            self._fill_for_take(menu, thing.take)
        elif thing.source is not None:
            self._fill_for_clips(menu)
        self._fill_for_file(menu, thing.missing or (thing.source.file if thing.source is not None else ""))
        if not menu.isEmpty():
            menus.show(menu, which.viewport().mapToGlobal(at))

    def _fill_for_take(self, menu: QMenu, name: str) -> None:
        if name != self.session.selection.take:
            menu.addAction("Compare the open take with this one", lambda: self.compare_wanted.emit(name))
            menu.addAction("Show differences to the open take in numbers", lambda: self.numbers_wanted.emit(name))
        menu.addAction("Show differences to the source in numbers", lambda: self.numbers_wanted.emit(""))
        menu.addAction("Compare with the source again", lambda: self.compare_wanted.emit(""))
        menu.addSeparator()
        menu.addAction("Duplicate", lambda: takes.duplicate(self.session, name))
        menu.addAction("Duplicate without its steps", lambda: takes.duplicate(self.session, name, steps=False))
        menu.addAction("Rename…", lambda: self.rename_take(name))
        self._fill_for_takes(menu, [name])

    def _fill_for_takes(self, menu: QMenu, names: list[str]) -> None:
        below = menu.addMenu("Move to folder")
        for folder in sorted({t.folder for t in self.session.project.takes if t.folder}):
            below.addAction(folder, partial(takes.put_into, self.session, names, folder))
        below.addAction("New folder…", lambda: self.new_folder(names))
        if any(t.folder for t in self.session.project.takes if t.name in names):
            below.addAction("Remove from its folder", partial(takes.put_into, self.session, names, ""))
        tied = [t.name for t in self.session.project.takes if t.name in names and t.varies is not None]
        if tied:
            menu.addAction("Detach from the take followed", partial(variations.detach, self.session, tied))
        what = "Remove" if len(names) == 1 else f"Remove {len(names)} takes"
        menu.addAction(theme.icon("delete"), what, lambda: takes.delete(self.session, *names))

    def _fill_for_folder(self, menu: QMenu, folder: str) -> None:
        menu.addAction("Rename folder…", lambda: self.rename_folder(folder))
        menu.addAction("Remove folder, keep its takes", partial(takes.rename_folder, self.session, folder, ""))

    def new_folder(self, names: list[str]) -> None:
        """Ask for the name of a folder, and put takes into it."""
        text, good = QInputDialog.getText(self, "New folder", "Name")
        if good and text.strip():
            takes.put_into(self.session, names, text.strip())

    def rename_folder(self, folder: str) -> None:
        """Ask for another name of a folder."""
        text, good = QInputDialog.getText(self, "Rename folder", "Name", text=folder)
        if good and text.strip():
            takes.rename_folder(self.session, folder, text.strip())

    def _fill_for_file(self, menu: QMenu, file: str) -> None:
        if file:
            menu.addSeparator()
            menu.addAction(f"Find the file for {file}…", lambda: self.file_wanted.emit(file))
            menu.addAction(theme.icon("delete"), f"Remove {file}…", lambda: self.removal_wanted.emit(file))

    def _fill_for_clips(self, menu: QMenu) -> None:
        chosen, rigs = self.chosen(), self.session.rigs
        count = len(chosen)
        what = f"{count} clips" if count > 1 else "clip"
        menu.addAction("Make takes" if count > 1 else "Make take", self.make_take)
        if count > 1:
            menu.addAction("Join into one take", self.join)
        else:
            one = chosen[0]
            menu.addAction(
                "There and back",
                lambda: takes.join(self.session, takes.there_and_back(one), f"{one.clip}, there and back"),
            )
            menu.addAction(
                "Forward, back, mirrored forward, mirrored back",
                lambda: takes.join(self.session, takes.all_four_ways(one), f"{one.clip}, four ways"),
            )
            if self.session.take is not None:
                menu.addAction("Append to the source of the open take", lambda: takes.append(self.session, [one]))
        menu.addSeparator()
        for view in VIEWS.values():
            offers = [view.offer] if view.offer is not None else []
            offers += view.offers(self.session) if view.offers is not None else []
            usable = [o for o in offers if any(s.file in rigs and o.fits(rigs[s.file]) for s in chosen)]
            below: dict[str, QMenu] = {}
            for under in dict.fromkeys(o.under for o in usable if o.under):
                below[under] = menu.addMenu(under.format(what))
            for offer in usable:
                title = offer.title if offer.under else offer.title.format(what)
                (below[offer.under] if offer.under else menu).addAction(
                    title, partial(self.make_with, view.kind, offer)
                )

    def rename_take(self, name: str) -> None:
        """Ask for another name."""
        text, good = QInputDialog.getText(self, "Rename take", "Name", text=name)
        if good:
            takes.rename(self.session, name, text)


def _fold(below: QWidget) -> QToolButton:
    """The heading of a section, which folds it."""
    out = styled(named(QToolButton(), "quiet"), checkable=True, checked=True, toolTip="Collapse or expand")
    out.toggled.connect(below.setVisible)
    return out
