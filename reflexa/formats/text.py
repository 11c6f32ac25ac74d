"""JSON that reads and diffs well: two-space indent, stable order, and what belongs together (a key) on one line."""

from __future__ import annotations

import json
from typing import Any

_WIDTH = 110
_flat = json.JSONEncoder(ensure_ascii=False, allow_nan=False).encode


def pretty(value: Any) -> str:
    """JSON text with a final line end. Lists of numbers and small flat objects inside lists stand on one line. Raises ValueError
    for numbers that are none."""
    return _lines(_tidy(value), 0, False) + "\n"


def _lines(value: Any, depth: int, in_list: bool) -> str:
    """Lines of a value that is tidy. Only what stands on one line is encoded: a layer may have a hundred thousand keys."""
    pad, end = "  " * (depth + 1), "  " * depth
    if isinstance(value, dict) and value:
        if in_list and not any(isinstance(v, dict) or (isinstance(v, list) and _deep(v)) for v in value.values()):
            flat = _flat(value)
            if len(flat) + len(end) < _WIDTH:
                return flat
        rows = [f"{pad}{_flat(k)}: {_lines(v, depth + 1, False)}" for k, v in value.items()]
        return "{\n" + ",\n".join(rows) + f"\n{end}}}"
    if isinstance(value, list) and value and _deep(value):
        return "[\n" + ",\n".join([f"{pad}{_lines(v, depth + 1, True)}" for v in value]) + f"\n{end}]"
    return _flat(value)


def _deep(value: list[Any]) -> bool:
    return any(isinstance(v, dict | list) for v in value)


def _tidy(value: Any) -> Any:
    """Numbers without noise: whole floats as they are written by hand, others to a nanometre or nanodegree."""
    if isinstance(value, float):
        rounded = round(value, 9)
        return int(rounded) if rounded.is_integer() and abs(rounded) < 1e15 else rounded
    if isinstance(value, dict):
        return {k: _tidy(v) for k, v in value.items()}
    if isinstance(value, list | tuple):
        return [_tidy(v) for v in value]
    return value
