"""The library: takes and clips with previews that play on hover, and search."""

from __future__ import annotations

from PySide6.QtCore import QModelIndex, QPersistentModelIndex, QRectF, QSize, Qt, QTimer, Signal
from PySide6.QtGui import QFont, QImage, QPainter
from PySide6.QtWidgets import (
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QMenu,
    QPushButton,
    QStyle,
    QStyledItemDelegate,
    QVBoxLayout,
    QWidget,
)  # fmt: skip

from reflexa.desktop import picture, theme
from reflexa.desktop.session import Session, clip_of
from reflexa.motion.clip import Clip
from reflexa.rig import Rig
from reflexa.steps import make
from reflexa.take import Source

_KIND, _KEY, _LINE = Qt.ItemDataRole.UserRole, Qt.ItemDataRole.UserRole + 1, Qt.ItemDataRole.UserRole + 2
PICTURE = QSize(60, 46)


class _Delegate(QStyledItemDelegate):
    def __init__(self, panel: LibraryPanel) -> None:
        super().__init__(panel)
        self.panel = panel

    def sizeHint(self, _option: object, _index: object) -> QSize:
        return QSize(180, PICTURE.height() + 8)

    def paint(self, p: QPainter, option: object, index: QModelIndex | QPersistentModelIndex) -> None:
        t = theme.current()
        box = QRectF(option.rect).adjusted(2, 2, -2, -2)
        kind, key = index.data(_KIND), index.data(_KEY)
        p.save()
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        current = kind == "take" and key == self.panel.session.take_name
        hovered = bool(option.state & QStyle.StateFlag.State_MouseOver)
        if current or hovered or option.state & QStyle.StateFlag.State_Selected:
            p.setPen(t.colour("accent") if current else Qt.PenStyle.NoPen)
            p.setBrush(t.colour("soft" if current or hovered else "card"))
            p.drawRoundedRect(box, 6, 6)
        image = self.panel.image(kind, key)
        place = QRectF(box.x() + 3, box.y() + 3, PICTURE.width(), PICTURE.height() - 2)
        if image is not None:
            p.drawImage(place, image)
        else:
            p.fillRect(place, t.colour("line"))
        x = place.right() + 9
        font = QFont(self.panel.font())
        font.setWeight(QFont.Weight.DemiBold)
        p.setFont(font)
        p.setPen(t.colour("ink"))
        width = box.right() - x - 4
        text = p.fontMetrics().elidedText(
            index.data(Qt.ItemDataRole.DisplayRole), Qt.TextElideMode.ElideRight, int(width)
        )
        p.drawText(QRectF(x, box.y() + 1, width, 17), Qt.AlignmentFlag.AlignVCenter, text)
        p.setFont(self.panel.font())
        p.setPen(t.colour("quiet"))
        for i, line in enumerate(index.data(_LINE)):
            text = p.fontMetrics().elidedText(line, Qt.TextElideMode.ElideRight, int(width))
            p.drawText(QRectF(x, box.y() + 17 + 15 * i, width, 15), Qt.AlignmentFlag.AlignVCenter, text)
        p.restore()


