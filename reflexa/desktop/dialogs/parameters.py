"""The settings that a recipe leaves open, to be said."""

from __future__ import annotations

from typing import Any

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QCheckBox, QDialog, QFormLayout, QVBoxLayout, QWidget

from reflexa.desktop.clips.recipe_list import RecipeLine
from reflexa.desktop.settings.form import control_for
from reflexa.desktop.widgets import labels
from reflexa.desktop.widgets.buttons import add_buttons
from reflexa.session import Session
from reflexa.take.recipe import Parameter, Recipe, about, default


class ParameterForm(QWidget):
    """A control for each parameter, as the recipe has it until it is set. ``changed``: a value is another."""

    changed = Signal()

    def __init__(self, session: Session, recipe: Recipe) -> None:
        super().__init__()
        self.recipe = recipe
        self._said: dict[str, Any] = {}
        form = QFormLayout(self)
        form.setContentsMargins(0, 0, 0, 0)
        self.controls: dict[str, QWidget] = {}
        for parameter in recipe.parameters:
            self._add(form, session, parameter)
        if not recipe.parameters:
            form.addRow(labels.quiet("This recipe asks for nothing: all settings are saved in it."))

    def _add(self, form: QFormLayout, session: Session, parameter: Parameter) -> None:
        described = {**about(self.recipe, parameter), "title": parameter.name}
        # How much of a step is shown as everywhere: in per cent.
        share = described.get("most") == 1 and "unit" not in described
        if share:
            described |= {"unit": "%", "most": 100, "least": 0}

        def value() -> Any:
            now = self._said.get(parameter.name, default(self.recipe, parameter))
            return tuple(now) if isinstance(now, list) else 100 * now if share else now

        def set_(v: Any) -> None:
            self._said[parameter.name] = list(v) if isinstance(v, tuple) else v / 100 if share else v
            self.changed.emit()

        made = control_for(described, value, set_, session)
        if made is None:
            return
        control, show = made
        control.setAccessibleName(parameter.name)
        control.setToolTip(described["help"])
        show()
        self.controls[parameter.name] = control
        if isinstance(control, QCheckBox):
            form.addRow(control)
        else:
            unit = described["unit"] if described["type"] == "numbers" and "unit" in described else ""
            said = ", ".join(t for t in (unit, "required" if parameter.required else "") if t)
            form.addRow(f"{parameter.name} ({said})" if said else parameter.name, control)

    @property
    def values(self) -> dict[str, Any]:
        """What was said, by name."""
        return dict(self._said)

    @property
    def missing(self) -> list[str]:
        """What has to be said, and was not."""
        return [p.name for p in self.recipe.parameters if p.required and not self._told(p)]

    def _told(self, parameter: Parameter) -> bool:
        return self._said.get(parameter.name, "") not in ("", None)


class ParametersDialog(QDialog):
    """What is left open, before a recipe is put into a take."""

    def __init__(self, session: Session, recipe: Recipe, take: str, parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle(f"{recipe.name}, into {take}")
        self.setMinimumWidth(380)
        column = QVBoxLayout(self)
        column.addWidget(RecipeLine(recipe))
        self.form = ParameterForm(session, recipe)
        column.addWidget(self.form)
        self.go, _ = add_buttons(self, column, "Add the steps", "Cancel", self.accept)
        self.form.changed.connect(self._enable)
        self._enable()

    def _enable(self) -> None:
        missing = self.form.missing
        self.go.setEnabled(not missing)
        self.go.setToolTip(f"Enter {', '.join(missing)} first" if missing else "")
