"""Source → step → step → + → Result: the order of computation, as cards."""

from __future__ import annotations

import msgspec
import numpy as np
from PySide6.QtCore import QPoint, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QContextMenuEvent, QMouseEvent, QPainter
from PySide6.QtWidgets import (
    QFrame,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QMenu,
    QScrollArea,
    QSizePolicy,
    QSlider,
    QToolButton,
    QVBoxLayout,
    QWidget,
)  # fmt: skip

from reflexa.desktop import theme
from reflexa.desktop.session import RESULT_CARD, SOURCE_CARD, Session
from reflexa.motion.arrays import Array
from reflexa.steps import KINDS, Step
from reflexa.steps.correction import CorrectionSettings
from reflexa.steps.goal import GoalSettings
from reflexa.steps.root_joint import RootJointSettings

CARD_SIZE = QSize(178, 84)


class Switch(QToolButton):
    """An on/off switch."""

    def __init__(self, on: bool) -> None:
        super().__init__(checkable=True, checked=on)
        self.setFixedSize(30, 18)
        self.setAccessibleName("Step on")
        self.setToolTip("Switch the step on or off")

    def paintEvent(self, _: object) -> None:
        t = theme.current()
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        on = self.isChecked()
        box = QRectF(2, 2, 26, 14)
        p.setPen(t.colour("accent") if self.hasFocus() or on else t.colour("quiet"))
        p.setBrush(t.colour("accent") if on else t.colour("panel"))
        p.drawRoundedRect(box, 7, 7)
        p.setPen(Qt.PenStyle.NoPen)
        p.setBrush(t.colour("on_accent") if on else t.colour("quiet"))
        p.drawEllipse(QRectF(16 if on else 4, 4, 10, 10))
        p.end()


class Ribbon(QWidget):
    """How much a step changes the pose at each frame, as a strip over the clip's time."""

    def __init__(self) -> None:
        super().__init__()
        self.setFixedHeight(11)
        self._values: Array = np.zeros(0)

    def set_values(self, values: Array) -> None:
        self._values = values
        most = float(values.max()) if len(values) else 0.0
        mean = float(values.mean()) if len(values) else 0.0
        self.setToolTip(
            f"Change of the pose over time: mean {mean:.2f}°, most {most:.2f}° a joint"
            if most > 0
            else "Changes nothing"
        )
        self.update()

    def paintEvent(self, _: object) -> None:
        t = theme.current()
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        p.setPen(Qt.PenStyle.NoPen)
        p.setBrush(t.colour("soft"))
        p.drawRoundedRect(QRectF(self.rect()), 3, 3)
        n = len(self._values)
        if n and self._values.max() > 1e-9:
            width = self.width()
            columns = np.arange(width) * n // width
            # Small changes must still be seen: the strip grows with the square root.
            height = np.sqrt(self._values[np.minimum(columns, n - 1)] / self._values.max()) * self.height()
            p.setRenderHint(QPainter.RenderHint.Antialiasing, False)
            p.setBrush(t.colour("accent"))
            for x, h in enumerate(height):
                if h > 0.3:
                    p.drawRect(QRectF(x, self.height() - max(1.5, h), 1, max(1.5, h)))
        p.end()


class _Name(QLabel):
    """A name that ends in dots where its card is too narrow; the whole of it is in the tip."""

    def __init__(self, text: str) -> None:
        super().__init__(text)
        self.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)

    def paintEvent(self, _: object) -> None:
        p = QPainter(self)
        text = self.fontMetrics().elidedText(self.text(), Qt.TextElideMode.ElideRight, self.width())
        p.drawText(self.rect(), Qt.AlignmentFlag.AlignVCenter, text)
        p.end()


