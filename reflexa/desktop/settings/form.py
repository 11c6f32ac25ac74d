"""A form made from typed settings: a control for each, with its unit and range."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any

from PySide6.QtWidgets import QCheckBox, QComboBox, QDoubleSpinBox, QFormLayout, QLabel, QLineEdit, QSpinBox

from reflexa.desktop.settings.choices import CHOICES
from reflexa.desktop.widgets.choosers import chooser
from reflexa.desktop.widgets.number_fields import follow_drag
from reflexa.desktop.widgets.numbers import About, Control, Set, Value, number_box, put, vector, whole_box
from reflexa.session import Session, line
from reflexa.steps import StepKind
from reflexa.steps.registry import describe_field, fields


@dataclass
class Form:
    """Settings for every day, the rest of them, and what brings both up to date."""

    daily: QFormLayout
    more: QFormLayout
    refreshers: list[Callable[[], None]] = field(default_factory=list)


def form_of(kind: StepKind, session: Session, hidden: frozenset[str], more: frozenset[str]) -> Form:
    """A form for the settings of the selected step, without those in ``hidden``. more: those that are not for every day."""
    out = Form(QFormLayout(), QFormLayout())
    for form in (out.daily, out.more):
        form.setSpacing(6)
        form.setContentsMargins(0, 0, 0, 0)
    for f in fields(kind.settings):
        if f.name not in hidden:
            show = _add_field(out.more if f.name in more else out.daily, describe_field(f), session)
            if show is not None:
                out.refreshers.append(show)
    return out


def _add_field(form: QFormLayout, about: About, session: Session) -> Callable[[], None] | None:
    name = about["name"]
    numbers = about["type"] in ("int", "float", "numbers")

    def value() -> Any:
        return getattr(session.step.settings, name) if session.step else None

    def set_(v: Any) -> None:
        line.set_setting(session, name, v, f"setting {name}" if numbers else "")

    made = control_for(about, value, set_, session)
    if made is None:
        return None
    control, show = made
    if not control.toolTip():
        control.setToolTip(about["help"])
    control.setAccessibleName(about["title"])
    if isinstance(control, QCheckBox):
        form.addRow(control)
    else:
        unit = f" ({about['unit']})" if about["type"] == "numbers" and "unit" in about else ""
        form.addRow(about["title"] + unit, control)
        label = form.labelForField(control)
        if isinstance(label, QLabel) and isinstance(control, QSpinBox | QDoubleSpinBox):
            follow_drag(label, control)
            control.editingFinished.connect(session.history.end_merge)

    def guarded() -> None:
        settings = session.step.settings if session.step is not None else None
        if settings is None or not hasattr(settings, name):
            return
        show()
        # A setting that means nothing with the others as they are is not shown.
        given = about.get("when", {})
        fits = (getattr(settings, k) in (v if isinstance(v, list) else [v]) for k, v in given.items())
        form.setRowVisible(control, all(fits))

    return guarded


def control_for(about: About, value: Value, set_: Set, session: Session) -> Control | None:
    """A control for a setting and what brings it up to date; None for what needs a panel of its own."""
    kind = about.get("file") or about.get("choose")
    if kind in CHOICES:
        return chooser(lambda: CHOICES[kind](session), value, set_)
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
        box = whole_box(about) if about["type"] == "int" else number_box(about)
        box.valueChanged.connect(set_)
        return box, lambda: put(box, value())
    if about["type"] == "text":
        field = QLineEdit()
        field.editingFinished.connect(lambda: field.text() != value() and set_(field.text()))
        return field, lambda: None if field.hasFocus() else field.setText(str(value()))
    if about["type"] == "numbers" and isinstance(value(), tuple) and len(value()) == 3:
        return vector(about, value, set_)
    return None
