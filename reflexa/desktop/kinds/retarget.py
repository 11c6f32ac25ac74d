"""How two rigs fit and how good the result is: what is mapped, the aligned rest, and numbers that lead to the worst frame."""

from __future__ import annotations

from functools import partial

import numpy as np
from PySide6.QtWidgets import QCheckBox, QDoubleSpinBox, QHBoxLayout, QLabel, QPushButton

from reflexa.desktop.kinds.model import Offer, StepView
from reflexa.desktop.picture import colours
from reflexa.desktop.picture.handle import handle_at
from reflexa.desktop.picture.manipulator import Drag, Manipulator, snapped
from reflexa.desktop.picture.posed import PosedFigure
from reflexa.desktop.picture.view import Sight
from reflexa.desktop.settings.joint_table import JointTable, Row
from reflexa.desktop.settings.step_panel import StepPanel
from reflexa.desktop.widgets.number_fields import DecimalField
from reflexa.desktop.widgets.numbers import put
from reflexa.desktop.widgets.qt_properties import named
from reflexa.errors import RecipeError
from reflexa.library.fits import RETARGET
from reflexa.motion import quat
from reflexa.motion.arrays import Array, Vector, vector
from reflexa.rig import Rig
from reflexa.rig.match import Match, match
from reflexa.rig.notes import notes_of, set_fit
from reflexa.session import Session, line, rigs
from reflexa.steps.retarget import Quality, RetargetReport, RetargetSettings, rig_named
from reflexa.steps.retarget.rest import aligned_rest, scaled_rest
from reflexa.words import counted


def match_of(session: Session) -> Match | None:
    """The match of the selected step as it is being set up; None where it has no rig yet."""
    settings, source = session.step.settings if session.step is not None else None, session.computed.step_rig
    if not isinstance(settings, RetargetSettings) or source is None:
        return None
    try:
        return match(source, rig_named(settings.rig, session.rigs))
    except RecipeError:
        return None


def fit_of(m: Match, joint: str) -> Vector:
    """The turn that was added by hand to a joint of the target, a rotation vector in degrees."""
    return m.target.fits.get(m.source.key, {}).get(joint, (0.0, 0.0, 0.0))


def _set_fit(session: Session, m: Match, joint: str, turn: Vector, merge: str) -> None:
    notes = set_fit(notes_of(m.target), m.source.key, joint, turn)
    rigs.edit(session, f"fit {joint}", m.target, notes, merge)


# Panel ----------------------------------------------------------------------------------------------------------


