"""Playing, the frame, and the range: fields and buttons over the ruler."""

from __future__ import annotations

from PySide6.QtCore import QPoint, QSize, Qt
from PySide6.QtGui import QResizeEvent
from PySide6.QtWidgets import QFrame, QHBoxLayout, QLabel, QSpinBox, QToolButton, QWidget

from reflexa.desktop.look import theme
from reflexa.desktop.widgets.qt_properties import named, styled
from reflexa.session import Session, line
from reflexa.words import counted


class Transport(QWidget):
    """A row; what more belongs into it is put before the range with ``add``. Where there is little room, the clock goes, and the
    range folds into a button that opens it."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self._row = QHBoxLayout(self)
        self._row.setContentsMargins(0, 0, 0, 0)
        self._row.setSpacing(2)
        self.buttons: dict[str, QToolButton] = {}
        self._added: list[QWidget] = []
        player = session.player
        for id_, tip, call in (
            ("first", "To the start of the range (Home)", lambda: player.set_frame(session.computed.range[0])),
            ("previous", "One frame back (Left)", lambda: player.set_frame(player.frame - 1)),
            ("play", "Play or pause (Space)", player.toggle),
            ("next", "One frame forward (Right)", lambda: player.set_frame(player.frame + 1)),
            ("last", "To the end of the range (End)", lambda: player.set_frame(session.computed.range[1])),
            ("loop", "Loop playback", self._toggle_loop),
        ):
            button = styled(QToolButton(), toolTip=tip, accessibleName=tip)
            button.setIconSize(QSize(20, 20))
            button.clicked.connect(call)
            self._row.addWidget(button)
            self.buttons[id_] = button
        self.buttons["loop"].setCheckable(True)
        self.buttons["loop"].setChecked(player.looping)
        self._row.addSpacing(10)
        self._row.addWidget(named(QLabel("Frame"), "quiet"))
        self.frame_field = self._field("Frame", self._row)
        self.frame_field.valueChanged.connect(player.set_frame)
        self.clock = QLabel()
        self._row.addWidget(self.clock)
        self._row.addStretch(1)
        self._before_range = self._row.count()
        self._add_range()
        player.moved.connect(self._on_moved)
        for signal in (
            player.changed,
            session.take_changed,
            session.evaluator.done,
            session.selection.looked,
        ):
            signal.connect(self.refresh)
        self.refresh_icons()
        self.refresh()

    def _field(self, name: str, row: QHBoxLayout) -> QSpinBox:
        field = styled(QSpinBox(), accessibleName=name, toolTip=name)
        field.setFixedWidth(64)
        field.setKeyboardTracking(False)
        row.addWidget(field)
        return field

    def _add_range(self) -> None:
        session = self.session
        self.range = QWidget()
        row = QHBoxLayout(self.range)
        row.setContentsMargins(8, 0, 0, 0)
        row.setSpacing(2)
        row.addWidget(named(QLabel("Range"), "quiet"))
        self.first_field = self._field("First frame of the range", row)
        self.first_field.valueChanged.connect(lambda v: line.set_range(session, first=v))
        row.addWidget(named(QLabel("to"), "quiet"))
        self.last_field = self._field("Last frame of the range", row)
        self.last_field.valueChanged.connect(lambda v: line.set_range(session, last=v))
        self.length = QLabel()
        row.addWidget(self.length)
        self._row.addWidget(self.range)
        self.range_button = styled(
            QToolButton(), text="Range …", toolTip="The frames of the range", accessibleName="Range"
        )
        self.range_button.clicked.connect(self._open_range)
        self.range_button.hide()
        self._row.addWidget(self.range_button)
        self._folded = QFrame(self, Qt.WindowType.Popup)
        QHBoxLayout(self._folded).setContentsMargins(6, 6, 6, 6)

    def minimumSizeHint(self) -> QSize:
        least = super().minimumSizeHint()
        away = [w for w in (self.clock, self.range) if w.isVisibleTo(self)]
        width = least.width() - sum(w.sizeHint().width() for w in away)
        # Folded, the button stands where the range was.
        return QSize(width if self.range_folded else width + self.range_button.sizeHint().width(), least.height())

    @property
    def range_folded(self) -> bool:
        """True while the range is behind its button."""
        return self.range.parentWidget() is self._folded

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self.fit()

    def fit(self) -> None:
        """Show what there is room for: the range before the clock."""
        squeezed = (
            w.sizeHint().width() - w.minimumWidth() for w in self._added if w.minimumWidth() and w.isVisibleTo(self)
        )
        room = self.width() - self.minimumSizeHint().width() - sum(squeezed)
        self._fold_range(room + self.range_button.sizeHint().width() < self.range.sizeHint().width())
        if not self.range_folded:
            room -= self.range.sizeHint().width() - self.range_button.sizeHint().width()
        self.clock.setVisible(room >= self.clock.sizeHint().width())

    def _fold_range(self, away: bool) -> None:
        if away == self.range_folded:
            return
        layout = self._folded.layout() if away else self._row
        assert layout is not None
        layout.addWidget(self.range)
        self.range.setVisible(True)
        self.range_button.setVisible(away)
        self._folded.hide()

    def _open_range(self) -> None:
        corner = self.range_button.mapToGlobal(self.range_button.rect().bottomRight())
        self._folded.adjustSize()
        self._folded.move(corner - QPoint(self._folded.width(), 0))
        self._folded.show()
        self.first_field.setFocus()

    def add(self, widget: QWidget) -> None:
        """Put something before the range."""
        self._added.append(widget)
        self._row.insertWidget(self._before_range, widget)
        self._before_range += 1

    def refresh_icons(self) -> None:
        """Icons in the colours of the theme, and as it plays or not."""
        for id_, button in self.buttons.items():
            button.setIcon(theme.icon("pause" if id_ == "play" and self.session.player.playing else id_))

    def _toggle_loop(self) -> None:
        self.session.player.looping = self.buttons["loop"].isChecked()

    def _time(self, frame: int) -> str:
        clip, end = self.session.computed.shown, self.session.computed.frames - 1
        rate = clip.rate if clip is not None else 30.0
        return f"  {frame / rate:.2f} s of {end / rate:.2f} s, {rate:g} fps"

    def _on_moved(self) -> None:
        self.frame_field.blockSignals(True)
        self.frame_field.setValue(self.session.player.frame)
        self.frame_field.blockSignals(False)
        self.clock.setText(self._time(self.session.player.frame))

    def refresh(self) -> None:
        """Show where the playhead and the range are."""
        session, player = self.session, self.session.player
        (first, last), end = session.computed.range, session.computed.frames - 1
        for field, value, low, high in (
            (self.frame_field, player.frame, 0, end),
            (self.first_field, first, 0, last),
            (self.last_field, last, first, end),
        ):
            if not field.hasFocus() or field is self.frame_field:
                field.blockSignals(True)
                field.setRange(low, high)
                field.setValue(value)
                field.blockSignals(False)
        clip = session.computed.shown
        rate = clip.rate if clip else 30.0
        # Of one size whatever it says: a text that wants more room has the whole area laid out anew, every frame.
        self.clock.setFixedSize(
            self.clock.fontMetrics().horizontalAdvance(self._time(end)) + 4, self.frame_field.height()
        )
        self.clock.setText(self._time(player.frame))
        count = last - first + 1
        self.length.setText(f"  {counted(count, 'frame')}")
        self.length.setToolTip(f"The range is {(last - first) / rate:.2f} s long")
        self.buttons["play"].setIcon(theme.icon("pause" if player.playing else "play"))
        for button in self.buttons.values():
            button.setEnabled(clip is not None)
