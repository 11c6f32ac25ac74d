"""When a goal acts, set at the playhead: reach at this frame, hold to that one, let go."""

from __future__ import annotations

import msgspec
from PySide6.QtWidgets import QGridLayout, QLabel, QPushButton, QSpinBox, QVBoxLayout, QWidget

from reflexa.desktop.fields import put
from reflexa.desktop.session import Session
from reflexa.steps.goal import Reach

EASE = 8  # frames that a reach takes to begin with
PARTS = ("start", "at", "until", "end")


class ReachRows(QWidget):
    """A row of four frames for every reach, and a button that puts one in at the playhead."""

    def __init__(self, session: Session, field: str) -> None:
        super().__init__()
        self.session, self.field = session, field
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(4)
        self.grid = QGridLayout()
        self.grid.setSpacing(3)
        column.addLayout(self.grid)
        self.add = QPushButton("Reach at this frame")
        self.add.setToolTip("It is there at the playhead, and holds to the end; set the other frames beside")
        self.add.clicked.connect(self._add)
        column.addWidget(self.add)
        self.hold = QPushButton("Hold to this frame")
        self.hold.setToolTip("The last reach that has begun is held to the playhead, and let go after it")
        self.hold.clicked.connect(self._hold)
        column.addWidget(self.hold)
        self._boxes: list[list[QSpinBox]] = []

    def reaches(self) -> tuple[Reach, ...]:
        step = self.session.step
        found: tuple[Reach, ...] = getattr(step.settings, self.field, ()) if step is not None else ()
        return found

    def set(self, label: str, reaches: tuple[Reach, ...], merge: str = "") -> None:
        step = self.session.step
        if step is not None:
            settings = msgspec.structs.replace(step.settings, **{self.field: reaches})
            self.session.edit_step(label, msgspec.structs.replace(step, settings=settings), merge)

    def _add(self) -> None:
        frame, last = self.session.frame, self.session.frames - 1
        new = Reach(max(frame - EASE, 0), frame, last, last)
        # One that is held to the end gives way to the one that begins later.
        before = tuple(
            msgspec.structs.replace(r, until=max(r.at, min(r.until, new.start)), end=max(r.at, min(r.end, frame)))
            for r in self.reaches() if r.at < frame
        )  # fmt: skip
        self.set("reach at this frame", (*before, new))

    def _hold(self) -> None:
        frame, last = self.session.frame, self.session.frames - 1
        reaches = list(self.reaches())
        at = max((i for i, r in enumerate(reaches) if r.at <= frame), default=-1)
        if at < 0:
            self.session.said.emit("Nothing has been reached before this frame: use Reach at this frame first.")
            return
        reaches[at] = msgspec.structs.replace(reaches[at], until=frame, end=min(frame + EASE, last))
        self.set("hold to this frame", tuple(reaches))

    def refresh(self) -> None:
        """Bring the rows up to date."""
        reaches = self.reaches()
        if len(self._boxes) != len(reaches):
            while (item := self.grid.takeAt(0)) is not None:
                if item.widget() is not None:
                    item.widget().deleteLater()
            self._boxes = []
            for c, title in enumerate(("from", "there", "held to", "gone")):
                if reaches:
                    self.grid.addWidget(QLabel(title, objectName="quiet"), 0, c)
            for row in range(len(reaches)):
                boxes = []
                for c, part in enumerate(PARTS):
                    box = QSpinBox(minimum=-100_000, maximum=10_000_000, accessibleName=f"Reach {row + 1}, {part}")
                    box.setKeyboardTracking(False)
                    box.setObjectName("narrow")
                    box.setMinimumWidth(40)
                    box.valueChanged.connect(lambda v, r=row, n=c: self._typed(r, n, v))
                    self.grid.addWidget(box, row + 1, c)
                    boxes.append(box)
                away = QPushButton("×", accessibleName=f"Take reach {row + 1} away", toolTip="Take this reach away")
                away.setFixedWidth(24)
                away.setObjectName("narrow")
                away.clicked.connect(lambda _=False, r=row: self._take_away(r))
                self.grid.addWidget(away, row + 1, 4)
                self._boxes.append(boxes)
        for boxes, reach in zip(self._boxes, reaches, strict=True):
            for box, part in zip(boxes, PARTS, strict=True):
                put(box, getattr(reach, part))

    def _take_away(self, row: int) -> None:
        self.set("take a reach away", tuple(r for i, r in enumerate(self.reaches()) if i != row))

    def _typed(self, row: int, part: int, value: int) -> None:
        """A frame typed in; the others give way so that they still rise."""
        frames = [getattr(self.reaches()[row], p) for p in PARTS]
        frames[part] = value
        for i in range(part - 1, -1, -1):
            frames[i] = min(frames[i], frames[i + 1])
        for i in range(part + 1, 4):
            frames[i] = max(frames[i], frames[i - 1])
        new = tuple(Reach(*frames) if i == row else r for i, r in enumerate(self.reaches()))
        self.set("set when it reaches", new, merge=f"reach {row} {part}")