class Card(QFrame):
    """One card. Clicking selects it; dragging it moves the step; double-clicking the name renames it."""

    clicked = Signal(int)
    dragged = Signal(int, int)
    dropped = Signal(int, int)
    menu_wanted = Signal(int, QPoint)

    def __init__(self, number: int, title: str, kind: str, icon: str) -> None:
        super().__init__(objectName="card")
        self.number = number
        self.setFixedSize(CARD_SIZE)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName(f"{kind} {title}")
        self._press: QPoint | None = None
        self._home = QPoint()
        self._carried = False
        column = QVBoxLayout(self)
        column.setContentsMargins(9, 7, 9, 7)
        column.setSpacing(3)
        self.top = QHBoxLayout()
        self.top.setSpacing(5)
        picture = QLabel()
        picture.setPixmap(theme.icon(icon, "accent").pixmap(18, 18))
        self.top.addWidget(picture)
        self.name = _Name(title)
        self.name.setStyleSheet("font-weight: 600;")
        self.name.setToolTip(title)
        self.top.addWidget(self.name, 1)
        column.addLayout(self.top)
        self.body = QVBoxLayout()
        self.body.setSpacing(3)
        column.addLayout(self.body, 1)

    def mousePressEvent(self, e: QMouseEvent) -> None:
        self._press = e.globalPosition().toPoint()
        self._home = self.pos()
        self.clicked.emit(self.number)

    def mouseMoveEvent(self, e: QMouseEvent) -> None:
        """A step's card follows the hand along the line."""
        if self._press is None or self.number < 0:
            return
        by = e.globalPosition().toPoint() - self._press
        if self._carried or by.manhattanLength() > 10:
            self._carried = True
            self.raise_()
            self.move(self._home.x() + by.x(), self._home.y())
            self.dragged.emit(self.number, self.geometry().center().x())

    def mouseReleaseEvent(self, e: QMouseEvent) -> None:
        carried, self._carried, self._press = self._carried, False, None
        if carried:
            self.dropped.emit(self.number, self.geometry().center().x())

    def contextMenuEvent(self, e: QContextMenuEvent) -> None:
        self.clicked.emit(self.number)
        self.menu_wanted.emit(self.number, e.globalPos())

    def keyPressEvent(self, e: object) -> None:
        if e.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.clicked.emit(self.number)
        else:
            super().keyPressEvent(e)


