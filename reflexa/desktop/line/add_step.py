"""Which step to add: searched by words, what fits just now first, then the kinds in groups."""

from __future__ import annotations

from PySide6.QtCore import QModelIndex, QPersistentModelIndex, QPoint, QRect, QSettings, QSize, Qt, Signal
from PySide6.QtGui import QFont, QIcon, QKeyEvent, QPainter
from PySide6.QtWidgets import (
    QFrame,
    QListWidget,
    QListWidgetItem,
    QStyle,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QVBoxLayout,
    QWidget,
)

from reflexa.desktop.kinds import view_of
from reflexa.desktop.look import theme
from reflexa.desktop.widgets.search import search_field
from reflexa.session import Session
from reflexa.steps import KINDS
from reflexa.steps.model import StepKind

_SIZE, _FIT, _RECENT, _KEY = QSize(430, 470), 4, 3, "recent steps"
_TITLES = {"figure": "Figure", "ground": "Ground and targets", "layers": "Layers", "time": "Time", "other": "Other"}


class AddStep(QFrame):
    """A list over the window, with a field to search in. ``chosen(kind)``; Return takes the first, Escape closes it."""

    chosen = Signal(str)

    def __init__(self, session: Session, parent: QWidget) -> None:
        super().__init__(parent, Qt.WindowType.Popup)
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.setObjectName("panel")
        self._sections = _sections(session)
        column = QVBoxLayout(self)
        column.setContentsMargins(8, 8, 8, 8)
        self.field = search_field("Search steps")
        self.field.textChanged.connect(self._list)
        self.found = QListWidget()
        self.found.setAccessibleName("Steps")
        self.found.setItemDelegate(_TwoLines(self.found))
        self.found.setIconSize(QSize(20, 20))
        self.found.setFocusPolicy(Qt.FocusPolicy.NoFocus)  # the field keeps it, and hands on what goes up and down
        self.found.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.found.itemClicked.connect(self._take)
        column.addWidget(self.field)
        column.addWidget(self.found)
        self.resize(_SIZE)
        self._list("")

    def open_at(self, corner: QPoint) -> None:
        """Show it with its upper left corner there, as far as the screen has room."""
        room = self.screen().availableGeometry()
        x = min(corner.x(), room.right() - self.width())
        y = min(corner.y(), room.bottom() - self.height())
        self.move(max(x, room.left()), max(y, room.top()))
        self.show()
        self.field.setFocus()

    def _list(self, text: str) -> None:
        words = text.lower().split()
        self.found.clear()
        if words:
            kinds = {k.kind: k for _, section in self._sections for k in section if all(w in _words(k) for w in words)}
            # Who searches by a name means what has it in its title, before what only speaks of it.
            for kind in sorted(kinds.values(), key=lambda k: not all(w in k.title.lower() for w in words)):
                self._put(kind)
        else:
            for title, section in self._sections:
                head = QListWidgetItem(title)
                head.setFlags(Qt.ItemFlag.NoItemFlags)
                self.found.addItem(head)
                for kind in section:
                    self._put(kind)
        self.found.setCurrentRow(0 if words else 1)

    def _put(self, kind: StepKind) -> None:
        item = QListWidgetItem(theme.icon(view_of(kind.kind).icon or kind.kind), f"{kind.title}\n{kind.help}")
        item.setData(Qt.ItemDataRole.UserRole, kind.kind)
        item.setToolTip(kind.help)
        self.found.addItem(item)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() in (Qt.Key.Key_Down, Qt.Key.Key_Up):
            self._step(1 if event.key() == Qt.Key.Key_Down else -1)
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self._take(self.found.currentItem())
        else:
            super().keyPressEvent(event)

    def _step(self, by: int) -> None:
        at = self.found.currentRow() + by
        while 0 <= at < self.found.count() and not self.found.item(at).data(Qt.ItemDataRole.UserRole):
            at += by
        if 0 <= at < self.found.count():
            self.found.setCurrentRow(at)

    def _take(self, item: QListWidgetItem | None) -> None:
        kind = item.data(Qt.ItemDataRole.UserRole) if item is not None else None
        if kind:
            self.close()
            remember(kind)
            self.chosen.emit(kind)


