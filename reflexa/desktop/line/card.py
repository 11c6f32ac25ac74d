"""Cards of the revision line."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import QPoint, QSize, Qt, Signal
from PySide6.QtGui import QContextMenuEvent, QKeyEvent, QMouseEvent
from PySide6.QtWidgets import QFrame, QHBoxLayout, QLabel, QLineEdit, QSizePolicy, QSlider, QToolButton, QVBoxLayout

from reflexa.checks import Finding
from reflexa.desktop.kinds import view_of
from reflexa.desktop.line.ribbon import Ribbon
from reflexa.desktop.look import theme
from reflexa.desktop.widgets import labels
from reflexa.desktop.widgets.qt_properties import named, styled
from reflexa.desktop.widgets.switch import Switch
from reflexa.session import Session, findings, line
from reflexa.steps import Step, kind_of

_WHOLE = "It acts on the whole clip: it has no weight, envelope or mask."
CARD_SIZE = QSize(184, 64)


class _Name(labels.Eliding):
    renamed = Signal()

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        self.renamed.emit()


class Card(QFrame):
    """One card, known by ``id``. Clicking selects it, and so do Return and Space. ``step_wanted``: to the card beside it."""

    clicked = Signal(str)
    step_wanted = Signal(str, int)

    def __init__(self, id_: str, title: str, what: str, icon: str) -> None:
        super().__init__()
        self.setObjectName("card")
        self.id = id_
        self.setFixedSize(CARD_SIZE)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName(f"{what} {title}")
        column = QVBoxLayout(self)
        column.setContentsMargins(9, 5, 9, 5)
        column.setSpacing(2)
        self.top = QHBoxLayout()
        self.top.setSpacing(5)
        picture = QLabel()
        picture.setPixmap(theme.icon(icon, "accent").pixmap(18, 18))
        self.top.addWidget(picture)
        self.name = _Name(title)
        self.name.setStyleSheet("font-weight: 600;")
        self.top.addWidget(self.name, 1)
        column.addLayout(self.top)
        self.body = QVBoxLayout()
        self.body.setSpacing(2)
        column.addLayout(self.body, 1)

    def mark(self, chosen: bool) -> None:
        """Show whether it is the selected one."""
        said = "true" if chosen else "false"
        if self.property("chosen") != said:
            self.setProperty("chosen", said)
            self.style().unpolish(self)
            self.style().polish(self)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self.clicked.emit(self.id)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if not self.hasFocus():
            super().keyPressEvent(event)  # what a part of it does nothing with
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_Space):
            self.clicked.emit(self.id)
        elif event.key() in (Qt.Key.Key_Left, Qt.Key.Key_Right):
            self.step_wanted.emit(self.id, 1 if event.key() == Qt.Key.Key_Right else -1)
        else:
            super().keyPressEvent(event)


class StepCard(Card):
    """The card of a step: its switch, its weight, how much it changes. Dragging it moves the step; double-clicking its name
    renames it."""

    dragged = Signal(str, int)
    dropped = Signal(str, int)
    menu_wanted = Signal(str, QPoint)

    def __init__(self, session: Session, step: Step) -> None:
        kind = kind_of(step.kind)
        super().__init__(step.id, step.name, kind.title, view_of(step.kind).icon or step.kind)
        self.session = session
        self._press: QPoint | None = None
        self._home = QPoint()
        self._carried = False
        self.name.renamed.connect(self.rename)
        self.switch = Switch(step.on, "Step on", "Switch the step on or off")
        self.switch.clicked.connect(lambda on: line.switch(session, step.id, on))
        self.found = styled(QToolButton(), accessibleName="Findings caused and fixed", autoRaise=True)
        self.found.setFixedHeight(18)
        self.found.setSizePolicy(QSizePolicy.Policy.Maximum, QSizePolicy.Policy.Fixed)
        self.found.clicked.connect(lambda: findings.show_brought(session, step.id))
        self.found.hide()
        row = QHBoxLayout()
        row.setSpacing(5)
        row.addWidget(self.switch)
        self.summary = named(labels.Eliding(""), "quiet")
        self.slider: QSlider | None = None
        self.ribbon: Ribbon | None = None
        if kind.weighed:
            self._add_weight(row, step)
        else:
            row.addWidget(self.summary, 1)
        row.addWidget(self.found)
        self.body.addLayout(row)
        self.body.addStretch(1)
        if kind.weighed:
            self.ribbon = Ribbon()
            self.body.addWidget(self.ribbon)

    def _add_weight(self, row: QHBoxLayout, step: Step) -> None:
        self.slider = styled(
            QSlider(Qt.Orientation.Horizontal), minimum=0, maximum=100, accessibleName=f"Weight of {step.name}"
        )
        self.slider.valueChanged.connect(lambda v: line.weigh(self.session, step.id, v / 100))
        self.slider.sliderReleased.connect(self.session.history.end_merge)
        self.weight = QLabel()
        self.weight.setFixedWidth(42)
        self.weight.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        row.addWidget(self.slider, 1)
        row.addWidget(self.weight)

    def show_step(self, step: Step, later: tuple[Step, ...]) -> None:
        """Show the step as it is now. later: the steps behind it."""
        marks = [m for m, has in (("locked", step.locked), ("alone", self.session.selection.solo == step.id)) if has]
        self.name.setText(f"{step.name} · {', '.join(marks)}" if marks else step.name)
        self.switch.setChecked(step.on)
        said = _summary(step, later)
        if self.slider is not None:
            self.slider.blockSignals(True)
            self.slider.setValue(round(step.weight * 100))
            self.slider.blockSignals(False)
            self.weight.setText(f"{round(step.weight * 100)} %" if step.on else "off")
        elif not step.on:
            said = "off"
        if self.slider is None:
            self.summary.setText(said)
            self.summary.setToolTip(said)
            self.setToolTip(f"{step.name}: {said}\n{_WHOLE}" if said else _WHOLE)
        else:
            self.setToolTip(f"{step.name}: {said}" if said else step.name)

    def show_problem(self, needs: str) -> None:
        """Warn of what the step needs before it can be run; an empty text: of nothing."""
        self.name.setToolTip(needs or self.name.text())
        labels.say(self.name, "warn" if needs else "")

    def show_findings(self, brought: Sequence[Finding], fixed: Sequence[Finding]) -> None:
        """Mark what the step brought in and what it fixed."""
        marks = [f"+{len(brought)}"] * bool(brought) + [f"\u2212{len(fixed)}"] * bool(fixed)
        self.found.setText(" ".join(marks))
        self.found.setVisible(bool(marks))
        self.found.setObjectName("warn" if brought else "quiet")
        self.found.style().polish(self.found)
        lines = [f"{title}: {_told(fs)}" for title, fs in (("Caused", brought), ("Fixed", fixed)) if fs]
        self.found.setToolTip("\n".join(lines))

    def rename(self) -> None:
        """Edit the name in its place."""
        step = self.session.take.step(self.id) if self.session.take is not None else None
        if step is None:
            return
        field = QLineEdit(step.name, self)
        field.setGeometry(self.name.geometry().adjusted(-4, -4, 4, 4))
        field.selectAll()
        field.show()
        field.setFocus()

        def finish() -> None:
            text = field.text().strip()
            field.deleteLater()
            if text and text != step.name:
                line.rename(self.session, self.id, text)

        field.returnPressed.connect(self.setFocus)
        field.editingFinished.connect(finish)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self._press = event.globalPosition().toPoint()
        self._home = self.pos()
        super().mousePressEvent(event)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        """The card follows the hand along the line."""
        if self._press is None:
            return
        by = event.globalPosition().toPoint() - self._press
        if self._carried or by.manhattanLength() > 10:
            self._carried = True
            self.raise_()
            self.move(self._home.x() + by.x(), self._home.y())
            self.dragged.emit(self.id, self.geometry().center().x())

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        carried, self._carried, self._press = self._carried, False, None
        if carried:
            self.dropped.emit(self.id, self.geometry().center().x())

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:
        self.clicked.emit(self.id)
        self.menu_wanted.emit(self.id, event.globalPos())


def _told(found: Sequence[Finding], most: int = 4) -> str:
    """Findings in a few words, the worst first."""
    said = [f.text for f in sorted(found, key=lambda f: -f.weight)[:most]]
    return "; ".join([*said, f"and {len(found) - most} more"] if len(found) > most else said)


def _summary(step: Step, later: tuple[Step, ...]) -> str:
    """What the step says of itself in a few words, and which later one takes over from it."""
    kind = kind_of(step.kind)
    said = kind.summary(step.settings) if kind.summary is not None else ""
    overrules = kind.overrules
    if overrules is None:
        return said
    after = next((s for s in later if s.acts and s.kind == step.kind and overrules(step.settings, s.settings)), None)
    return f"{said}, until {after.name}" if after is not None else said
