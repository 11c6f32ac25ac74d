"""Plants: how well each is held before and after, and the way from found ones to ones written down."""

from __future__ import annotations

import msgspec
from PySide6.QtWidgets import QHBoxLayout, QLabel, QPushButton

from reflexa.desktop.plants_shown import edit, plants_shown, settings_of
from reflexa.desktop.session import Session
from reflexa.desktop.tables import Row, TablePanel
from reflexa.steps.plants.report import added_acceleration, held


class PlantsPanel(TablePanel):
    """A row leads to the foot and to the frame at which it drifts most."""

    def __init__(self, session: Session) -> None:
        super().__init__(session, "Plants", ["Plant", "frames", "was cm", "is mm"])
        row = QHBoxLayout()
        self.write = QPushButton("Write down")
        self.write.clicked.connect(lambda: edit(session, "write the plants down", plants_shown(session)))
        self.again = QPushButton("Find anew")
        self.again.clicked.connect(self._find)
        row.addWidget(self.write)
        row.addWidget(self.again)
        self.column.insertLayout(0, row)
        self.more = QLabel(wordWrap=True, objectName="quiet")
        self.column.addWidget(self.more)
        self._seen: object = None

    def _find(self) -> None:
        step, settings = self.session.step, settings_of(self.session)
        if step is not None and settings is not None:
            new = msgspec.structs.replace(settings, find=True, plants=())
            self.session.edit_step("find plants anew", msgspec.structs.replace(step, settings=new))

    def refresh(self) -> None:
        session = self.session
        settings, evaluation, rig = settings_of(session), session.settled, session.step_rig
        if settings is None:
            return
        self.write.setEnabled(settings.find)
        self.write.setToolTip(
            "Keep the plants that were found, to change them by hand in the time area" if settings.find
            else "They are written down already"
        )  # fmt: skip
        self.again.setEnabled(not settings.find)
        self.again.setToolTip(
            "They are found anew at every change already" if settings.find
            else "Forget what was changed by hand, and find them by height and speed again"
        )  # fmt: skip
        if session.step_problem:
            self.summary.setText(session.step_problem)
            self.table.hide()
            self.more.hide()
            return
        key = (evaluation, session.card)
        if evaluation is None or rig is None or key == self._seen:
            return
        self._seen = key
        at = session.stage_of(session.card)
        before, after = evaluation.clips[at - 1], evaluation.clips[at]
        plants = plants_shown(session)
        self.table.setVisible(bool(plants))
        self.more.setVisible(bool(plants))
        if not plants:
            self.summary.setText(
                "No foot is ever low and slow. A clip made on the spot has no plants until it travels: add root motion "
                "from feet. Else lift the thresholds, or double-click in the time area."
                if settings.find
                else "No plant is written down. Double-click in the time area to put one in."
            )
            return
        rows: list[Row] = []
        worst = 0.0
        for p in plants:
            was, now = held(before, rig, p, session.stage), held(after, rig, p, session.stage)
            worst = max(worst, now.drift if p.on else 0.0)
            tip = (
                f"{p.limb}, frames {p.first} to {p.last}: drifted {was.drift / 10:.2f} cm, now {now.drift:.3f} mm; "
                f"below what it stands on {was.depth / 10:.1f} cm, now {now.depth:.2f} mm"
            )
            name = rig.skeleton.names[rig.joint(p.limb)] if rig.joint(p.limb) >= 0 else ""
            is_ = f"{now.drift:.2f}" if p.on else "left"
            rows.append(
                (
                    (p.limb.removesuffix(" foot"), f"{p.first}–{p.last}", f"{was.drift / 10:.1f}", is_),
                    tip,
                    name,
                    was.frame,
                )
            )
        how = "found" if settings.find else "written down"
        self.summary.setText(f"{len(plants)} plants {how}, held within {max(worst, 0.01):.2f} mm. How far they drift:")
        if worst > 1.0:
            self.summary.setText(
                f"{len(plants)} plants {how}. One still drifts {worst:.1f} mm: its leg does not reach. Let the pelvis give "
                "way more, or hold it at another place."
            )
        self.table.show_rows(rows)
        self.more.setText(
            f"Acceleration added at the ends of plants: up to {added_acceleration(before, after, rig, plants):.1f} m/s². "
            "Longer ease in and out lowers it."
        )
