"""What a mirror will do on this rig: pairs, how they were found, how exact they are, and who has none."""

from __future__ import annotations

from PySide6.QtWidgets import QLabel

from reflexa.desktop.kinds.model import Offer, StepView
from reflexa.desktop.settings.step_panel import TablePanel
from reflexa.desktop.widgets.qt_properties import named
from reflexa.rig.sides import in_common
from reflexa.session import Session
from reflexa.words import counted


class MirrorPanel(TablePanel):
    """Selecting a pair selects its left joint in the picture."""

    def __init__(self, session: Session) -> None:
        super().__init__(session, "Pairs", ["Pair", "mm", "°"])
        header = self.table.horizontalHeader()
        header.setStretchLastSection(False)
        header.setSectionResizeMode(0, header.ResizeMode.Stretch)
        self.unpaired = named(QLabel(wordWrap=True), "warn")
        self.column.insertWidget(0, self.unpaired)
        self._rig: object = None

    def refresh(self) -> None:
        rig = self.session.computed.step_rig
        if rig is None or rig is self._rig:
            return
        self._rig = rig
        self.unpaired.setVisible(bool(rig.unpaired))
        if rig.unpaired:
            self.unpaired.setText(f"Without a partner: {', '.join(rig.unpaired)}. They are mirrored on their own side.")
        ways: dict[str, int] = {}
        for p in rig.pairs:
            ways[p.found_by] = ways.get(p.found_by, 0) + 1
        found = ", ".join(f"{n} by {way}" if way != "told" else f"{n} set by hand" for way, n in ways.items()) or "none"
        worst = max((p.residual_mm for p in rig.pairs), default=0.0)
        exact = "The rig is exactly symmetric." if worst < 0.01 else f"Rest poses differ by up to {worst:.1f} mm."
        self.summary.setText(f"Pairs: {found}; {counted(len(rig.centre), 'joint')} on the centre line. {exact}")
        self.table.show_rows([
            (
                (in_common(p.left, p.right), f"{p.residual_mm:.1f}", f"{p.residual_deg:.1f}"),
                f"{p.left} and {p.right}, found by {p.found_by}: {p.residual_mm:.2f} mm, {p.residual_deg:.2f}°",
                p.left, -1,
            )
            for p in sorted(rig.pairs, key=lambda p: -p.residual_mm)
        ])  # fmt: skip


VIEW = StepView(
    "mirror",
    also="flip reflect swap sides",
    panel=MirrorPanel,
    offer=Offer("Mirror {}", swap_names=True, shortcut="Ctrl+Shift+M"),
    shortcut="Ctrl+M",
)
