"""Putting in the steps that repair what is found, and keeping those that help."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, replace
from types import MappingProxyType

from reflexa.checks.judging.blame import Judged, judge
from reflexa.checks.judging.groups import counted
from reflexa.checks.model import Finding, Repair, amount
from reflexa.errors import ReflexaError
from reflexa.formats.imported import Note
from reflexa.motion.clip import Clip
from reflexa.progress import Progress, quiet
from reflexa.rig import Rig
from reflexa.steps import Step, kind_of
from reflexa.take import Cache, Evaluation, Surroundings, Take, evaluate
from reflexa.take.edits import insert_step, named_step
from reflexa.take.evaluate import NOWHERE

# A repair may make another kind of finding weigh more by this share, and this much, before it counts as worse.
_WORSE, _WORSE_LEAST = 0.05, 0.1
# So many repairs are tried at most: many single moments are better looked at by a person.
MOST = 24


@dataclass(frozen=True)
class Tried:
    """One repair: its title and kind; of the kind of finding that it is for the largest before and after, in its unit, and how
    many there were; whether it was kept, and if not why."""

    title: str
    kind: str
    finding: str
    before: float
    after: float
    unit: str
    many: tuple[int, int]
    kept: bool
    why: str = ""

    @property
    def text(self) -> str:
        """In words."""
        change = f"{self.finding} {amount(self.before, self.unit)} to {amount(self.after, self.unit)}"
        if self.many[1]:
            change += f", {self.many[0]} to {self.many[1]} of them"
        return f"{self.title}: {change}" if self.kept else f"{self.title}: not added, {self.why}"


@dataclass(frozen=True, eq=False)
class Fixed:
    """The evaluated take with the repairs that helped, what was tried, and what is still found."""

    line: Evaluation
    tried: tuple[Tried, ...]
    judged: Judged

    @property
    def take(self) -> Take:
        return self.line.take

    @property
    def left(self) -> list[Finding]:
        """What is found and not accepted."""
        return counted(self.judged.found, self.take.accepted)


def fix(
    take: Take, source: tuple[Clip, Rig], within: Surroundings = NOWHERE,
    limits: Mapping[str, float] = MappingProxyType({}), notes: tuple[Note, ...] = (), progress: Progress = quiet,
) -> Fixed:  # fmt: skip
    """Try the repairs of everything that is found in a take, the big ones first; keep each that lowers what it is for and makes
    nothing else worse. progress may raise to stop it."""
    within = replace(within, cache=within.cache or Cache())

    def looked(t: Take) -> Fixed:
        line = evaluate(t, *source, within, lenient=True)
        return Fixed(line, (), judge(line, limits, notes))

    now = looked(take)
    tried: list[Tried] = []
    known: set[tuple[str, str]] = set()
    while len(tried) < MOST:
        take, found = now.take, now.left
        f = _next(found, known)
        if f is None or f.repair is None:
            break
        known.add(_key(f.repair))
        progress(f.repair.title, min(len(tried) / max(len(known) + len(found), 1), 0.95))
        step = named_step(take, f.repair.step())
        try:
            then = looked(insert_step(take, len(take.steps), step))
            why = _refused(then.line, step) or _worse(found, then.left, f)
        except ReflexaError as e:
            why, then = str(e), now
        new = then.left
        sizes = _largest(found, f), _largest(new, f)
        many = sum(x.kind == f.kind for x in found), sum(x.kind == f.kind for x in new)
        tried.append(Tried(f.repair.title, f.repair.kind, f.kind, *sizes, f.unit, many, not why, why))
        now = now if why else then
    return replace(now, tried=tuple(tried))


def _next(found: Iterable[Finding], known: set[tuple[str, str]]) -> Finding | None:
    """The finding whose repair comes next: by the order of repairs, then the worst."""
    left = [f for f in found if f.repair is not None and _key(f.repair) not in known]
    return min(left, key=lambda f: (_rank(f), -f.weight), default=None)


def _rank(f: Finding) -> int:
    """Big things first (common practice, no source): what the clip is made of, how it travels, how it stands, then moments."""
    return kind_of(f.repair.kind).fixes if f.repair is not None else 1000


def _key(repair: Repair) -> tuple[str, str]:
    return repair.kind, repr((dict(repair.settings), repair.envelope))


def _largest(found: Iterable[Finding], like: Finding) -> float:
    return max((f.size for f in found if f.kind == like.kind and f.unit == like.unit), default=0.0)


def _refused(line: Evaluation, step: Step) -> str:
    return str(line.refused[step.id]) if step.id in line.refused else ""


def _worse(before: list[Finding], after: list[Finding], f: Finding) -> str:
    """What speaks against a repair; an empty text: nothing."""
    was, now = _weights(before), _weights(after)
    if now[f.kind] >= was[f.kind] - 1e-9:
        return f"{f.kind} does not improve"
    for kind in now:
        if now[kind] > was[kind] * (1 + _WORSE) + _WORSE_LEAST:
            return f"{kind} would get worse"
    return ""


def _weights(found: Iterable[Finding]) -> defaultdict[str, float]:
    """How much each kind weighs, all its findings together."""
    out: defaultdict[str, float] = defaultdict(float)
    for f in found:
        out[f.kind] += f.weight
    return out
