"""Controls for typed settings: one for each kind of value, made from what the setting says of itself."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from PySide6.QtWidgets import QCheckBox, QComboBox, QDoubleSpinBox, QHBoxLayout, QLineEdit, QSpinBox, QWidget

from reflexa.desktop.session import Session
from reflexa.stage.model import Prop
from reflexa.steps.goal import GoalSettings, looks
from reflexa.take.known import TAKE

Value = Callable[[], Any]
Set = Callable[[Any], None]
Control = tuple[QWidget, Callable[[], None]]
Choices = Callable[[], list[tuple[str, str]]]


def control_for(about: dict[str, Any], value: Value, set_: Set, session: Session) -> Control | None:
    """A control for a setting and what brings it up to date; None for what needs a panel of its own."""
    kind = about.get("file") or about.get("choose")
    if kind in _CHOICES:
        return chooser(lambda: _CHOICES[kind](session), value, set_)
    if about["type"] == "choice":
        control = QComboBox()
        control.addItems([str(c) for c in about["choices"]])
        control.activated.connect(lambda i: set_(about["choices"][i]))
        return control, lambda: control.setCurrentText(str(value()))
    if about["type"] == "bool":
        check = QCheckBox(about["title"])
        check.clicked.connect(set_)
        return check, lambda: check.setChecked(bool(value()))
    if about["type"] in ("int", "float"):
        box = number_box(about, about["type"] == "int")
        box.valueChanged.connect(set_)
        return box, lambda: put(box, value())
    if about["type"] == "text":
        line = QLineEdit()
        line.editingFinished.connect(lambda: line.text() != value() and set_(line.text()))
        return line, lambda: line.hasFocus() or line.setText(str(value()))
    if about["type"] == "numbers" and isinstance(value(), tuple) and len(value()) == 3:
        return vector(about, value, set_)
    return None


class Number(QDoubleSpinBox):
    """A number without zeros that say nothing."""

    def textFromValue(self, value: float) -> str:
        text = super().textFromValue(value)
        point = self.locale().decimalPoint()
        return text.rstrip("0").rstrip(point) if point in text else text


def number_box(about: dict[str, Any], whole: bool, decimals: int = 3) -> QSpinBox | QDoubleSpinBox:
    """A field for a number with its unit and range."""
    box = QSpinBox() if whole else Number(decimals=decimals)
    box.setRange(about.get("least", -1_000_000), about.get("most", 1_000_000))
    box.setSuffix(f" {about['unit']}" if "unit" in about else "")
    box.setSpecialValueText(about.get("zero", ""))
    box.setKeyboardTracking(False)
    box.setMinimumWidth(64)  # less than its largest number would need
    if not whole and about.get("unit") == "m":
        box.setSingleStep(0.01)
    return box


def put(box: QSpinBox | QDoubleSpinBox, value: float) -> None:
    """Show a value without setting it."""
    box.blockSignals(True)
    box.setValue(value)
    box.blockSignals(False)


def vector(about: dict[str, Any], value: Value, set_: Set) -> Control:
    """Three numbers beside each other: x, y, z (or turns about y, x, z)."""
    row = QWidget()
    layout = QHBoxLayout(row)
    layout.setContentsMargins(0, 0, 0, 0)
    layout.setSpacing(3)
    letters = "yxz" if about.get("unit") == "°" else "xyz"
    boxes = []
    for i, letter in enumerate(letters):
        box = number_box({k: v for k, v in about.items() if k != "unit"}, False, 3 if about.get("unit") == "m" else 2)
        box.setSingleStep(0.01 if about.get("unit") == "m" else 1.0)
        box.setObjectName("narrow")
        box.setMinimumWidth(40)
        box.setAccessibleName(f"{about['title']} {letter}, {about.get('unit', '')}")
        box.setToolTip(
            f"{letter}, in {about['unit']}. {about['help']}" if about.get("unit") else f"{letter}. {about['help']}"
        )
        box.valueChanged.connect(lambda v, n=i: set_(tuple(v if k == n else old for k, old in enumerate(value()))))
        layout.addWidget(box, 1)
        boxes.append(box)

    def show() -> None:
        for box, v in zip(boxes, value(), strict=True):
            put(box, v)

    return row, show


def chooser(choices: Choices, value: Value, set_: Set) -> Control:
    """A list that is made anew whenever there is something else to choose from; what is chosen and gone is named so."""
    control = QComboBox()
    control.activated.connect(lambda _i: set_(control.currentData()))

    def show() -> None:
        wanted, now = choices(), value()
        if now not in [data for _, data in wanted]:
            wanted = [*wanted, (f"{now} (missing)" if now else "choose…", now)]
        if [(control.itemText(i), control.itemData(i)) for i in range(control.count())] != wanted:
            control.clear()
            for text, data in wanted:
                control.addItem(text, data)
        control.setCurrentIndex(control.findData(now))

    return control, show


# What there is to choose from -----------------------------------------------------------------------------------


def _rigs(session: Session) -> list[tuple[str, str]]:
    own = session.step_rig
    return [("choose…", ""), *((f, f) for f, rig in session.rigs.items() if own is None or rig.key != own.key)]


def _clips(session: Session) -> list[tuple[str, str]]:
    own = f"{TAKE}{session.take_name}"
    names = [n for n in session.known_clips() if n != own]
    return [("choose…", ""), *((n.replace(TAKE, "take: ").replace("/", " · "), n) for n in names)]


def _limbs(session: Session) -> list[tuple[str, str]]:
    rig = session.step_rig
    if rig is None:
        return []
    ends = [end for end in ("left hand", "right hand", "left foot", "right foot") if rig.limb(end) is not None]
    ends += ["head"] if rig.joint("head") >= 0 else []
    tips = [c[-1] for c in rig.chains.values() if rig.chain_to(c[-1])]
    eyes = [n for n in rig.skeleton.names if looks(rig, n) and "eye" in n.lower()]
    return [(e.capitalize(), e) for e in [*ends, *eyes]] + [(f"{t} (end of a chain)", t) for t in tips]


def _chains(session: Session) -> list[tuple[str, str]]:
    rig = session.step_rig
    if rig is None:
        return []
    found = [(name.capitalize(), name) for name in rig.chains]
    parts = [p for p in ("spine", "neck", "left upper arm", "right upper arm", "head") if rig.joint(p) >= 0]
    found += [(f"From the {p} down", p) for p in parts]
    if session.joint in rig.skeleton.index and session.joint not in [data for _, data in found]:
        found.append((f"From {session.joint} down", session.joint))
    return [("choose…", ""), *found]


def _props(session: Session) -> list[tuple[str, str]]:
    props = session.take.stage.props if session.take else ()
    return [("choose…" if props else "none on the stage yet", ""), *((p.name, p.name) for p in props)]


def _grips(session: Session) -> list[tuple[str, str]]:
    settings = session.step.settings if session.step else None
    prop: Prop | None = None
    if isinstance(settings, GoalSettings) and session.take is not None:
        prop = session.take.stage.prop(settings.prop)
    return [("the prop itself", ""), *((g.name, g.name) for g in (prop.grips if prop else ()))]


def _joints(session: Session) -> list[tuple[str, str]]:
    rig = session.step_rig
    return [("choose…", ""), *((n, n) for n in (rig.skeleton.names if rig else ()))]


def _steps(session: Session) -> list[tuple[str, str]]:
    take = session.take
    before = [s.name for s in take.steps[: max(session.card, 0)]] if take else []
    return [("the step just before", ""), ("the source", "source"), *((f"before {n}", n) for n in before)]


_CHOICES: dict[str, Callable[[Session], list[tuple[str, str]]]] = {
    "rig": _rigs, "clip": _clips, "limb": _limbs, "chain": _chains, "prop": _props, "grip": _grips, "joint": _joints,
    "step": _steps,
}  # fmt: skip
