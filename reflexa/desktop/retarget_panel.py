"""How two rigs fit and how good the result is: what is mapped, the aligned rest, and numbers that lead to the worst frame."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtWidgets import (
    QCheckBox,
    QDoubleSpinBox,
    QHBoxLayout,
    QLabel,
    QPushButton,
)  # fmt: skip
from shiboken6 import isValid

from reflexa.desktop.session import Session
from reflexa.desktop.shown import retarget_match
from reflexa.desktop.tables import JointTable, Row, StepPanel
from reflexa.motion.clip import Clip
from reflexa.rig.match import Match, rename_map
from reflexa.rig.notes import notes_of, set_fit
from reflexa.steps.retarget import Quality, measure


class RetargetPanel(StepPanel):
    """Numbers are measured off the interface thread each time the result changes."""

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        column = self.column
        self.summary = QLabel(wordWrap=True)
        column.addWidget(self.summary)
        self.alone = QLabel(wordWrap=True, objectName="warn")
        self.alone.setStyleSheet("font-weight: 400;")
        column.addWidget(self.alone)
        self.rename = QPushButton(
            "Same build: rename instead", toolTip="The rigs differ in names only: exact, value for value"
        )
        self.rename.clicked.connect(self._rename)
        column.addWidget(self.rename)
        self.quality_title = QLabel("Quality", objectName="section")
        column.addWidget(self.quality_title)
        self.note = QLabel(wordWrap=True)
        column.addWidget(self.note)
        self.table = JointTable(session, "Quality", ["", "median", "most"])
        column.addWidget(self.table)
        column.addWidget(QLabel("Rest alignment", objectName="section"))
        self.rest = QCheckBox("Show both rest poses")
        self.rest.setToolTip(
            "The target's aligned rest under the source's rest; turn a joint with the hoops or type below"
        )
        self.rest.clicked.connect(session.show_rest)
        column.addWidget(self.rest)
        self.fit_title = QLabel(wordWrap=True)
        column.addWidget(self.fit_title)
        row = QHBoxLayout()
        row.setSpacing(4)
        self.turns: list[QDoubleSpinBox] = []
        for axis in "XYZ":
            box = QDoubleSpinBox(minimum=-180, maximum=180, decimals=1, singleStep=1.0, suffix="°")
            box.setAccessibleName(f"Added turn about {axis}")
            box.setToolTip(f"Turn added to the aligned rest about the world's {axis}, as a rotation vector")
            box.setKeyboardTracking(False)
            box.setPrefix(f"{axis} ")
            box.setMinimumWidth(52)
            box.valueChanged.connect(self._fit)
            self.turns.append(box)
            row.addWidget(box)
        column.addLayout(row)
        self._measured: object = None
        self._described: object = None

    def refresh(self) -> None:
        """Bring everything up to date with the step and the result."""
        session = self.session
        m = retarget_match(session)
        self.rest.setChecked(session.rest_shown)
        self.rest.setEnabled(m is not None)
        if m is None:
            chosen = session.step is not None and getattr(session.step.settings, "rig", "")
            self.summary.setText(
                f"{chosen} is not in this project: import it." if chosen else "Choose the rig to carry the motion onto."
            )
            for w in (self.alone, self.rename, self.table, self.note, self.quality_title):
                w.hide()
            return
        if m is not self._described:
            self._described = m
            self._describe(m)
        self._show_fit(m)
        below = session.below
        key = (session.evaluation, session.card)
        if below is not None and key != self._measured:
            self._measured = key
            self._measure(m, below)

    def _describe(self, m: Match) -> None:
        stretched = f"Ground distances × {m.stride:.2f}, heights × {m.rise:.2f}."
        both = len([p for p in m.source.body_map if p in m.target.body_map]) + len(
            [c for c in m.source.chains if c in m.target.chains]
        )
        self.summary.setText(f"{both} parts on both rigs, {len(m.targets)} joints driven. {stretched}")
        lines = []
        if m.only_target:
            lines.append(f"Only on the target (rest, or ride along): {', '.join(m.only_target)}.")
        if m.only_source:
            lines.append(f"Only on the source (left out): {', '.join(m.only_source)}.")
        self.alone.setText("\n".join(lines))
        self.alone.setVisible(bool(lines))
        self.rename.setVisible(m.source.key != m.target.key and rename_map(m.source, m.target) is not None)

    def _show_fit(self, m: Match) -> None:
        joint = self.session.joint
        known = joint in m.target.skeleton.index
        turn = m.target.fits.get(m.source.key, {}).get(joint, (0.0, 0.0, 0.0))
        fitted = m.target.fits.get(m.source.key, {})
        said = (
            f"{joint}: turn added on top of the computed alignment."
            if known
            else "Pick a joint of the target to fit it."
        )
        if fitted:
            said += f" Fitted by hand: {', '.join(fitted)}. Kept for this pair of rigs."
        self.fit_title.setText(said)
        for box, value in zip(self.turns, turn, strict=True):
            box.blockSignals(True)
            box.setValue(value)
            box.setEnabled(known)
            box.blockSignals(False)

    def _fit(self) -> None:
        m = retarget_match(self.session)
        joint = self.session.joint
        if m is not None and joint in m.target.skeleton.index:
            x, y, z = (box.value() for box in self.turns)
            notes = set_fit(notes_of(m.target), m.source.key, joint, (x, y, z))
            self.session.edit_rig(f"fit {joint}", m.target, notes, merge=f"fit {joint}")

    def _rename(self) -> None:
        self.session.replace_step("rename", rig=self.session.step.settings.rig)

    # Quality ------------------------------------------------------------------------------------------------

    def _measure(self, m: Match, below: Clip) -> None:
        session = self.session
        settings = session.step.settings
        key = self._measured

        def run() -> Quality:
            return measure(below, m.source, m.target, settings)

        def done(q: Quality) -> None:
            # Another card may have been chosen meanwhile, and this panel be gone.
            if isValid(self) and key == self._measured:
                self._show_quality(q)

        session.compute(run, done)

    def _show_quality(self, q: Quality) -> None:
        rows: list[Row] = []
        mm: Callable[[float], str] = lambda v: f"{v:.1f} mm"  # noqa: E731
        for s in q.slides:
            tip = (
                f"Largest slide of the standing foot: on the source, scaled, {s.source:.1f} mm; before the contact pass "
                f"{s.before:.1f} mm; after it {s.after:.1f} mm"
            )
            rows.append(((f"slide, {s.name.split()[0]}", f"was {mm(s.before)}", mm(s.after)), tip, s.joint, s.frame))
        for n in q.soles:
            tip = "The standing sole against the scaled source's: above it or below (negative)"
            rows.append(((f"sole, {n.name.split()[0]}", mm(n.median), mm(n.most)), tip, n.joint, n.frame))
        for n in q.short:
            if n.most > 0.5:
                tip = "How far the limb ends short of where it should reach"
                rows.append(((f"short, {n.name}", mm(n.median), mm(n.most)), tip, n.joint, n.frame))
        before = {n.name: n for n in q.before}
        for n in sorted(q.directions, key=lambda n: -n.most):
            b = before[n.name]
            tip = (
                f"Angle between where it points on both rigs; before the contact pass median {b.median:.2f}°, "
                f"most {b.most:.2f}°"
            )
            rows.append(((n.name, f"{n.median:.1f}°", f"{n.most:.1f}°"), tip, n.joint, n.frame))
        sunk = f" The pelvis gives way by up to {q.sunk:.0f} mm so that standing legs reach." if q.sunk > 0.5 else ""
        worst = max((s.after - s.source for s in q.slides), default=0.0)
        feet = "No feet on both rigs: nothing to hold on the ground."
        if q.slides:
            more = f"at most {worst:.1f} mm more than" if worst > 0.05 else "no more than"
            feet = f"Feet slide {more} the source's, scaled."
        self.note.setText(f"{feet}{sunk} Click a row for its worst frame.")
        for w in (self.table, self.note, self.quality_title):
            w.show()
        self.table.show_rows(rows, most=7)
