"""What came of the open take: its evaluation, what the picture shows of it, and what the selected step lies on."""

from __future__ import annotations

from typing import Any

from reflexa.motion.clip import Clip
from reflexa.rig import Rig
from reflexa.session.evaluator import Evaluator
from reflexa.session.opened import Opened
from reflexa.session.places import range_in, same_time
from reflexa.session.selection import RESULT
from reflexa.take import Alone, Evaluation


class Computed:
    """Read from the evaluator, as it computed last."""

    def __init__(self, opened: Opened, evaluator: Evaluator) -> None:
        self._open, self._evaluator = opened, evaluator

    @property
    def evaluation(self) -> Evaluation | None:
        """The open take as it was computed last, whole, whatever is shown of it."""
        return self._evaluator.evaluation

    @property
    def settled(self) -> Evaluation | None:
        """The evaluation, where it is of the take as it stands; None while that is computed."""
        line = self.evaluation
        return line if line is not None and line.take == self._open.take else None

    @property
    def looked_at(self) -> Evaluation | Alone | None:
        """What the picture is made of: the evaluation, or one step of it alone."""
        alone = self._evaluator.alone
        return alone if alone is not None and self._open.selection.solo == alone.step else self.evaluation

    @property
    def result(self) -> Clip | None:
        return self.evaluation.result if self.evaluation else None

    @property
    def shown(self) -> Clip | None:
        """The clip at the view point."""
        line = self.looked_at
        return line.clips[line.after(self._open.selection.view_point)] if line else None

    @property
    def rig(self) -> Rig | None:
        """The rig of what the picture shows: that of the clip at the view point."""
        line = self.looked_at
        return (
            self._open.as_said(line.rigs[line.after(self._open.selection.view_point)])
            if line
            else self._open.source_rig
        )

    @property
    def step_rig(self) -> Rig | None:
        """The rig that the selected step works on."""
        line = self.evaluation
        if line is None or self._open.step is None:
            return self._open.source_rig
        at = line.take.index(self._open.selection.card)
        return self._open.as_said(line.rigs[max(at, 0)] if at >= 0 else line.rig)

    @property
    def below(self) -> Clip | None:
        """What the selected step is laid on; None where that is still computed."""
        line, take, at = self.evaluation, self._open.take, self._open.index
        if line is None or take is None or not 0 <= at < len(line.clips):
            return None
        same = line.take.source == take.source and line.take.steps[:at] == take.steps[:at]
        return line.clips[at] if same else None

    @property
    def below_rig(self) -> Rig | None:
        """The rig that ``below`` is on."""
        line = self.evaluation
        return self._open.as_said(line.rigs[self._open.index]) if line is not None and self.below is not None else None

    @property
    def after_step(self) -> Clip | None:
        """What stands after the selected step, as computed last."""
        line = self.evaluation
        at = line.take.index(self._open.selection.card) if line is not None else -1
        return line.clips[at + 1] if line is not None and at >= 0 else None

    @property
    def report(self) -> Any:
        """What the selected step's kind reports of it, as far as it is computed."""
        return self._evaluator.report_of(self._open.step)

    @property
    def problem(self) -> str:
        """What steps need before they can be run, or an empty text; they are passed over until then."""
        steps = self._open.take.steps if self._open.take is not None else ()
        return "  ".join(f"{s.name}: {said}" for s in steps if (said := self.problem_of(s.id)))

    def problem_of(self, step_id: str) -> str:
        """What a step needs before it can be run, or an empty text."""
        line = self.evaluation
        return str(line.refused[step_id]) if line is not None and step_id in line.refused else ""

    @property
    def step_problem(self) -> str:
        """What the selected step needs before it can be run, or an empty text."""
        return self.problem_of(self._open.selection.card)

    @property
    def frames(self) -> int:
        """How many frames the clip has that is looked at: a step may have made them more or fewer."""
        return clip.frames if (clip := self.shown or self._open.source_head) else 1

    @property
    def by_result(self) -> bool:
        """True if the picture shows the time of the result; False if a later step changes time."""
        return same_time(self.evaluation, self._open.selection.view_point, RESULT)

    @property
    def range(self) -> tuple[int, int]:
        """First and last frame that are played and exported."""
        return range_in(self._open.take if self.by_result else None, self.frames)
