"""When a step acts, set at the playhead: start here, hold until here, remove."""

from __future__ import annotations

from msgspec.structs import replace
from PySide6.QtWidgets import QGridLayout, QLabel, QPushButton, QSpinBox, QVBoxLayout, QWidget

from reflexa.desktop.widgets.numbers import put
from reflexa.desktop.widgets.qt_properties import named, styled
from reflexa.session import Session, line
from reflexa.steps.active_spans import PARTS, ActiveSpan, held_to, span_begun_at, with_frame


class SpanRows(QWidget):
    """A row of four frames for every span, and buttons that set one at the playhead. field: the setting that holds them."""

    def __init__(self, session: Session, field: str) -> None:
        super().__init__()
        self.session, self.field = session, field
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(4)
        self.grid = QGridLayout()
        self.grid.setSpacing(3)
        column.addLayout(self.grid)
        self.add = QPushButton("Act from this frame")
        self.add.setToolTip(
            "A span that acts fully from the playhead to the end; set its other frames in the row above"
        )
        self.add.clicked.connect(self._add)
        column.addWidget(self.add)
        self.hold = QPushButton("Hold to this frame")
        self.hold.setToolTip("The span that has begun last acts until the playhead and fades out after it")
        self.hold.clicked.connect(self._hold)
        column.addWidget(self.hold)
        self._boxes: list[list[QSpinBox]] = []

    def spans(self) -> tuple[ActiveSpan, ...]:
        step = self.session.step
        found: tuple[ActiveSpan, ...] = getattr(step.settings, self.field, ()) if step is not None else ()
        return found

    def set(self, label: str, spans: tuple[ActiveSpan, ...], merge: str = "") -> None:
        step = self.session.step
        if step is not None:
            line.edit_settings(self.session, label, replace(step.settings, **{self.field: spans}), merge)

    def _add(self) -> None:
        frame, last = self.session.player.frame, self.session.computed.frames - 1
        self.set("act from this frame", span_begun_at(self.spans(), frame, last))

    def _hold(self) -> None:
        held = held_to(self.spans(), self.session.player.frame, self.session.computed.frames - 1)
        if held is None:
            self.session.said.emit('No span begins before this frame. Use "Act from this frame" first.')
        else:
            self.set("hold to this frame", held)

    def refresh(self) -> None:
        """Bring the rows up to date."""
        spans = self.spans()
        if len(self._boxes) != len(spans):
            self._rebuild(len(spans))
        for boxes, span in zip(self._boxes, spans, strict=True):
            for box, part in zip(boxes, PARTS, strict=True):
                put(box, getattr(span, part))

    def _rebuild(self, rows: int) -> None:
        while (item := self.grid.takeAt(0)) is not None:
            if (old := item.widget()) is not None:
                old.deleteLater()
        self._boxes = []
        for c, title in enumerate(("from", "full", "until", "end") if rows else ()):
            self.grid.addWidget(named(QLabel(title), "quiet"), 0, c)
        for row in range(rows):
            boxes = []
            for c, part in enumerate(PARTS):
                box = styled(QSpinBox(minimum=-100_000, maximum=10_000_000), accessibleName=f"Span {row + 1}, {part}")
                box.setKeyboardTracking(False)
                box.setObjectName("narrow")
                box.setMinimumWidth(40)
                box.valueChanged.connect(lambda v, r=row, n=c: self._typed(r, n, v))
                self.grid.addWidget(box, row + 1, c)
                boxes.append(box)
            away = styled(QPushButton("×"), accessibleName=f"Remove span {row + 1}", toolTip="Remove this span")
            away.setFixedWidth(24)
            away.setObjectName("narrow")
            away.clicked.connect(lambda _=False, r=row: self._remove(r))
            self.grid.addWidget(away, row + 1, 4)
            self._boxes.append(boxes)

    def _remove(self, row: int) -> None:
        self.set("remove a span", tuple(r for i, r in enumerate(self.spans()) if i != row))

    def _typed(self, row: int, part: int, value: int) -> None:
        """A frame typed in; the others give way so that they still rise."""
        new = tuple(with_frame(r, part, value) if i == row else r for i, r in enumerate(self.spans()))
        self.set("set when it acts", new, merge=f"span {row} {part}")
