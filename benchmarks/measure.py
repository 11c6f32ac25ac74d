"""Measuring: the best of some runs, printed as a ratio beside its goal, and kept for the table at the end."""

from __future__ import annotations

import json
import time
from collections.abc import Callable
from dataclasses import asdict, dataclass
from pathlib import Path

# Out of its goal by more than this is told in the last line; and as much slower than another run is told in a comparison.
_TOLERATED = 0.1


@dataclass(frozen=True)
class Row:
    """A number that was measured: under which heading, what, seconds, and how many times a base that was measured in the same
    run. goal: at most so many times; at_least: at least so many times (a peer that is to be slower)."""

    part: str
    what: str
    seconds: float
    ratio: float
    of: str
    goal: float | None = None
    at_least: float | None = None

    @property
    def missed(self) -> bool:
        """True if it is out of its goal by over a tenth."""
        over = self.goal is not None and self.ratio > self.goal * (1 + _TOLERATED)
        return over or (self.at_least is not None and self.ratio < self.at_least * (1 - _TOLERATED))

    @property
    def wanted(self) -> str:
        """Its goal in words."""
        if self.goal is not None:
            return f"goal {self.goal:g}"
        return f"goal {self.at_least:g} or more" if self.at_least is not None else ""


ROWS: list[Row] = []
_part = ""


def heading(text: str) -> None:
    """Begin a part; what is measured next stands under it."""
    global _part
    _part = text
    print(f"\n{text}")


def best(call: Callable[[], object], runs: int = 5) -> float:
    """Seconds of the fastest of some runs; fewer where one takes long."""
    times = []
    for _ in range(runs):
        start = time.perf_counter()
        call()
        times.append(time.perf_counter() - start)
        if sum(times) > 10:
            break
    return min(times)


def line(
    what: str, seconds: float, base: float, of: str, goal: float | None = None, at_least: float | None = None
) -> None:  # fmt: skip
    """Print and keep a number. base: seconds of what it is compared with, called ``of``."""
    row = Row(_part, what, seconds, seconds / base, of, goal, at_least)
    ROWS.append(row)
    print(f"  {_said(row)}")


def _said(row: Row) -> str:
    return f"{row.what:<46} {row.seconds * 1000:10.1f} ms   {row.ratio:8.2f} x {row.of:<16} {row.wanted}".rstrip()


def table() -> None:
    """Print all that has a goal, and in the last line what is out of it."""
    print("\nAll goals")
    for row in (r for r in ROWS if r.wanted):
        print(f"  {'OUT ' if row.missed else 'ok  '}{_said(row)}")
    missed = [f"{r.what} ({r.ratio:.2f}, {r.wanted})" for r in ROWS if r.missed]
    print(f"Out of their goals by over a tenth: {'; '.join(missed) if missed else 'none'}.")


def save(path: Path) -> None:
    """Keep all numbers, to compare another commit with."""
    path.write_text(json.dumps([asdict(r) for r in ROWS], indent=2) + "\n")


def against(path: Path) -> None:
    """Print what changed by over a tenth since a run that was kept: by ratios, which do not depend on the machine."""
    before = {(r["part"], r["what"]): r["ratio"] for r in json.loads(path.read_text())}
    print(f"\nAgainst {path.name}")
    changed = False
    for row in ROWS:
        was = before.get((row.part, row.what))
        if was and abs(row.ratio / was - 1) > _TOLERATED and row.ratio != 1:
            changed = True
            print(f"  {row.what:<46} {was:8.2f} -> {row.ratio:8.2f} x {row.of}  ({row.ratio / was - 1:+.0%})")
    if not changed:
        print("  nothing changed by over a tenth")
