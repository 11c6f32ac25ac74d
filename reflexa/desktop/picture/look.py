"""How a person wants to look."""

from __future__ import annotations

from dataclasses import dataclass

COMPARE = {
    "After": "The figure at the view point",
    "Before": "The source, before all steps (hold B)",
    "Both": "The source as a pale figure in the same place",
    "Side by side": "The source next to the result",
    "One step": "The figure before the selected step, pale, in the same place",
}


@dataclass(frozen=True)
class Look:
    """compare: one of ``COMPARE``. in_place: without its travel; follow: the travelling figure stays in the picture.
    ghosts: the figure some frames before and after; trail: the way of the selected joint; weight: that of the
    centre of mass. differences:
    joints are coloured by how far they are from the figure before. all_marks: every joint is marked. before_held: a key is
    down that shows the source, or, with step_held, the figure before the selected step."""

    compare: str = "After"
    mesh: bool = True
    joints: bool = True
    follow: bool = True
    in_place: bool = False
    ghosts: bool = False
    trail: bool = False
    weight: bool = False
    differences: bool = False
    all_marks: bool = False
    before_held: bool = False
    step_held: bool = False

    @property
    def mode(self) -> str:
        """How figures are compared while the keys are as they are."""
        return "Before" if self.before_held else self.compare
