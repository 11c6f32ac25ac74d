"""Putting in the steps that repair what is found, and keeping those that help."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable, Container, Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from functools import partial
from types import MappingProxyType

from msgspec import to_builtins
from msgspec.structs import replace as with_fields

from reflexa.checks.judging.blame import Judged, judge
from reflexa.checks.judging.groups import counted
from reflexa.checks.judging.one_step import joinable, one_step
from reflexa.checks.model import Finding, Repair, amount
from reflexa.errors import ReflexaError
from reflexa.formats.imported import Note
from reflexa.motion.clip import Clip
from reflexa.progress import Progress, quiet
from reflexa.rig import Rig
from reflexa.steps import Step, kind_of
from reflexa.take import Cache, Evaluation, Surroundings, Take, evaluate
from reflexa.take.edits import insert_step, named_step, replace_steps, without_step
from reflexa.take.evaluate import NOWHERE

# A repair may make another kind of finding weigh more by this share, and this much, before it counts as worse.
_WORSE, _WORSE_LEAST = 0.05, 0.1
# So many repairs are tried at most: many single moments are better looked at by a person.
MOST = 24


@dataclass(frozen=True)
class Row:
    """One finding that a repair was tried for: its kind, joint and frames, its size before and after in its unit (0: it is gone),
    whether the repair was kept for it, and if not why. step: the name of the step that repairs it."""

    finding: str
    joint: str
    first: int
    last: int
    worst: int
    before: float
    after: float
    unit: str
    kept: bool
    why: str = ""
    step: str = ""

    @property
    def text(self) -> str:
        """In words."""
        change = f"{self.finding} of {self.joint}, frames {self.first} to {self.last}: {amount(self.before, self.unit)}"
        return f"{change} to {amount(self.after, self.unit)}" if self.kept else f"{change}, not fixed: {self.why}"


@dataclass(frozen=True)
class Tried:
    """One step that repairs one or several findings: its title and kind; of the kind of finding that it is for the largest before
    and after, in its unit, and how many there were; whether it was kept, and if not why; and each of its findings."""

    title: str
    kind: str
    finding: str
    before: float
    after: float
    unit: str
    many: tuple[int, int]
    kept: bool
    why: str = ""
    rows: tuple[Row, ...] = ()

    @property
    def text(self) -> str:
        """In words."""
        change = f"{self.finding} {amount(self.before, self.unit)} to {amount(self.after, self.unit)}"
        if self.many[1]:
            change += f", {self.many[0]} to {self.many[1]} of them"
        return f"{self.title}: {change}" if self.kept else f"{self.title}: not added, {self.why}"


@dataclass(frozen=True, eq=False)
class Fixed:
    """The evaluated take with the repairs that helped, what was tried, and what is still found. parts: per step that was put in,
    by id, the clip that it is laid on and the repairs that it consists of, by the place of their rows."""

    line: Evaluation
    tried: tuple[Tried, ...]
    judged: Judged
    parts: Mapping[str, tuple[Clip, dict[int, Repair]]] = field(default_factory=dict)

    @property
    def take(self) -> Take:
        return self.line.take

    @property
    def left(self) -> list[Finding]:
        """What is found and not accepted."""
        return counted(self.judged.found, self.take.accepted)

    @property
    def rows(self) -> list[Row]:
        """Every finding that a repair was tried for."""
        return [r for t in self.tried for r in t.rows]

    def together(self, at: int) -> set[int]:
        """The places of the rows that the repair of a row is for: it is taken out for all of them."""
        for _, repairs in self.parts.values():
            if at in repairs:
                return {i for i, r in repairs.items() if _key(r) == _key(repairs[at])}
        return {at}

    def with_rows(self, wanted: Container[int]) -> Take:
        """The take with the repairs of these rows alone, by their places. A step of one repair is there for all of its rows, or
        not at all."""
        take = self.take
        for id_, (below, repairs) in self.parts.items():
            step = take.step(id_)
            left = [r for at, r in repairs.items() if at in wanted]
            joined = one_step(list({_key(r): r for r in left}.values()), below) if left else None
            if step is None:
                continue
            if joined is None:
                take = without_step(take, id_)
            elif len(left) < len(repairs):
                made = joined.step()
                new = with_fields(step, settings=made.settings, envelope=made.envelope)
                take = replace_steps(take, id_, id_, new)
        return take


def fix(
    take: Take, source: tuple[Clip, Rig], within: Surroundings = NOWHERE,
    limits: Mapping[str, float] = MappingProxyType({}), notes: tuple[Note, ...] = (), progress: Progress = quiet,
) -> Fixed:  # fmt: skip
    """Try the repairs of everything that is found in a take, the big ones first; keep each that lowers what it is for and makes
    nothing else worse. Repairs of one kind that can be one step are one step, and a step that was put in before is extended.
    progress may raise to stop it."""
    within = replace(within, cache=within.cache or Cache())

    def looked(t: Take) -> Fixed:
        line = evaluate(t, *source, within, lenient=True)
        return Fixed(line, (), judge(line, limits, notes))

    now = looked(take)
    tried: list[Tried] = []
    parts: dict[str, tuple[Clip, dict[int, Repair]]] = {}
    known: set[tuple[str, str]] = set()
    many = 0
    while len(tried) < MOST:
        found = now.left
        f = _next(found, known)
        if f is None or f.repair is None:
            break
        group = _group(f, found, known)
        known |= {_key(g.repair) for g in group if g.repair is not None}
        part = min(len(tried) / max(len(tried) + len(found), 1), 0.95)
        attempt = _Attempt(looked, partial(progress, f.repair.title, part), now, f.repair)
        then = attempt.kept(group)
        rows = tuple(attempt.row(g, then.left) for g in group)
        sizes = _largest(found, f), _largest(then.left, f)
        counts = sum(x.kind == f.kind for x in found), sum(x.kind == f.kind for x in then.left)
        why = "" if attempt.good else attempt.why.get(_key(f.repair), "")
        tried.append(Tried(f.repair.title, f.repair.kind, f.kind, *sizes, f.unit, counts, not why, why, rows))
        if attempt.step is not None:
            places = {many + i: g.repair for i, g in enumerate(group) if g in attempt.good and g.repair is not None}
            before = parts.get(attempt.step.id)
            parts[attempt.step.id] = (attempt.below, places if before is None else before[1] | places)
        many += len(rows)
        now = then
    return replace(now, tried=tuple(tried), parts=parts)


def _group(f: Finding, found: Iterable[Finding], known: set[tuple[str, str]]) -> list[Finding]:
    """A finding with all others that one step repairs with it; those that the very same repair is for are among them."""
    assert f.repair is not None
    out, repairs = [f], {_key(f.repair): f.repair}
    for g in found:
        if g is f or g.repair is None or g.kind != f.kind:
            continue
        if _key(g.repair) in repairs:
            out.append(g)
        elif _key(g.repair) not in known and joinable([*repairs.values(), g.repair]):
            out.append(g)
            repairs[_key(g.repair)] = g.repair
    return out


class _Attempt:
    """One step that grows: all findings of a group at once where that helps, else by halves, down to single ones."""

    def __init__(
        self, looked: Callable[[Take], Fixed], tell: Callable[[], None], before: Fixed, repair: Repair
    ) -> None:
        self._looked, self._tell, self._before = looked, tell, before
        steps = before.take.steps
        # The last step is extended where it is one of these already.
        last = steps[-1] if steps else None
        self._old = _as_repair(last, repair) if last is not None else None
        self.step: Step | None = last if self._old is not None else None
        self.below = before.line.clips[len(steps) - 1 if self._old is not None else len(steps)]
        self.good: list[Finding] = []
        self.why: dict[tuple[str, str], str] = {}

    def kept(self, group: Sequence[Finding]) -> Fixed:
        """What came of the take with the repairs that help."""
        done = self._half(self._before, group)
        self.step = self.step if self.good else None
        return done

    def _half(self, now: Fixed, group: Sequence[Finding]) -> Fixed:
        self._tell()
        repairs = {_key(g.repair): g.repair for g in (*self.good, *group) if g.repair is not None}
        both = one_step([*([self._old] if self._old is not None else []), *repairs.values()], self.below)
        if both is None:  # it does not go into the step that is there
            self._old, self.step, self.below = None, None, self._before.line.result
            both = one_step(list(repairs.values()), self.below)
        assert both is not None
        take, made = self._before.take, both.step()
        step = (
            with_fields(self.step, settings=made.settings, envelope=made.envelope)
            if self.step
            else named_step(take, made)
        )
        there = take.step(step.id) is not None
        try:
            new = replace_steps(take, step.id, step.id, step) if there else insert_step(take, len(take.steps), step)
            then = self._looked(new)
            why = _refused(then.line, step) or _worse(now.left, then.left, group[0])
        except ReflexaError as e:
            why, then = str(e), now
        if not why:
            self.step = step
            self.good += group
            return then
        if len({_key(g.repair) for g in group if g.repair is not None}) == 1:
            self.why |= {_key(g.repair): why for g in group if g.repair is not None}
            return now
        middle = len(group) // 2
        now = self._half(now, group[:middle])
        return self._half(now, group[middle:])

    def row(self, f: Finding, left: Iterable[Finding]) -> Row:
        """What became of a finding."""
        kept = f in self.good
        still = [g.size for g in left if (g.kind, g.unit) == (f.kind, f.unit) and _meet(f, g)]
        why = "" if kept or f.repair is None else self.why.get(_key(f.repair), "")
        name = self.step.name if kept and self.step is not None else ""
        return Row(f.kind, f.joint, *f.frames, f.worst, f.size, max(still, default=0.0), f.unit, kept, why, name)


def _as_repair(step: Step, like: Repair) -> Repair | None:
    """A step as the repair that it was, where another of the kind can be joined to it; else None."""
    plain = (
        step.kind == like.kind
        and step.on
        and not step.locked
        and step.weight == 1
        and step.mask is None
        and step.tied is None
    )
    if not plain or step.name.rstrip(" 0123456789") != like.title:
        return None
    old = Repair(like.title, like.kind, to_builtins(step.settings), step.envelope)
    return old if joinable([old, like]) else None


def _meet(a: Finding, b: Finding) -> bool:
    return a.joint == b.joint and a.frames[0] <= b.frames[1] and b.frames[0] <= a.frames[1]


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