class RetargetPanel(StepPanel):
    """What fits, how good it is, and the rest poses that are fitted to each other."""

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        column = self.column
        self.summary = QLabel(wordWrap=True)
        column.addWidget(self.summary)
        self.alone = named(QLabel(wordWrap=True), "warn")
        self.alone.setStyleSheet("font-weight: 400;")
        column.addWidget(self.alone)
        self.rename = QPushButton("Rename instead")
        self.rename.setToolTip("The rigs differ only in names: renaming keeps all values")
        self.rename.clicked.connect(self._rename)
        column.addWidget(self.rename)
        self.quality_title = named(QLabel("Quality"), "section")
        column.addWidget(self.quality_title)
        self.note = QLabel(wordWrap=True)
        column.addWidget(self.note)
        self.table = JointTable(session, "Quality", ["", "median", "most"])
        column.addWidget(self.table)
        column.addWidget(named(QLabel("Rest alignment"), "section"))
        self.rest = QCheckBox("Show both rest poses")
        self.rest.setToolTip(
            "Shows the aligned rest pose of the target under that of the source. Rotate a joint with the "
            "hoops, or type below."
        )
        self.rest.clicked.connect(session.selection.show_rest)
        column.addWidget(self.rest)
        self.fit_title = QLabel(wordWrap=True)
        column.addWidget(self.fit_title)
        self.turns = [self._turn(axis) for axis in "XYZ"]
        row = QHBoxLayout()
        row.setSpacing(4)
        for box in self.turns:
            row.addWidget(box)
        column.addLayout(row)
        self._shown: object = None

    def _turn(self, axis: str) -> QDoubleSpinBox:
        box = DecimalField(minimum=-180, maximum=180, decimals=1, singleStep=1.0, suffix="°")
        box.setAccessibleName(f"Added rotation about {axis}")
        box.setToolTip(f"Rotation added to the aligned rest pose about the world's {axis} axis, in degrees")
        box.setKeyboardTracking(False)
        box.setPrefix(f"{axis} ")
        box.setMinimumWidth(52)
        box.valueChanged.connect(self._fit)
        return box

    def refresh(self) -> None:
        session = self.session
        m, report = match_of(session), session.computed.report
        self.rest.setChecked(session.selection.rest_shown)
        self.rest.setEnabled(m is not None)
        if m is None:
            settings = session.step.settings if session.step is not None else None
            chosen = settings.rig if isinstance(settings, RetargetSettings) else ""
            self.summary.setText(f"{chosen} is not in this project: import it." if chosen else "Choose the target rig.")
            for w in (self.alone, self.rename, self.table, self.note, self.quality_title):
                w.hide()
            return
        self._describe(m, report.lost if isinstance(report, RetargetReport) else ())
        self._show_fit(m)
        if isinstance(report, RetargetReport) and report is not self._shown:
            self._shown = report
            self.rename.setVisible(report.same_build)
            self._show_quality(report.quality)

    def _describe(self, m: Match, lost: tuple[str, ...] = ()) -> None:
        parts = len([p for p in m.source.body_map if p in m.target.body_map])
        parts += len([c for c in m.source.chains if c in m.target.chains])
        self.summary.setText(
            f"{counted(parts, 'part')} on both rigs, {counted(len(m.targets), 'joint')} driven. "
            f"Ground distances × {m.stride:.2f}, heights × "
            f"{m.rise:.2f}."
        )
        lines = []
        if m.only_target:
            lines.append(f"Only on the target (kept in rest pose): {', '.join(m.only_target)}.")
        if m.only_source:
            lines.append(f"Only on the source (ignored): {', '.join(m.only_source)}.")
        if lost:
            more = f" and {len(lost) - 6} more" if len(lost) > 6 else ""
            lines.append(f"Motion of the source that no joint of the target can follow: {', '.join(lost[:6])}{more}.")
        self.alone.setText("\n".join(lines))
        self.alone.setVisible(bool(lines))

    def _show_fit(self, m: Match) -> None:
        joint = self.session.selection.joint
        known = joint in m.target.skeleton.index
        said = "Pick a joint of the target to adjust it."
        if known:
            said = f"{joint}: rotation added to the computed alignment."
        fitted = m.target.fits.get(m.source.key, {})
        if fitted:
            said += f" Adjusted by hand: {', '.join(fitted)}. Saved for this pair of rigs."
        self.fit_title.setText(said)
        for box, value in zip(self.turns, fit_of(m, joint), strict=True):
            put(box, value)
            box.setEnabled(known)

    def _fit(self) -> None:
        m, joint = match_of(self.session), self.session.selection.joint
        if m is not None and joint in m.target.skeleton.index:
            x, y, z = (box.value() for box in self.turns)
            _set_fit(self.session, m, joint, (x, y, z), f"fit {joint}")

    def _rename(self) -> None:
        settings = self.session.step.settings if self.session.step is not None else None
        if isinstance(settings, RetargetSettings):
            line.put_instead(self.session, "rename", rig=settings.rig)

    def _show_quality(self, q: Quality) -> None:
        sunk = f" The pelvis lowers by up to {q.sunk:.0f} mm so that standing legs reach." if q.sunk > 0.5 else ""
        worst = max((s.after - s.source for s in q.slides), default=0.0)
        feet = "Not both rigs have feet: there is nothing to hold on the ground."
        if q.slides:
            more = f"at most {worst:.1f} mm more than" if worst > 0.05 else "no more than"
            feet = f"Feet slide {more} those of the source, scaled."
        self.note.setText(f"{feet}{sunk} Click a row for its worst frame.")
        for w in (self.table, self.note, self.quality_title):
            w.show()
        self.table.show_rows(_rows(q), most=7)


