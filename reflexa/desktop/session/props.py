"""Edits of the open take's stage."""

from __future__ import annotations

from dataclasses import replace

import msgspec

from reflexa.names import free_name
from reflexa.stage import EMPTY, Prop, Stage
from reflexa.take import model as takes


class Props:
    """Part of the session: edits of the open take's stage."""

    @property
    def stage(self) -> Stage:
        """The stage of the open take."""
        return self.take.stage if self.take is not None else EMPTY

    def edit_stage(self, label: str, stage: Stage, merge: str = "") -> None:
        if self.take is not None:
            self.edit_take(label, replace(self.take, stage=stage), merge)

    def select_prop(self, name: str) -> None:
        """Select a prop of the stage (an empty text: none); a joint is selected no longer."""
        if name != self.prop:
            self.prop = name
            if name:
                self.joint = ""
            self.selection_changed.emit()

    def put_prop(self, prop: Prop) -> None:
        """Put a prop on the stage, under a name that is free, and select it."""
        prop = msgspec.structs.replace(prop, name=free_name(prop.name, {p.name for p in self.stage.props}))
        self.edit_stage(f"put in {prop.name}", self.stage.with_prop(prop.name, prop))
        self.select_prop(prop.name)

    def edit_prop(self, label: str, prop: Prop, merge: str = "") -> None:
        """Replace the selected prop; goals that go to it follow a new name."""
        take = self.take
        if take is None or self.stage.prop(self.prop) is None:
            return
        if prop.name != self.prop:
            taken = {p.name for p in self.stage.props if p.name != self.prop}
            prop = msgspec.structs.replace(prop, name=free_name(prop.name.strip() or "prop", taken))
        old, self.prop = self.prop, prop.name
        self.edit_take(label, takes.with_prop(take, old, prop), merge)

    def remove_prop(self) -> None:
        if self.stage.prop(self.prop) is not None:
            name, self.prop = self.prop, ""
            self.edit_stage(f"take away {name}", self.stage.without(name))
            self.selection_changed.emit()