class _TwoLines(QStyledItemDelegate):
    """A title, and below it a line of help, as much of it as there is room for."""

    def sizeHint(self, option: QStyleOptionViewItem, index: QModelIndex | QPersistentModelIndex) -> QSize:
        lines = str(index.data()).count("\n") + 1
        return QSize(option.rect.width(), lines * option.fontMetrics.height() + 8)

    def paint(
        self, p: QPainter, option: QStyleOptionViewItem, index: QModelIndex | QPersistentModelIndex
    ) -> None:  # fmt: skip
        t, (title, _, help_) = theme.current(), str(index.data()).partition("\n")
        place = option.rect.adjusted(6, 4, -6, -4)
        if not help_:
            p.setPen(t.colour("accent"))
            p.drawText(place, Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, title)
            return
        if option.state & QStyle.StateFlag.State_Selected:
            p.fillRect(option.rect, t.colour("soft"))
        icon: QIcon = index.data(Qt.ItemDataRole.DecorationRole)
        icon.paint(p, QRect(place.left(), place.center().y() - 10, 20, 20))
        place.adjust(30, 0, 0, 0)
        high = option.fontMetrics.height()
        p.setPen(t.colour("ink"))
        font = QFont(option.font)
        font.setBold(True)
        p.setFont(font)
        p.drawText(place.left(), place.top() + option.fontMetrics.ascent(), title)
        p.setFont(option.font)
        p.setPen(t.colour("quiet"))
        said = option.fontMetrics.elidedText(help_, Qt.TextElideMode.ElideRight, place.width())
        p.drawText(place.left(), place.top() + high + option.fontMetrics.ascent(), said)


def _words(kind: StepKind) -> str:
    return f"{kind.title} {kind.help} {view_of(kind.kind).also} {' '.join(kind.was)}".lower()


def _sections(session: Session) -> list[tuple[str, list[StepKind]]]:
    """What fits what is selected or found, what was added lately, and every kind in its group."""
    groups = dict[str, list[StepKind]]()
    for kind in KINDS.values():
        groups.setdefault(kind.group, []).append(kind)
    parts = [("Fits what is selected and found", fitting(session)), ("Recent", recent())]
    parts += [(title, groups[g]) for g, title in _TITLES.items() if g in groups]
    return [(title, kinds) for title, kinds in parts if kinds]


def fitting(session: Session) -> list[StepKind]:
    """The kinds that fix what is found in the result, then those that act on the selected joint."""
    repairs = [g.worst.repair.kind for g in session.evaluator.judgement.groups if not g.accepted and g.worst.repair]
    rig, joint = session.computed.rig, session.selection.joint
    end = rig is not None and bool(joint) and rig.limb(rig.part_of(joint)) is not None
    acts_on = ("joint", "end") if end else ("joint",) if joint else ()
    mine = [k for k in KINDS if view_of(k).acts_on in acts_on]
    mine.sort(key=lambda k: view_of(k).acts_on != "joint")
    return [KINDS[k] for k in dict.fromkeys((*repairs, *mine)) if k in KINDS][:_FIT]


def recent() -> list[StepKind]:
    """The kinds that were added last, the newest first."""
    kept = QSettings().value(_KEY, [])
    names = [kept] if isinstance(kept, str) else list(kept or [])  # type: ignore[call-overload]
    return [KINDS[str(n)] for n in names if str(n) in KINDS][:_RECENT]


def remember(kind: str) -> None:
    """A kind was added."""
    QSettings().setValue(_KEY, [kind, *(k.kind for k in recent() if k.kind != kind)][:_RECENT])