def _mm(v: float) -> str:
    return f"{round(v, 1) + 0.0:.1f} mm"  # no minus before nothing


def _rows(q: Quality) -> list[Row]:
    """Slides, soles, limbs that fall short, and directions with the worst first."""
    rows: list[Row] = []
    for s in q.slides:
        tip = (
            f"Largest slide of the standing foot: source, scaled, {s.source:.1f} mm; before contacts are kept "
            f"{s.before:.1f} mm; after {s.after:.1f} mm"
        )
        rows.append(((f"slide, {s.name.split()[0]}", f"was {_mm(s.before)}", _mm(s.after)), tip, s.joint, s.frame))
    for n in q.soles:
        tip = "Height of the standing sole compared with the scaled source: above or below (negative)"
        rows.append(((f"sole, {n.name.split()[0]}", _mm(n.median), _mm(n.most)), tip, n.joint, n.frame))
    for n in q.short:
        if n.most > 0.5:
            tip = "How far the limb ends short of its target"
            rows.append(((f"short, {n.name}", _mm(n.median), _mm(n.most)), tip, n.joint, n.frame))
    before = {n.name: n for n in q.before}
    for n in sorted(q.directions, key=lambda n: -n.most):
        b = before[n.name]
        tip = (
            f"Angle between its directions on both rigs; before contacts are kept: median {b.median:.2f}°, "
            f"largest {b.most:.2f}°"
        )
        rows.append(((n.name, f"{n.median:.1f}°", f"{n.most:.1f}°"), tip, n.joint, n.frame))
    return rows


# Picture --------------------------------------------------------------------------------------------------------


def _colours(session: Session, rig: Rig) -> Array | None:
    """Joints that stand for each other have the same colour on both rigs."""
    m = match_of(session)
    return colours.by_part(rig, m) if m is not None and rig.key in (m.source.key, m.target.key) else None


def _rest(session: Session) -> list[PosedFigure] | None:
    m = match_of(session)
    if m is None:
        return None
    clip, rig, shift = scaled_rest(m)
    low = PosedFigure(
        aligned_rest(m), 0, "after", np.zeros(3), m.target, colours.by_part(m.target, m), True, label="Aligned rest"
    )
    over = PosedFigure(clip, 0, "pale", shift, rig, colours.by_part(m.source, m), True, True, "Source's rest, scaled")
    return [low, over]


def _hold(session: Session, sight: Sight, figure: PosedFigure) -> Manipulator | str | None:
    """The rest pose of the target is fitted by hand, joint by joint."""
    m, joint = match_of(session), session.selection.joint
    if joint not in figure.rig.skeleton.index:
        return None
    if not session.selection.rest_shown or m is None:
        return "show the rest pose to fit the rigs"
    at = figure.placed[figure.rig.skeleton.index[joint]]
    handle = handle_at(at, np.array(quat.IDENTITY), sight)
    return Manipulator(handle, joint, lambda: _drag(session, m, joint))


def _drag(session: Session, m: Match, joint: str) -> Drag:
    before = quat.from_rotvec(np.radians(fit_of(m, joint)))

    def turn(axis: int, degrees: float, snap: bool) -> float:
        degrees = snapped(degrees, snap)
        turned = quat.multiply(quat.about(axis, np.radians(degrees)), before)
        _set_fit(session, m, joint, vector(np.degrees(quat.to_rotvec(turned))), "fit")
        return degrees

    return Drag(turn, lambda by, _snap: 0.0 * by)


def _is_other(rig: Rig, own: Rig) -> bool:
    return rig.key != own.key


def _offers(session: Session) -> list[Offer]:
    return [
        Offer(
            file,
            "Retarget {} onto",
            {"rig": file},
            f"To {file.rsplit('.', 1)[0]}",
            fits=partial(_is_other, rig),
        )
        for file, rig in session.rigs.items()
    ]


VIEW = StepView(
    "retarget",
    also="transfer character another rig",
    brings=RETARGET,
    offers=_offers,
    shortcut="Ctrl+T",
    panel=RetargetPanel,
    hold=_hold,
    colours=_colours,
    rest=_rest,
    rest_caption="aligned rest of the target under the source's rest",
)
