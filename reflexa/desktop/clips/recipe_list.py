"""The recipes of the project: each a name over the line of its steps. They are dragged onto takes and clips."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import QMimeData, QModelIndex, QPersistentModelIndex, QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QKeyEvent, QPainter, QPaintEvent
from PySide6.QtWidgets import (
    QListWidget,
    QListWidgetItem,
    QStyle,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QWidget,
)  # fmt: skip

from reflexa.desktop.dropping import of_recipe
from reflexa.desktop.kinds import view_of
from reflexa.desktop.look import theme
from reflexa.desktop.widgets.own_keys import keep_keys
from reflexa.steps import kind_of
from reflexa.take.recipe import Recipe

_RECIPE = Qt.ItemDataRole.UserRole
_HEIGHT, _BEAD, _GAP = 46, 20, 9
Index = QModelIndex | QPersistentModelIndex


def said_of(recipe: Recipe) -> str:
    """A recipe in a few lines."""
    steps = ", ".join(s.name or kind_of(s.kind).title for s in recipe.steps) or "no steps"
    left = ", ".join(p.name for p in recipe.parameters)
    return f"{recipe.name}\n{steps}" + (f"\nasks for: {left}" if left else "")


def draw_line(p: QPainter, room: QRectF, recipe: Recipe) -> None:
    """The steps of a recipe as beads on a string, in their order; those that are off are hollow."""
    t, y = theme.current(), room.center().y()
    fit = max(int((room.width() + _GAP) // (_BEAD + _GAP)), 1)
    steps = recipe.steps if len(recipe.steps) <= fit else recipe.steps[: fit - 1]
    p.setPen(t.colour("line"))
    if recipe.steps:
        p.drawLine(QPointF(room.x(), y), QPointF(room.x() + len(steps) * (_BEAD + _GAP) - _GAP, y))
    x = room.x()
    open_steps = {q.step for q in recipe.parameters}
    for step in steps:
        bead = QRectF(x, y - _BEAD / 2, _BEAD, _BEAD)
        p.setPen(t.colour("accent" if step.id in open_steps else "line"))
        p.setBrush(t.colour("soft" if step.on else "card"))
        p.drawEllipse(bead)
        icon = theme.icon(view_of(step.kind).icon or step.kind, "ink" if step.on else "quiet")
        p.drawPixmap(bead.adjusted(3, 3, -3, -3).toRect(), icon.pixmap(_BEAD - 6, _BEAD - 6))
        x += _BEAD + _GAP
    if len(steps) < len(recipe.steps):
        p.setPen(t.colour("quiet"))
        p.drawText(QRectF(x, y - 8, 40, 16), Qt.AlignmentFlag.AlignVCenter, f"+{len(recipe.steps) - len(steps)}")


class RecipeLine(QWidget):
    """The line of a recipe by itself."""

    def __init__(self, recipe: Recipe) -> None:
        super().__init__()
        self.recipe = recipe
        self.setFixedHeight(_BEAD + 6)
        self.setAccessibleName("Steps of the recipe")
        self.setToolTip(said_of(recipe))

    def paintEvent(self, event: QPaintEvent) -> None:
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        draw_line(p, QRectF(self.rect()).adjusted(2, 1, -2, -1), self.recipe)
        p.end()


class _Delegate(QStyledItemDelegate):
    def sizeHint(self, option: QStyleOptionViewItem, index: Index) -> QSize:
        return QSize(160, _HEIGHT)

    def paint(self, painter: QPainter, option: QStyleOptionViewItem, index: Index) -> None:
        t, p, recipe = theme.current(), painter, index.data(_RECIPE)
        box = QRectF(option.rect).adjusted(2, 2, -2, -2)
        state: QStyle.StateFlag = option.state
        p.save()
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        if state & (QStyle.StateFlag.State_Selected | QStyle.StateFlag.State_MouseOver):
            p.setPen(t.colour("accent") if state & QStyle.StateFlag.State_HasFocus else Qt.PenStyle.NoPen)
            p.setBrush(t.colour("soft"))
            p.drawRoundedRect(box, 6, 6)
        p.setFont(theme.strong(p.font()))
        p.setPen(t.colour("ink"))
        room = box.adjusted(7, 1, -5, 0)
        title = p.fontMetrics().elidedText(recipe.name, Qt.TextElideMode.ElideRight, int(room.width()))
        p.drawText(QRectF(room.x(), room.y(), room.width(), 17), Qt.AlignmentFlag.AlignVCenter, title)
        draw_line(p, QRectF(room.x(), room.y() + 17, room.width(), _BEAD + 3), recipe)
        p.restore()


class RecipeList(QListWidget):
    """``removal_wanted``: of a recipe, by the Delete key."""

    removal_wanted = Signal(str)

    def __init__(self) -> None:
        super().__init__()
        self.setAccessibleName("Recipes")
        self.setItemDelegate(_Delegate(self))
        self.setDragEnabled(True)
        self.setMouseTracking(True)
        self.setUniformItemSizes(True)
        self.setVerticalScrollMode(QListWidget.ScrollMode.ScrollPerPixel)
        self.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
        keep_keys(self, Qt.Key.Key_Delete)

    def fill(self, recipes: Sequence[Recipe]) -> None:
        """List those; the selected one stays so. It is as high as they are, up to three."""
        now = self.chosen()
        self.clear()
        for recipe in recipes:
            item = QListWidgetItem(recipe.name)
            item.setData(_RECIPE, recipe)
            item.setToolTip(f"{said_of(recipe)}\nDrag it onto a take or onto clips; double-click to run it over many.")
            self.addItem(item)
            if recipe.name == now:
                self.setCurrentItem(item)
        self.setFixedHeight(min(max(len(recipes), 1), 3) * _HEIGHT + 4)

    def chosen(self) -> str:
        """The name of the selected recipe, or an empty text."""
        item = self.currentItem()
        return str(item.data(_RECIPE).name) if item is not None else ""

    def mimeData(self, items: Sequence[QListWidgetItem]) -> QMimeData:
        return of_recipe(items[0].data(_RECIPE).name if items else "")

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_Delete and self.chosen():
            self.removal_wanted.emit(self.chosen())
        else:
            super().keyPressEvent(event)
