"""Edits of the revision line: its steps and their masks."""

from __future__ import annotations

from typing import Any

import msgspec

from reflexa.desktop.beginnings import settings_for
from reflexa.desktop.session.cards import RESULT_CARD, SOURCE_CARD
from reflexa.names import free_name
from reflexa.steps import KINDS, Mask, make
from reflexa.take import model as takes


class Line:
    """Part of the session: edits of the revision line: its steps and their masks."""

    def add_step(self, kind: str, name: str = "", **settings: Any) -> None:
        """Add a step after the selected card (at the end where none is), and select it. What is not said of its settings
        follows from what is selected and stands before it."""
        take = self.take
        if take is None:
            return
        at = self.card + 1 if self.card >= SOURCE_CARD else len(take.steps)
        name = free_name(name or KINDS[kind].title, {s.name for s in take.steps})
        step = make(kind, name, **{**settings_for(self, kind, at), **settings})
        self.card = at
        self.tap = RESULT_CARD
        self.edit_take(f"add {step.name}", takes.insert_step(take, at, step))
        self.selection_changed.emit()
        self.view_changed.emit()

    def replace_step(self, kind: str, **settings: Any) -> None:
        """Put a step of another kind in the selected one's place."""
        take = self.take
        if take is not None and 0 <= self.card < len(take.steps):
            name = free_name(KINDS[kind].title, {s.name for s in take.steps})
            self.edit_take(f"use {name} instead", takes.with_step(take, self.card, make(kind, name, **settings)))
            self.selection_changed.emit()

    def rename_step(self, index: int, name: str) -> None:
        """Give a step another name; a locked one keeps its own."""
        take = self.take
        if take is None or not 0 <= index < len(take.steps):
            return
        if take.steps[index].locked:
            self.edit_step("rename", msgspec.structs.replace(take.steps[index], name=name), index=index)  # says why not
            return
        self.edit_take(f"rename {take.steps[index].name}", takes.rename_step(take, index, name))

    def remove_step(self, index: int) -> None:
        take = self.take
        if take is not None and 0 <= index < len(take.steps):
            self.card = RESULT_CARD if len(take.steps) == 1 else max(0, index - 1)
            self.edit_take(f"remove {take.steps[index].name}", takes.without_step(take, index))
            self.selection_changed.emit()

    def move_step(self, index: int, to: int) -> None:
        take = self.take
        if take is not None and index != to and 0 <= to < len(take.steps):
            self.card = to
            self.edit_take(f"move {take.steps[index].name}", takes.move_step(take, index, to))
            self.selection_changed.emit()

    def set_solo(self, index: int) -> None:
        """Show what one step does alone, all others off; -1 shows the take as it is. A way of looking, not an edit."""
        if index != self.solo:
            self.solo = index
            self.take_changed.emit()
            self.evaluate()

    def set_painting(self, on: bool) -> None:
        """While on, a click on a joint takes it into the selected step's mask, or out of it."""
        if on != self.painting:
            self.painting = on
            self.selection_changed.emit()
            self.view_changed.emit()

    def mask_weights(self) -> dict[str, float]:
        """Weight of the selected step per joint, without its soft edge: what is painted on."""
        step, rig = self.step, self.step_rig
        if step is None or rig is None:
            return {}
        if step.mask is None:
            return dict.fromkeys(rig.skeleton.names, 1.0)
        plain = msgspec.structs.replace(step.mask, edge=0)
        return dict(zip(rig.skeleton.names, plain.weights(rig).tolist(), strict=True))

    def paint(self, joint: str, below: bool) -> None:
        """Take a joint (or all from it down) into the mask of the selected step, or out of it."""
        step, rig = self.step, self.step_rig
        if step is None or rig is None or joint not in rig.skeleton.index:
            return
        weights = self.mask_weights()
        if step.mask is None:
            weights = dict.fromkeys(weights, 0.0)  # the first stroke says what the step reaches at all
        names = [rig.skeleton.names[j] for j in rig.skeleton.below(rig.skeleton.index[joint])] if below else [joint]
        value = 0.0 if weights[joint] > 0 else 1.0
        self._set_mask("paint the mask", weights | dict.fromkeys(names, value))

    def mirror_mask(self) -> None:
        """The mask on the other side: each joint takes its partner's weight."""
        rig = self.step_rig
        if rig is not None and self.step is not None and self.step.mask is not None:
            weights, names = self.mask_weights(), rig.skeleton.names
            self._set_mask("mirror the mask", {n: weights[names[int(rig.partner[j])]] for j, n in enumerate(names)})

    def _set_mask(self, label: str, weights: dict[str, float]) -> None:
        step = self.step
        assert step is not None
        edge = step.mask.edge if step.mask is not None else 0
        reached = {n: w for n, w in weights.items() if w > 0}
        mask = (
            None if len(reached) == len(weights) and set(reached.values()) == {1.0} else Mask(joints=reached, edge=edge)
        )
        self.edit_step(label, msgspec.structs.replace(step, mask=mask))
