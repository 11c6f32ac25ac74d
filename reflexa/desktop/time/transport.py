"""Playing, the frame, and the range: fields and buttons over the ruler."""

from __future__ import annotations

from PySide6.QtCore import QSize
from PySide6.QtWidgets import QHBoxLayout, QLabel, QSpinBox, QToolButton, QWidget

from reflexa.desktop.look import theme
from reflexa.desktop.widgets.qt_properties import named, styled
from reflexa.session import Session, line
from reflexa.words import counted


class Transport(QWidget):
    """A row; what more belongs into it is put before the range with ``add``."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self._row = QHBoxLayout(self)
        self._row.setContentsMargins(0, 0, 0, 0)
        self._row.setSpacing(2)
        self.buttons: dict[str, QToolButton] = {}
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
        self.frame_field = self._field("Frame")
        self.frame_field.valueChanged.connect(player.set_frame)
        self.clock = QLabel()
        self._row.addWidget(self.clock)
        self._row.addStretch(1)
        self._before_range = self._row.count()
        self._row.addSpacing(8)
        self._row.addWidget(named(QLabel("Range"), "quiet"))
        self.first_field = self._field("First frame of the range")
        self.first_field.valueChanged.connect(lambda v: line.set_range(session, first=v))
        self._row.addWidget(named(QLabel("to"), "quiet"))
        self.last_field = self._field("Last frame of the range")
        self.last_field.valueChanged.connect(lambda v: line.set_range(session, last=v))
        self.length = QLabel()
        self._row.addWidget(self.length)
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

    def _field(self, name: str) -> QSpinBox:
        field = styled(QSpinBox(), accessibleName=name)
        field.setFixedWidth(64)
        field.setKeyboardTracking(False)
        self._row.addWidget(field)
        return field

    def add(self, widget: QWidget) -> None:
        """Put something before the range."""
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
