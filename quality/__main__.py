"""``./run quality``: clips times operations, what is measured of each, and what is out of bounds."""

from __future__ import annotations

import argparse
import json
import time
from concurrent.futures import ProcessPoolExecutor
from dataclasses import asdict
from multiprocessing import get_context
from pathlib import Path

from quality import clips, planted, work
from quality.work import Row
from reflexa.motion import threads


def main() -> int:
    said = _arguments()
    folders = [clips.HERE / "tests" / "data", *said.clips]
    matrix = {n: f for n, f in clips.matrix(folders).items() if said.only in n}
    if said.findings:
        return 1 if planted.report(matrix) else 0
    start = time.perf_counter()
    rows: list[Row] = []
    # Processes of their own, begun afresh: nothing is shared with what was computed here.
    with ProcessPoolExecutor(threads.cores(), get_context("spawn"), work.begin, (folders, said.doing)) as pool:
        names = sorted(matrix, key=lambda n: -matrix[n].clip.frames)
        done = dict(zip(names, pool.map(work.measured, names), strict=True))
    for name in matrix:
        rows += done[name]
    _table(rows, said.all)
    out = sum(m.out for *_, m in rows)
    print(f"\n{len(rows)} numbers of {len(matrix)} clips, {out} out of bounds, {time.perf_counter() - start:.0f} s")
    planted.report(matrix)
    if said.json:
        plain = [{"clip": c, "operation": o, **asdict(m), "out": m.out} for c, o, m in rows]
        Path(said.json).write_text(json.dumps(plain, indent=1))
    if said.against:
        _compare(rows, json.loads(Path(said.against).read_text()))
    return 1 if out else 0


def _arguments() -> argparse.Namespace:
    a = argparse.ArgumentParser(prog="./run quality", description=__doc__)
    a.add_argument("--clips", type=Path, action="append", default=[], help="a folder of more clips")
    a.add_argument("--only", default="", help="clips whose names hold this")
    a.add_argument("--doing", default="", help="operations whose names hold this")
    a.add_argument(
        "--findings", action="store_true", help="only: what findings say of clean clips, and of planted faults"
    )
    a.add_argument("--all", action="store_true", help="every number, not only those out of bounds")
    a.add_argument("--json", help="writes the numbers here")
    a.add_argument("--against", help="compares with numbers written before")
    return a.parse_args()


def _table(rows: list[Row], everything: bool) -> None:
    clip = operation = ""
    for c, o, m in rows:
        if not (m.out or everything):
            continue
        if c != clip:
            print(f"\n{c}")
            clip, operation = c, ""
        mark = "OUT" if m.out else "   "
        said = f"{m.value:9.2f} {m.unit:<8} source {m.source:8.2f}  bound {m.bound:8.2f}  frame {m.frame:5d}  {m.where}"
        print(f"  {o if o != operation else '':<28} {mark} {m.name:<14} {said}")
        operation = o


def _compare(rows: list[Row], before: list[dict]) -> None:  # type: ignore[type-arg]
    old = {(r["clip"], r["operation"], r["name"], r["unit"]): r for r in before}
    for c, o, m in rows:
        was = old.get((c, o, m.name, m.unit))
        if was is not None and was["out"] != m.out:
            print(
                f"{'worse ' if m.out else 'better'} {c} / {o} / {m.name}: {was['value']:.2f} -> {m.value:.2f} {m.unit}"
            )


if __name__ == "__main__":
    raise SystemExit(main())
