"""Settings of the selected card. Made from the step's typed settings; a kind may bring a richer panel of its own."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import msgspec
from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QFormLayout,
    QFrame,
    QHBoxLayout,
    QLabel,
    QPushButton,
    QScrollArea,
    QSpinBox,
    QVBoxLayout,
    QWidget,
)  # fmt: skip

from reflexa import describe
from reflexa.desktop.beginnings import own_way
from reflexa.desktop.blend_panel import BlendPanel
from reflexa.desktop.correction_panel import CorrectionPanel
from reflexa.desktop.fields import control_for
from reflexa.desktop.follow_panel import FollowPanel
from reflexa.desktop.goal_panel import GoalPanel
from reflexa.desktop.helper_panel import HelperPanel
from reflexa.desktop.keep_panel import KeepPanel
from reflexa.desktop.mirror_panel import MirrorPanel
from reflexa.desktop.plants_panel import PlantsPanel
from reflexa.desktop.rename_panel import RenamePanel
from reflexa.desktop.retarget_panel import RetargetPanel
from reflexa.desktop.root_panel import RootPanel
from reflexa.desktop.session import RESULT_CARD, SOURCE_CARD, Session
from reflexa.desktop.tables import JointTable
from reflexa.formats.imported import FACINGS, UNITS
from reflexa.rig import PRESETS
from reflexa.steps import KINDS, Mask
from reflexa.steps.correction import CorrectionSettings
from reflexa.steps.keys import turned_into
from reflexa.steps.registry import describe_field, fields
from reflexa.steps.root_motion import RootMotionSettings

# Kinds whose hands need more than the plain form.
RICHER: dict[str, type[QWidget]] = {
    "mirror": MirrorPanel, "correction": CorrectionPanel, "retarget": RetargetPanel, "helper-joints": HelperPanel,
    "rename": RenamePanel, "blend": BlendPanel,
    "root-motion": RootPanel, "plants": PlantsPanel, "goal": GoalPanel, "keep-in-world": KeepPanel,
    "follow-through": FollowPanel,
}  # fmt: skip
_HIDDEN = {"tracks"}
# Kinds whose result is looked at first, and whose settings are seldom touched.
_PANEL_FIRST = {"plants"}
# What mends a finding: the button's text, the kind of step, and how it begins. By kind of finding, or by its step.
REPAIRS: dict[str, tuple[str, str, dict[str, Any]]] = {
    "plants": ("Plant the feet", "plants", {}),
    "root drift": ("Take the drift out", "root-motion", {"operation": "remove drift"}),
    "root start": ("Start at the origin", "root-motion", {"operation": "to origin"}),
    "helper-joints": ("Put helper joints back", "helper-joints", {}),
}
_NOTHING_FOUND = (
    "Feet stand still and on the ground, goals are met, helper joints are in place, and every joint has a partner."
)


class SettingsPanel(QFrame):
    """Rebuilt when another card is selected; otherwise its fields are only brought up to date."""

    export_wanted = Signal()

    def __init__(self, session: Session) -> None:
        super().__init__(objectName="panel")
        self.session = session
        self.setMinimumWidth(250)
        outer = QVBoxLayout(self)
        outer.setContentsMargins(0, 0, 0, 0)
        self._scroll = QScrollArea()
        self._scroll.setWidgetResizable(True)
        self._scroll.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        outer.addWidget(self._scroll)
        self._shape: object = None
        self._refreshers: list[Callable[[], None]] = []
        session.take_changed.connect(self.refresh)
        session.selection_changed.connect(self.refresh)
        session.evaluated.connect(self.refresh)
        session.playhead_changed.connect(self._on_playhead)
        self.refresh()

    def _on_playhead(self) -> None:
        if not self.session.playing:
            for refresh in self._refreshers:
                refresh()

    def refresh(self, force: bool = False) -> None:
        session = self.session
        take, step = session.take, session.step
        shape = (
            session.card, take and (take.name, take.source), step and (step.kind, step.name), id(session.document),
            tuple(session.missing),
        )  # fmt: skip
        if shape != self._shape or force:
            self._shape = shape
            self._refreshers = []
            page = QWidget()
            column = QVBoxLayout(page)
            column.setContentsMargins(12, 10, 12, 10)
            column.setSpacing(6)
            self._fill(column)
            column.addStretch(1)
            for box in page.findChildren(QComboBox):
                # The longest entry must not make the panel wider than its place.
                box.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
                box.setMinimumContentsLength(6)
            self._scroll.setWidget(page)
        for refresh in self._refreshers:
            refresh()

    def _fill(self, column: QVBoxLayout) -> None:
        session = self.session
        if session.take is None:
            column.addWidget(_heading("No take"))
            column.addWidget(
                _text("Import a clip, then make a take of it: a take is the clip and the steps that revise it.")
            )
        elif session.card == SOURCE_CARD:
            self._fill_source(column)
        elif session.card == RESULT_CARD or session.step is None:
            self._fill_result(column)
        else:
            self._fill_step(column)

    # Source and result --------------------------------------------------------------------------------------

    def _fill_source(self, column: QVBoxLayout) -> None:
        session = self.session
        take, document = session.take, session.document
        column.addWidget(_heading("Source"))
        column.addWidget(_text(f"{take.source.clip} in {take.source.file}. It is never changed."))
        if document is None:
            column.addWidget(_warning(session.missing.get(take.source.file, "The file is missing.")))
            return
        column.addWidget(_section("What the import found"))
        for line in describe.lines(document):
            warn = line.startswith(("Note:", "Without a partner"))
            column.addWidget(_warning(line, strong=False) if warn else _text(line))
        row = QHBoxLayout()
        row.addWidget(QLabel("Faces, in the file"))
        facing = QComboBox(accessibleName="Facing in the file")
        facing.addItem("as guessed", "")
        for name in FACINGS:
            facing.addItem(name, name)
        told = next((s.facing for s in session.project.sources if s.file == take.source.file), "")
        facing.setCurrentIndex(max(0, facing.findData(told)))
        facing.activated.connect(lambda _i: session.set_facing(take.source.file, facing.currentData()))
        row.addWidget(facing, 1)
        column.addLayout(row)
        if document.format == "bvh":
            row = QHBoxLayout()
            row.addWidget(QLabel("Unit of the file"))
            box = QComboBox(accessibleName="Unit of the file")
            box.addItem("as guessed", None)
            for name, scale in UNITS.items():
                box.addItem(name, scale)
            entry = next((s for s in session.project.sources if s.file == take.source.file), None)
            if entry is not None and entry.unit is not None:
                box.setCurrentIndex(max(0, box.findData(entry.unit)))
            box.activated.connect(lambda _i: session.set_unit(take.source.file, box.currentData()))
            row.addWidget(box, 1)
            column.addLayout(row)

    def _fill_result(self, column: QVBoxLayout) -> None:
        session = self.session
        column.addWidget(_heading("Result"))
        facts = _text("")
        column.addWidget(facts)
        column.addWidget(_section("Findings"))
        findings = _text("")
        column.addWidget(findings)
        repairs: dict[str, QPushButton] = {}
        for what, (title, kind, how) in REPAIRS.items():
            repairs[what] = QPushButton(title)
            repairs[what].setToolTip(f"Adds a step at the end of the line: {KINDS[kind].title}")
            repairs[what].clicked.connect(lambda _=False, k=kind, h=how: session.add_step(k, **h))
            column.addWidget(repairs[what])
        table = JointTable(session, "Findings", ["What", "frames"])
        table.setWordWrap(True)
        column.addWidget(table)
        button = QPushButton("Export…", objectName="main")
        button.clicked.connect(self.export_wanted)
        column.addWidget(button)

        shown: list[object] = []

        def show() -> None:
            clip, rig, take = session.result, session.rig, session.take
            button.setEnabled(clip is not None)
            if clip is None or rig is None or take is None:
                facts.setText("Computing…" if session.document else "The source is missing.")
                return
            first, last = session.range
            way = describe.travel(clip, rig)
            on = sum(s.on and s.weight > 0 for s in take.steps)
            facts.setText(
                f"{last - first + 1} of {clip.frames} frames at {clip.rate:g} a second, {(last - first) / clip.rate:.2f} s.\n"
                f"{on} of {len(take.steps)} steps on.\n"
                f"{way['joint']} travels {way['distance_m']:.2f} m, {way['speed_m_s']:.2f} m a second on average."
            )
            # The worst first: how many times over what is put up with.
            found = sorted(session.findings, key=lambda f: -f.size / max(f.threshold, 1e-9))
            findings.setText("" if found else _NOTHING_FOUND)
            findings.setVisible(not found)
            table.setVisible(bool(found))
            key = [(f.text, f.frames) for f in found]
            if key != shown:
                shown[:] = key
                table.show_rows([
                    ((f.text, f"{f.frames[0]}–{f.frames[1]}"), f"{f.text}. Worst at frame {f.worst}: {f.size:.1f} {f.unit}, "
                     f"more than {f.threshold:g} {f.unit}", f.joint, f.worst) for f in found
                ])  # fmt: skip
                table.resizeRowsToContents()
                table.setFixedHeight(min(26 + sum(table.rowHeight(r) for r in range(table.rowCount())) + 4, 260))
            for what, repair in repairs.items():
                repair.setVisible(any(what in (f.kind, f.step) for f in found))

        self._refreshers.append(show)

    # Steps --------------------------------------------------------------------------------------------------

    def _fill_step(self, column: QVBoxLayout) -> None:
        step = self.session.step
        kind = KINDS[step.kind]
        column.addWidget(_heading(step.name))
        column.addWidget(_text(kind.help))
        form = QFormLayout()
        form.setSpacing(6)
        for field in fields(kind.settings):
            if field.name not in _HIDDEN:
                self._add_field(form, describe_field(field))
        panel = RICHER[step.kind](self.session) if step.kind in RICHER else None
        if panel is not None and step.kind in _PANEL_FIRST:
            column.addWidget(panel)
        if form.rowCount():
            column.addLayout(form)
        if panel is not None:
            if step.kind not in _PANEL_FIRST:
                column.addWidget(panel)
            self._refreshers.append(panel.refresh)
        if kind.carry is None:
            column.addWidget(_section("How much, where"))
            self._add_weight_and_mask(column)

    def _set(self, name: str, value: Any, merge: str = "") -> None:
        step = self.session.step
        settings = msgspec.structs.replace(step.settings, **{name: value})
        below, rig = self.session.below, self.session.below_rig
        if (
            value == "along path"
            and isinstance(settings, RootMotionSettings)
            and below is not None
            and not settings.path
        ):
            settings = msgspec.structs.replace(settings, path=own_way(below, rig))  # to be drawn on from
        if name == "how" and isinstance(step.settings, CorrectionSettings) and below is not None and rig is not None:
            settings = turned_into(step.settings, value, below, rig)  # on its keys the pose stays what it is
        title = name.replace("_", " ")
        self.session.edit_step(f"set {title}", msgspec.structs.replace(step, settings=settings), merge)

    def _add_field(self, form: QFormLayout, about: dict[str, Any]) -> None:
        """A control for one typed setting, with its unit and range."""
        name, session = about["name"], self.session
        numbers = about["type"] in ("int", "float", "numbers")
        made = control_for(
            about,
            lambda: getattr(session.step.settings, name) if session.step else None,
            lambda v: self._set(name, v, merge=f"setting {name}" if numbers else ""),
            session,
        )
        if made is None:
            return
        control, show = made
        if not control.toolTip():
            control.setToolTip(about["help"])
        title = about["title"]
        control.setAccessibleName(title)
        if about["type"] == "numbers" and "unit" in about:
            title += f" ({about['unit']})"
        if isinstance(control, QCheckBox):
            form.addRow(control)
        else:
            form.addRow(
                f"{about['title']} ({about['unit']})"
                if about["type"] == "numbers" and "unit" in about
                else about["title"],
                control,
            )

        def guarded() -> None:
            if session.step is not None and hasattr(session.step.settings, name):
                show()
                # A setting that means nothing with the others as they are is not shown.
                given = about.get("when", {})
                fits = (
                    getattr(session.step.settings, k) in (v if isinstance(v, list) else [v]) for k, v in given.items()
                )
                form.setRowVisible(control, all(fits))

        self._refreshers.append(guarded)

    def _add_weight_and_mask(self, column: QVBoxLayout) -> None:
        session = self.session
        form = QFormLayout()
        form.setSpacing(6)
        weight = QSpinBox(minimum=0, maximum=100, suffix=" %", accessibleName="Weight")
        weight.setKeyboardTracking(False)
        weight.valueChanged.connect(
            lambda v: session.edit_step(
                "set weight", msgspec.structs.replace(session.step, weight=v / 100), merge="weight"
            )
        )
        form.addRow("Weight", weight)
        mask = QComboBox(accessibleName="Joints")
        mask.addItem("Whole body", None)
        for name in PRESETS:
            mask.addItem(name.capitalize(), Mask(parts=(name,)))
        mask.addItem("From the selected joint down", "below")
        mask.activated.connect(lambda _i: self._set_mask(mask.currentData()))
        form.addRow("Joints", mask)
        edge = QSpinBox(minimum=0, maximum=20, suffix=" joints", accessibleName="Soft edge")
        edge.setKeyboardTracking(False)
        edge.setToolTip("From the topmost joint of the mask down, the step fades in over this many joints")
        edge.valueChanged.connect(
            lambda v: session.edit_step(
                "set the soft edge",
                msgspec.structs.replace(session.step, mask=msgspec.structs.replace(session.step.mask, edge=v)), merge="edge",
            )
        )  # fmt: skip
        paint = QPushButton("Paint it", checkable=True)
        paint.setToolTip(
            "Click joints in the picture or the Figure view to take them in or out; Shift: from there down"
        )
        paint.clicked.connect(session.set_painting)
        other = QPushButton("Mirror it")
        other.setToolTip("The mask on the other side")
        other.clicked.connect(session.mirror_mask)
        row = QHBoxLayout()
        row.addWidget(paint)
        row.addWidget(other)
        form.addRow("Mask", row)
        form.addRow("Soft edge", edge)
        column.addLayout(form)
        said = _text("")
        column.addWidget(said)
        clear = QPushButton("Clear the envelope")
        clear.clicked.connect(
            lambda: session.edit_step("clear the envelope", msgspec.structs.replace(session.step, envelope=()))
        )
        column.addWidget(clear)

        def show() -> None:
            step = session.step
            if step is None:
                return
            weight.blockSignals(True)
            weight.setValue(round(step.weight * 100))
            weight.blockSignals(False)
            paint.setChecked(session.painting)
            other.setEnabled(step.mask is not None)
            edge.setEnabled(step.mask is not None)
            edge.blockSignals(True)
            edge.setValue(step.mask.edge if step.mask is not None else 0)
            edge.blockSignals(False)
            if step.mask is None:
                mask.setCurrentIndex(0)
                said.setText("The step reaches every joint.")
            else:
                known = next(
                    (
                        i
                        for i in range(1, mask.count() - 1)
                        if mask.itemData(i).parts == step.mask.parts and not step.mask.joints
                    ),
                    mask.count() - 1,
                )
                mask.setCurrentIndex(known)
                count = len(step.mask.joints)
                said.setText(
                    f"Reaches {count} joints: {', '.join(list(step.mask.joints)[:4])}{' …' if count > 4 else ''}." if count
                    else f"Reaches {', '.join(step.mask.parts) or 'no joint'}."
                )  # fmt: skip
            clear.setEnabled(bool(step.envelope))
            clear.setToolTip("" if step.envelope else "The step has no envelope")

        self._refreshers.append(show)

    def _set_mask(self, mask: Any) -> None:
        session = self.session
        if mask == "below":
            rig = session.step_rig
            if rig is None or session.joint not in rig.skeleton.index:
                session.said.emit("Select a joint first: the mask reaches from it down the hierarchy.")
                self.refresh()
                return
            below = rig.skeleton.below(rig.skeleton.index[session.joint])
            mask = Mask(joints={rig.skeleton.names[j]: 1.0 for j in below})
        session.edit_step("set the mask", msgspec.structs.replace(session.step, mask=mask))


def _heading(text: str) -> QLabel:
    return QLabel(text, objectName="heading", wordWrap=True)


def _section(text: str) -> QLabel:
    return QLabel(text, objectName="section")


def _text(text: str) -> QLabel:
    return QLabel(text, wordWrap=True)


def _warning(text: str, strong: bool = True) -> QLabel:
    label = QLabel(text, wordWrap=True, objectName="warn")
    if not strong:
        label.setStyleSheet("font-weight: 400;")
    return label
