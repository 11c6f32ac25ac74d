"""The thresholds of findings as one readable document: every one with its value, unit and reason."""

from __future__ import annotations

import json
import math
from collections.abc import Mapping
from pathlib import Path
from typing import Any

from reflexa.checks.model import Limit
from reflexa.checks.registry import CHECKS
from reflexa.errors import ReadError
from reflexa.formats.documents import read_document

NAME, VERSION = "thresholds.json", 1


def known() -> dict[str, Limit]:
    """Every threshold by name, in the order of the checks."""
    return {limit.name: limit for check in CHECKS.values() for limit in check.limits}


def document(limits: Mapping[str, float]) -> dict[str, Any]:
    """As plain data that says all of them; ``limits``: those that are other than they come."""
    said = {n: {"value": limits.get(n, l.value), "unit": l.unit, "why": l.why} for n, l in known().items()}
    return {"reflexa": "thresholds", "version": VERSION, "thresholds": said}


def text(limits: Mapping[str, float]) -> str:
    """The document as text."""
    return json.dumps(document(limits), indent=2, ensure_ascii=False) + "\n"


# What was once told otherwise: its name now, its unit, and how many times as much the number is in that.
_ONCE = {"flip": ("flip-speed", "°/s", 30.0)}


def from_plain(data: Mapping[str, Any], path: Path | str = "") -> dict[str, float]:
    """Those of a document that are other than they come. Raises ReadError with the place of what is not known or no number."""
    said = data.get("thresholds")
    if not isinstance(said, dict):
        raise ReadError("contains no thresholds", path, "thresholds")
    all_ = known()
    out: dict[str, float] = {}
    for name, entry in said.items():
        place = f"thresholds.{name}"
        value = entry.get("value") if isinstance(entry, dict) else entry
        if name in _ONCE and isinstance(value, int | float) and not isinstance(value, bool):
            name, unit, times = _ONCE[name]
            value, entry = value * times, {"unit": unit}
        if name not in all_:
            raise ReadError("is not a threshold", path, place, f"Available: {', '.join(all_)}.")
        if isinstance(value, bool) or not isinstance(value, int | float) or not math.isfinite(value) or value < 0:
            raise ReadError("is not a number of zero or more", path, f"{place}.value")
        if isinstance(entry, dict) and entry.get("unit", all_[name].unit) != all_[name].unit:
            raise ReadError(f"is in {all_[name].unit}, not {entry['unit']}", path, f"{place}.unit")
        if value != all_[name].value:
            out[name] = float(value)
    return out


def read_thresholds(path: Path) -> dict[str, float]:
    """The thresholds of a file that are other than they come. Raises ReadError."""
    return from_plain(read_document(path, "thresholds", VERSION), path)
