"""One clip's share of the matrix, in a process of its own."""

from __future__ import annotations

import traceback
from pathlib import Path

from quality import clips, operations
from quality.figure import Figure
from quality.model import Measure

Row = tuple[str, str, Measure]
_matrix: dict[str, Figure] = {}
_doing: list[str] = []


def begin(folders: list[Path], doing: str) -> None:
    _matrix.update(clips.matrix(folders))
    _doing.append(doing)


def measured(name: str) -> list[Row]:
    figure = _matrix[name]
    rows = []
    for what, operation in operations.all_of(clips.demo_rigs()).items():
        if _doing[0] in what:
            try:
                rows += [(name, what, m) for m in operations.measured(operation, name, figure)]
            except Exception:  # one broken pair must not hide the others
                traceback.print_exc()
                rows.append((name, what, Measure("broken", "", float("nan"), 0.0, 0.0, 0, "")))
    return rows
