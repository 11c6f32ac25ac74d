"""What is selected and looked at. Steps are known by their ids."""

from __future__ import annotations

from collections.abc import Callable, Set
from dataclasses import dataclass, replace
from typing import NamedTuple

from reflexa.session.signals import Signal
from reflexa.steps import SOURCE

# The card behind the last step. The first card is ``SOURCE``; the others are known by their steps' ids.
RESULT = "result"

Keys = frozenset[tuple[str, int]]


@dataclass(frozen=True)
class Place:
    """Where one looks: which take is open, what is selected in it, and after which card the figure is shown."""

    take: str = ""
    card: str = RESULT
    view_point: str = RESULT
    joint: str = ""
    prop: str = ""
    keys: Keys = frozenset()


class Waiting(NamedTuple):
    """Who is given the next joint that is picked. pairing: the joint whose partner it becomes; empty: it becomes none."""

    take: Callable[[str], None]
    pairing: str = ""


class Selection:
    """``changed``: something else is selected. ``looked``: something else is shown of the same. ``comparing``: figures are to be
    compared in this way."""

    def __init__(self) -> None:
        self.changed, self.looked, self.comparing = Signal[()](), Signal[()](), Signal[str]()
        self.place = Place()
        self.solo = ""
        self.waiting: Waiting | None = None
        self.painting = False
        self.rest_shown = False

    @property
    def pairing(self) -> str:
        """The joint whose partner is picked next."""
        return self.waiting.pairing if self.waiting is not None else ""

    @property
    def take(self) -> str:
        """Name of the open take."""
        return self.place.take

    @property
    def card(self) -> str:
        """The selected card: ``SOURCE``, ``RESULT``, or a step's id."""
        return self.place.card

    @property
    def view_point(self) -> str:
        """The card after which the figure is shown."""
        return self.place.view_point

    @property
    def joint(self) -> str:
        return self.place.joint

    @property
    def prop(self) -> str:
        return self.place.prop

    @property
    def keys(self) -> Keys:
        """Selected keys as (joint, frame)."""
        return self.place.keys

    def go(self, place: Place) -> None:
        """Look somewhere else; says so where it is somewhere else."""
        if place != self.place:
            moved = place.view_point != self.place.view_point
            if (place.take, place.card) != (self.take, self.card):
                self.painting, self.waiting = False, None
            self.place = place
            self.changed.emit()
            if moved:
                self.looked.emit()

    def _changed(self, **to: object) -> Place:
        return replace(self.place, **to)  # type: ignore[arg-type]

    def select_card(self, card: str) -> None:
        """Select a card; keys of the one before are selected no longer."""
        if card != self.card:
            self.go(self._changed(card=card, keys=frozenset()))

    def select_joint(self, name: str) -> None:
        """Select a joint (an empty text: none); a prop is selected no longer."""
        if name != self.joint or (name and self.prop):
            self.go(self._changed(joint=name, prop=""))

    def select_prop(self, name: str) -> None:
        """Select a prop of the stage (an empty text: none); a joint is selected no longer."""
        if name != self.prop:
            self.go(self._changed(prop=name, joint="" if name else self.joint))

    def select_keys(self, keys: Set[tuple[str, int]]) -> None:
        if keys != self.keys:
            self.go(self._changed(keys=frozenset(keys)))

    def set_view_point(self, card: str) -> None:
        """Show the figure as it is after a card."""
        if card != self.view_point:
            self.place = self._changed(view_point=card)
            self.looked.emit()

    def set_solo(self, step: str) -> None:
        """Show what one step does without the others (an empty text: all). A way of looking, not an edit."""
        if step != self.solo:
            self.solo = step
            self.looked.emit()

    def set_painting(self, on: bool) -> None:
        """While on, a click on a joint takes it into the selected step's mask, or out of it."""
        if on != self.painting:
            self.painting = on
            self.changed.emit()

    def wait_for(self, waiting: Waiting | None) -> None:
        """The next joint that is picked goes to whoever asked for one; None calls it off."""
        if waiting != self.waiting:
            self.waiting = waiting
            self.changed.emit()

    def show_rest(self, on: bool) -> None:
        """Show the rest pose in the picture instead of the clip."""
        if on != self.rest_shown:
            self.rest_shown = on
            self.looked.emit()


__all__ = ["RESULT", "SOURCE", "Keys", "Place", "Selection"]