class RevisionLine(QScrollArea):
    """The cards of the current take."""

    export_wanted = Signal()

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.setWidgetResizable(True)
        self.setFixedHeight(110)
        self.setVerticalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setAccessibleName("Revision line")
        self._inner = QWidget()
        self._row = QHBoxLayout(self._inner)
        self._row.setContentsMargins(8, 6, 8, 6)
        self._row.setSpacing(4)
        self.setWidget(self._inner)
        self.cards: dict[int, Card] = {}
        self.taps: dict[int, QToolButton] = {}
        self._ribbons: dict[int, Ribbon] = {}
        self._goals: dict[int, QLabel] = {}
        self._sliders: dict[int, QSlider] = {}
        self._weights: dict[int, QLabel] = {}
        self._switches: dict[int, Switch] = {}
        self._shape: object = None
        session.take_changed.connect(self.refresh)
        session.selection_changed.connect(self._mark)
        session.view_changed.connect(self._mark)
        session.evaluated.connect(self._show_values)
        self.refresh()

    def refresh(self) -> None:
        """Rebuild the cards where their number, kinds or names changed; else only bring them up to date."""
        take = self.session.take
        shape = (theme.current().name, take and (take.name, take.source, tuple((s.kind, s.name) for s in take.steps)))
        if shape != self._shape:
            self._shape = shape
            self._rebuild()
        if take is not None:
            for i, step in enumerate(take.steps):
                self._switches[i].setChecked(step.on)
                marks = [m for m, has in (("locked", step.locked), ("alone", self.session.solo == i)) if has]
                self.cards[i].name.setText(f"{step.name} · {', '.join(marks)}" if marks else step.name)
                if i in self._sliders:
                    slider = self._sliders[i]
                    slider.blockSignals(True)
                    slider.setValue(round(step.weight * 100))
                    slider.blockSignals(False)
                    self._weights[i].setText(f"{round(step.weight * 100)} %" if step.on else "off")
                else:
                    self._weights[i].setText(_carries(step) if step.on else "off")
                self.cards[i].setEnabled(True)
                if i in self._goals:
                    text = _goes(step.settings, take.steps[i + 1 :])
                    width = CARD_SIZE.width() - 24
                    self._goals[i].setText(self.fontMetrics().elidedText(text, Qt.TextElideMode.ElideRight, width))
                    self._goals[i].setToolTip(text)
        self._mark()
        self._show_values()

    def _rebuild(self) -> None:
        while self._row.count():
            widget = self._row.takeAt(0).widget()
            if widget is not None:
                widget.hide()
                widget.deleteLater()
        for table in (self.cards, self.taps, self._ribbons, self._sliders, self._weights, self._switches, self._goals):
            table.clear()
        take = self.session.take
        if take is None:
            label = QLabel(
                "Make a take: double-click a clip on the left, or drop a motion file on the window.", objectName="quiet"
            )
            self._row.addWidget(label)
            self._row.addStretch(1)
            return
        source = self._add_card(SOURCE_CARD, "Source", "Source", "source")
        clip = QLabel(take.source.clip)
        clip.setToolTip(f"{take.source.clip} in {take.source.file}")
        source.body.addWidget(clip)
        self._source_facts = QLabel("", objectName="quiet")
        source.body.addWidget(self._source_facts)
        source.body.addStretch(1)
        self._add_tap(SOURCE_CARD, "the source")
        for i, step in enumerate(take.steps):
            card = self._add_card(i, step.name, KINDS[step.kind].title, step.kind)
            switch = Switch(step.on)
            switch.clicked.connect(lambda on, n=i: self._set_on(n, on))
            card.top.addWidget(switch)
            if isinstance(step.settings, CorrectionSettings) and step.settings.how == "replace":
                card.body.addWidget(QLabel("replaces what is below", objectName="quiet"))
            if isinstance(step.settings, GoalSettings):
                self._goals[i] = QLabel(objectName="quiet")
                card.body.addWidget(self._goals[i])
            card.dragged.connect(self._drag)
            card.dropped.connect(self._drop)
            card.menu_wanted.connect(self._menu)
            self._switches[i] = switch
            if KINDS[step.kind].carry is not None:
                # Another rig cannot be had by half: no weight, and no picture of how much changes.
                text = QLabel(objectName="quiet")
                text.setToolTip(
                    "This step takes the clip to another rig as a whole: it has no weight, envelope or mask."
                )
                card.body.addWidget(text)
                card.body.addStretch(1)
                self._weights[i] = text
                self._add_tap(i, step.name)
                continue
            weigh = QHBoxLayout()
            slider = QSlider(Qt.Orientation.Horizontal, minimum=0, maximum=100)
            slider.setAccessibleName(f"Weight of {step.name}")
            slider.valueChanged.connect(lambda v, n=i: self._set_weight(n, v))
            slider.sliderReleased.connect(self.session.end_merge)
            text = QLabel()
            text.setFixedWidth(42)
            text.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
            weigh.addWidget(slider)
            weigh.addWidget(text)
            card.body.addLayout(weigh)
            card.body.addStretch(1)
            ribbon = Ribbon()
            card.body.addWidget(ribbon)
            self._ribbons[i], self._sliders[i], self._weights[i] = ribbon, slider, text
            self._add_tap(i, step.name)
        self.plus = QToolButton(toolTip="Add a step after the selected card")
        self.plus.setIcon(theme.icon("add", "accent"))
        self.plus.setIconSize(QSize(22, 22))
        self.plus.setFixedSize(38, 38)
        self.plus.setAccessibleName("Add a step")
        menu = QMenu(self.plus)
        for kind in KINDS.values():
            action = menu.addAction(theme.icon(kind.kind), kind.title, lambda k=kind.kind: self.session.add_step(k))
            action.setToolTip(kind.help)
        menu.setToolTipsVisible(True)
        self.plus.setMenu(menu)
        self.plus.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        self._row.addWidget(self.plus)
        self._row.addWidget(_arrow())
        result = self._add_card(RESULT_CARD, "Result", "Result", "result")
        self._result_facts = QLabel("", objectName="quiet")
        result.body.addWidget(self._result_facts)
        result.body.addStretch(1)
        button = QToolButton(text="Export…", toolTip="Write a new clip asset")
        button.setIcon(theme.icon("export", "accent"))
        button.setToolButtonStyle(Qt.ToolButtonStyle.ToolButtonTextBesideIcon)
        button.clicked.connect(self.export_wanted)
        self._found = QLabel("", objectName="quiet")
        low = QHBoxLayout()
        low.addWidget(button)
        low.addStretch(1)
        low.addWidget(self._found)
        result.body.addLayout(low)
        self._row.addStretch(1)

    def _add_card(self, number: int, title: str, kind: str, icon: str) -> Card:
        card = Card(number, title, kind, icon)
        card.clicked.connect(self._clicked)
        if number >= 0:
            card.name.mouseDoubleClickEvent = lambda _e, n=number: self.rename(n)
        self._row.addWidget(card)
        self.cards[number] = card
        return card

    def _add_tap(self, number: int, name: str) -> None:
        tap = QToolButton(checkable=True, toolTip=f"Tap: show the figure as it is after {name}")
        tap.setIcon(theme.icon("tap", "quiet"))
        tap.setIconSize(QSize(20, 20))
        tap.setAccessibleName(f"Show the figure after {name}")
        tap.clicked.connect(lambda on, n=number: self.session.set_tap(n if on else RESULT_CARD))
        self._row.addWidget(tap)
        self.taps[number] = tap

    def _clicked(self, number: int) -> None:
        self.session.select_card(number)
        if number == RESULT_CARD:
            self.session.set_tap(RESULT_CARD)

    def _mark(self) -> None:
        for number, card in self.cards.items():
            chosen = "true" if number == self.session.card else "false"
            if card.property("chosen") != chosen:
                card.setProperty("chosen", chosen)
                card.style().unpolish(card)
                card.style().polish(card)
        for number, tap in self.taps.items():
            tap.setChecked(number == self.session.tap)

    def _show_values(self) -> None:
        session = self.session
        take = session.take
        if take is None or RESULT_CARD not in self.cards:
            return
        clip = session.source_clip
        if clip is not None:
            self._source_facts.setText(f"{clip.frames} frames, {clip.rate:g} a second")
        else:
            self._source_facts.setText("missing")
        for i in range(len(take.steps)):
            if i in self.cards:
                needs = session.problems.get(i, "")
                self.cards[i].setToolTip(needs)
                _say(self.cards[i].name, "warn" if needs else "")
        result = session.result
        if result is not None:
            first, last = session.range
            count = last - first + 1
            self._result_facts.setText(f"{count} frames, {(count - 1) / result.rate:.2f} s")
            found = len(self.session.findings)
            self._found.setText(f"{found} finding{'s' if found > 1 else ''}" if found else "")
            _say(self._found, "warn" if found else "quiet")
        if session.evaluation is not None:
            for i, values in enumerate(session.evaluation.ribbons):
                if i in self._ribbons:
                    self._ribbons[i].set_values(values)

    def _set_on(self, number: int, on: bool) -> None:
        step = self.session.take.steps[number]
        self.session.edit_step(
            f"switch {step.name} {'on' if on else 'off'}", msgspec.structs.replace(step, on=on), index=number
        )

    def _set_weight(self, number: int, value: int) -> None:
        step = self.session.take.steps[number]
        new = msgspec.structs.replace(step, weight=value / 100)
        self.session.edit_step(f"weigh {step.name}", new, merge=f"weight {number}", index=number)

    def rename(self, number: int) -> None:
        """Edit the name in its place."""
        card = self.cards[number]
        step = self.session.take.steps[number]
        field = QLineEdit(step.name, card)
        field.setGeometry(card.name.geometry().adjusted(-4, -4, 4, 4))
        field.selectAll()
        field.show()
        field.setFocus()

        def finish() -> None:
            text = field.text().strip()
            field.deleteLater()
            if text and text != step.name:
                self.session.rename_step(number, text)

        field.returnPressed.connect(self.setFocus)
        field.editingFinished.connect(finish)

    def _menu(self, number: int, at: QPoint) -> None:
        if number < 0:
            return
        menu = QMenu(self)
        count = len(self.session.take.steps)
        menu.addAction("Rename", lambda: self.rename(number))
        menu.addAction("Duplicate", lambda: self.duplicate(number))
        left = menu.addAction("Earlier", lambda: self.session.move_step(number, number - 1))
        left.setEnabled(number > 0)
        right = menu.addAction("Later", lambda: self.session.move_step(number, number + 1))
        right.setEnabled(number < count - 1)
        menu.addSeparator()
        solo = menu.addAction("Show it alone", lambda: self.toggle_solo(number))
        solo.setCheckable(True)
        solo.setChecked(self.session.solo == number)
        lock = menu.addAction("Lock", lambda: self.toggle_lock(number))
        lock.setCheckable(True)
        lock.setChecked(self.session.take.steps[number].locked)
        menu.addSeparator()
        menu.addAction(theme.icon("delete"), "Remove", lambda: self.session.remove_step(number))
        menu.exec(at)

    def toggle_solo(self, number: int) -> None:
        """Show a step alone, or all of them again."""
        self.session.set_solo(-1 if self.session.solo == number else number)

    def toggle_lock(self, number: int) -> None:
        """Lock a step against edits, or unlock it."""
        step = self.session.take.steps[number]
        new = msgspec.structs.replace(step, locked=not step.locked)
        self.session.edit_step("unlock" if step.locked else "lock", new, index=number)

    def duplicate(self, number: int) -> None:
        """A copy of a step behind it."""
        from reflexa.names import free_name
        from reflexa.take.model import insert_step

        take = self.session.take
        step = take.steps[number]
        name = free_name(step.name, {s.name for s in take.steps})
        self.session.card = number + 1
        self.session.edit_take(
            f"duplicate {step.name}", insert_step(take, number + 1, msgspec.structs.replace(step, name=name))
        )
        self.session.selection_changed.emit()

    def _place(self, x: int, number: int) -> int:
        """The position among the other steps of a card whose middle is at ``x``."""
        others = [n for n in sorted(self.cards) if n >= 0 and n != number]
        return sum(1 for n in others if self.cards[n].geometry().center().x() < x)

    def _drag(self, number: int, x: int) -> None:
        to = self._place(x, number)
        name = self.session.take.steps[number].name
        self.session.said.emit(f"{name}: becomes step {to + 1}" if to != number else f"{name}: stays step {number + 1}")

    def _drop(self, number: int, x: int) -> None:
        to = self._place(x, number)
        self._row.invalidate()  # puts the card back where it belongs
        self._row.activate()
        self.session.move_step(number, to)


def _arrow() -> QLabel:
    label = QLabel()
    label.setPixmap(theme.icon("tap", "quiet").pixmap(20, 20))
    return label


def _carries(step: Step) -> str:
    """What a step makes of the rig: which it goes onto, or what it adds."""
    if isinstance(step.settings, RootJointSettings):
        return f"adds {step.settings.called}"
    return f"onto {getattr(step.settings, 'rig', '') or 'a rig to be chosen'}"


def _goes(settings: GoalSettings, later: tuple[Step, ...]) -> str:
    """Where a goal leads its limb, and which later one takes it on."""
    to = {"grip": settings.prop, "joint": settings.joint}.get(settings.to, "") or "a point"
    after = next(
        (s.name for s in later if s.on and isinstance(s.settings, GoalSettings) and s.settings.limb == settings.limb),
        "",
    )
    return f"{settings.limb}, until {after}" if after else f"{settings.limb} → {to}"


def _say(label: QLabel, how: str) -> None:
    """Show a label as plain, quiet or a warning."""
    if label.objectName() != how:
        label.setObjectName(how)
        label.style().unpolish(label)
        label.style().polish(label)
