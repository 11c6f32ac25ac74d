"""How much a step changes the pose at each frame, as a strip over the clip's time."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QRectF, Qt
from PySide6.QtGui import QPainter, QPaintEvent
from PySide6.QtWidgets import QWidget

from reflexa.desktop.look import theme
from reflexa.motion.arrays import Array


class Ribbon(QWidget):
    """Higher is more."""

    def __init__(self) -> None:
        super().__init__()
        self.setFixedHeight(11)
        self._values: Array = np.zeros(0)

    def set_values(self, values: Array) -> None:
        """Degrees a joint at each frame ``(frames,)``."""
        self._values = values
        most = float(values.max()) if len(values) else 0.0
        mean = float(values.mean()) if len(values) else 0.0
        said = f"Change of the pose over time: mean {mean:.2f}°, largest {most:.2f}° per joint"
        self.setToolTip(said if most > 0 else "No change")
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        t, p, n = theme.current(), QPainter(self), len(self._values)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        p.setPen(Qt.PenStyle.NoPen)
        p.setBrush(t.colour("soft"))
        p.drawRoundedRect(QRectF(self.rect()), 3, 3)
        if n and self._values.max() > 1e-9:
            width = self.width()
            # A pixel shows the most of its frames. Small changes must still be seen: the strip grows with the square root.
            at = np.minimum(np.arange(width) * n // width, n - 1)
            most = np.maximum.reduceat(self._values, at) if n >= width else self._values[at]
            height = np.sqrt(most / self._values.max()) * self.height()
            p.setRenderHint(QPainter.RenderHint.Antialiasing, False)
            p.setBrush(t.colour("accent"))
            for x, h in enumerate(height):
                if h > 0.3:
                    p.drawRect(QRectF(x, self.height() - max(1.5, h), 1, max(1.5, h)))
        p.end()