class LibraryPanel(QWidget):
    """Double-click a clip to make a take of it; click a take to open it."""

    import_wanted = Signal()
    compare_wanted = Signal(str)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self._pictures: dict[tuple[object, ...], QImage] = {}
        self._wanted: list[tuple[object, ...]] = []
        self._playing: tuple[str, object] | None = None
        self._play_frame = 0.0
        column = QVBoxLayout(self)
        column.setContentsMargins(6, 6, 6, 6)
        column.setSpacing(5)
        self.search = QLineEdit(placeholderText="Search takes and clips", clearButtonEnabled=True)
        self.search.addAction(theme.icon("search", "quiet"), QLineEdit.ActionPosition.LeadingPosition)
        self.search.textChanged.connect(self.refresh)
        column.addWidget(self.search)
        self.takes = self._list("Takes")
        self.clips = self._list("Clips")
        self.clips.setSelectionMode(QListWidget.SelectionMode.ExtendedSelection)
        self.takes_heading = QLabel("Takes", objectName="section")
        self.clips_heading = QLabel("Clips", objectName="section")
        column.addWidget(self.takes_heading)
        column.addWidget(self.takes, 3)
        column.addWidget(self.clips_heading)
        column.addWidget(self.clips, 4)
        row = QHBoxLayout()
        self.import_button = QPushButton("Import…")
        self.import_button.clicked.connect(self.import_wanted)
        self.take_button = QPushButton("Make take")
        self.take_button.clicked.connect(self.make_take)
        row.addWidget(self.import_button)
        row.addWidget(self.take_button)
        column.addLayout(row)
        self.takes.itemClicked.connect(lambda item: session.open_take(item.data(_KEY)))
        self.takes.itemActivated.connect(lambda item: session.open_take(item.data(_KEY)))
        self.clips.itemDoubleClicked.connect(lambda _item: self.make_take())
        self.clips.itemSelectionChanged.connect(self._enable)
        self._painter = QTimer(self, interval=0, singleShot=True)
        self._painter.timeout.connect(self._paint_one)
        self._player = QTimer(self, interval=66)
        self._player.timeout.connect(self._play)
        session.project_changed.connect(self.refresh)
        session.take_changed.connect(self._on_take)
        session.evaluated.connect(self._on_take)
        self.refresh()

    def _list(self, name: str) -> QListWidget:
        out = QListWidget()
        out.setAccessibleName(name)
        out.setItemDelegate(_Delegate(self))
        out.setMouseTracking(True)
        out.setVerticalScrollMode(QListWidget.ScrollMode.ScrollPerPixel)
        out.itemEntered.connect(self._hover)
        out.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
        out.customContextMenuRequested.connect(lambda at, which=out: self._menu(which, at))
        out.viewport().installEventFilter(self)
        return out

    def eventFilter(self, _watched: object, event: object) -> bool:
        if event.type() == event.Type.Leave:
            self._player.stop()
            self._playing = None
            self.takes.viewport().update()
            self.clips.viewport().update()
        return False

    # Content ------------------------------------------------------------------------------------------------

    def refresh(self) -> None:
        """List what fits the search."""
        words = self.search.text().lower().split()
        session = self.session

        def fits(*texts: str) -> bool:
            whole = " ".join(texts).lower()
            return all(w in whole for w in words)

        self.takes.clear()
        for take in session.project.takes:
            steps = ", ".join(s.name for s in take.steps) or "no steps"
            if fits(take.name, take.source.clip, take.source.file, steps):
                self._add(self.takes, take.name, "take", take.name, (f"of {take.source.clip}", steps))
        self.clips.clear()
        for entry in session.project.sources:
            document = session.documents.get(entry.file)
            if document is None:
                if fits(entry.file):
                    self._add(self.clips, entry.file, "missing", entry.file, ("missing or damaged",))
                continue
            for clip in document.clips or (clip_of(document, ""),):
                if clip is not None and fits(clip.name, entry.file):
                    size = f"{clip.frames} frames, {clip.duration:.2f} s"
                    self._add(self.clips, clip.name, "clip", (entry.file, clip.name), (size, entry.file))
        self.takes_heading.setText(f"Takes · {self.takes.count()}")
        self.clips_heading.setText(f"Clips · {self.clips.count()}")
        self._enable()

    def _add(self, where: QListWidget, title: str, kind: str, key: object, lines: tuple[str, ...]) -> None:
        item = QListWidgetItem(title)
        item.setData(_KIND, kind)
        item.setData(_KEY, key)
        item.setData(_LINE, lines)
        item.setToolTip("\n".join((title, *lines)))
        where.addItem(item)

    def _enable(self) -> None:
        count = len(self.chosen())
        self.take_button.setEnabled(count > 0)
        self.take_button.setText(f"Make {count} takes" if count > 1 else "Make take")
        self.take_button.setToolTip(
            "Make a take of each selected clip" if count else "Select clips first (Ctrl or Shift: more)"
        )

    def chosen(self) -> list[Source]:
        """The clips that are selected, in their order."""
        items = sorted(self.clips.selectedItems(), key=self.clips.row)
        return [Source(*i.data(_KEY)) for i in items if i.data(_KIND) == "clip"]

    def make_take(self) -> None:
        """A take of each selected clip, without steps."""
        for source in self.chosen():
            self.session.new_take(source)

    def make_mirrored(self) -> None:
        """A mirrored take of each selected clip, its name with the sides swapped."""
        self.session.new_takes(self.chosen(), make("mirror"), swap_names=True)

    def make_with_helpers(self) -> None:
        """A take of each selected clip with its helper joints put back."""
        self.session.new_takes(self.chosen(), make("helper-joints"))

    def make_retargeted(self, file: str) -> None:
        """A take of each selected clip on another rig of the project."""
        stem = file.rsplit(".", 1)[0]
        own = self.session.rigs[file].key
        sources = [s for s in self.chosen() if self.session.rigs[s.file].key != own]
        self.session.new_takes(sources, make("retarget", f"Onto {stem}", rig=file))

    def _menu(self, which: QListWidget, at: object) -> None:
        item = which.itemAt(at)
        if item is None:
            return
        menu = QMenu(self)
        if item.data(_KIND) == "take":
            name = item.data(_KEY)
            if name != self.session.take_name:
                menu.addAction("Compare the open take with this one", lambda: self.compare_wanted.emit(name))
            menu.addAction("Compare with the source again", lambda: self.compare_wanted.emit(""))
            menu.addSeparator()
            menu.addAction("Rename…", lambda: self.rename_take(name))
            menu.addAction(theme.icon("delete"), "Delete", lambda: self.session.delete_take(name))
        elif item.data(_KIND) == "clip":
            count = len(self.chosen())
            what = f"{count} clips" if count > 1 else "clip"
            menu.addAction("Make takes" if count > 1 else "Make take", self.make_take)
            menu.addAction(f"Mirror {what}", self.make_mirrored)
            menu.addAction(f"Put helper joints back in {what}", self.make_with_helpers)
            onto = menu.addMenu(f"Retarget {what} onto")
            key = self.session.rigs[item.data(_KEY)[0]].key
            for file, rig in self.session.rigs.items():
                if rig.key != key:
                    onto.addAction(file, lambda f=file: self.make_retargeted(f))
            onto.setEnabled(bool(onto.actions()))
            onto.setToolTip("" if onto.actions() else "Import a file of another rig first")
        menu.exec(which.viewport().mapToGlobal(at))

    def rename_take(self, name: str) -> None:
        from PySide6.QtWidgets import QInputDialog

        text, good = QInputDialog.getText(self, "Rename take", "Name", text=name)
        if good:
            self.session.rename_take(name, text)

    def _on_take(self) -> None:
        self._pictures = {k: v for k, v in self._pictures.items() if k[0] != "take" or k[1] != self.session.take_name}
        self.refresh_list_of_takes()

    def refresh_list_of_takes(self) -> None:
        """Step names of the open take may have changed."""
        session = self.session
        for i in range(self.takes.count()):
            item = self.takes.item(i)
            take = session.project.take(item.data(_KEY))
            if take is not None:
                item.setData(_LINE, (f"of {take.source.clip}", ", ".join(s.name for s in take.steps) or "no steps"))
        self.takes.viewport().update()

    # Pictures -----------------------------------------------------------------------------------------------

    def _clip(self, kind: str, key: object) -> tuple[Rig, Clip] | None:
        session = self.session
        if kind == "take":
            take = session.project.take(str(key))
            if take is None:
                return None
            file, name = take.source.file, take.source.clip
        elif kind == "clip":
            file, name = key
        else:
            return None
        document = session.documents.get(file)
        clip = clip_of(document, name) if document else None
        if kind == "take" and key == session.take_name and session.evaluation is not None:
            return session.evaluation.rig, session.evaluation.result
        return (document.rig, clip) if document is not None and clip is not None else None

    def image(self, kind: str, key: object) -> QImage | None:
        """The picture of an item as far as it is drawn already; else it is put in line to be drawn."""
        frame = -1
        if self._playing == (kind, key):
            frame = int(self._play_frame)
        name = (kind, key, frame, theme.current().name)
        if name not in self._pictures and frame >= 0:
            self._draw(name)
        if name not in self._pictures and name not in self._wanted:
            self._wanted.append(name)
            self._painter.start()
        return self._pictures.get(name)

    def _paint_one(self) -> None:
        if self._wanted and self.isVisible():
            self._draw(self._wanted.pop(0))
            self.takes.viewport().update()
            self.clips.viewport().update()
        if self._wanted:
            self._painter.start()

    def _draw(self, name: tuple[object, ...]) -> None:
        found = self._clip(str(name[0]), name[1])
        if found is None:
            return
        rig, clip = found
        frame = clip.frames // 3 if name[2] == -1 else int(name[2]) % clip.frames
        if len(self._pictures) > 600:
            self._pictures.clear()
        w, h = PICTURE.width() * 2, (PICTURE.height() - 2) * 2
        self._pictures[name] = picture.preview(rig, clip, frame, w, h)

    def _hover(self, item: QListWidgetItem) -> None:
        what = (item.data(_KIND), item.data(_KEY))
        if what != self._playing:
            self._playing, self._play_frame = what, 0.0
            self._player.start()

    def _play(self) -> None:
        if self._playing is None:
            return
        found = self._clip(*self._playing)
        if found is None:
            self._player.stop()
            return
        clip = found[1]
        self._play_frame = (self._play_frame + clip.rate * self._player.interval() / 1000) % max(clip.frames - 1, 1)
        (self.takes if self._playing[0] == "take" else self.clips).viewport().update()
