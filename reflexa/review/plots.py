"""Curves over time as a table and as a drawing that others can use."""

from __future__ import annotations

import csv
import html
import io
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from reflexa.draw import palette as palettes
from reflexa.draw.palette import FAMILY, Palette
from reflexa.motion.arrays import Array

# Okabe & Ito (2008): hues that are told apart by everybody; those that mean left and right are left out.
HUES = ("#0072b2", "#e69f00", "#cc79a7", "#56b4e9", "#7a6c00", "#5d3a9b")
_EDGE, _LEFT, _LOW, _ROW = 14, 64, 34, 18


@dataclass(frozen=True, eq=False)
class Curve:
    """values: one a frame ``(frames,)``. hue: the number of its colour; dash: how it is broken (SVG's way), empty: not."""

    title: str
    unit: str
    values: Array
    hue: int = 0
    dash: str = ""

    @property
    def name(self) -> str:
        return f"{self.title} [{self.unit}]"


def table(curves: Sequence[Curve], rate: float) -> str:
    """Comma-separated: frame, seconds, and a column a curve; a curve that is shorter ends with nothing."""
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow(["frame", "time [s]", *(c.name for c in curves)])
    for f in range(max((len(c.values) for c in curves), default=0)):
        row = [f"{c.values[f]:.6g}" if f < len(c.values) else "" for c in curves]
        writer.writerow([f, f"{f / rate:.6g}", *row])
    return out.getvalue()


def drawing(
    curves: Sequence[Curve], rate: float, size: tuple[int, int] = (960, 420), p: Palette = palettes.DAYLIGHT
) -> str:
    """An SVG: the curves over frames and seconds, each named with its unit. Curves of several units share the height, each
    over its own range."""
    width, height = size
    units = list(dict.fromkeys(c.unit for c in curves))
    ranges = {u: _range([c.values for c in curves if c.unit == u]) for u in units}
    last = max((len(c.values) for c in curves), default=1) - 1
    top, low = _EDGE + _ROW * -(-len(curves) // 2) + 6, height - _LOW

    def x(f: float) -> float:
        return _LEFT + f / max(last, 1) * (width - _LEFT - _EDGE)

    parts = [
        f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 {width} {height}" width="{width}" height="{height}" '
        f'font-family="{FAMILY}, sans-serif" font-size="12">',
        f'<rect width="{width}" height="{height}" fill="{p.card}"/>',
    ]
    for f in _ticks(0, last):
        parts.append(f'<path d="M{x(f):.1f} {top}V{low}" stroke="{p.line}"/>')
        said = f"{f:g} · {f / rate:.2f} s" if last > 0 else "0"
        parts.append(f'<text x="{x(f):.1f}" y="{low + 16}" fill="{p.quiet}" text-anchor="middle">{said}</text>')
    first = units[0] if units else ""
    a, b = ranges.get(first, (0.0, 1.0))
    for v in _ticks(a, b, 5):
        y = low - (v - a) / (b - a) * (low - top)
        parts.append(f'<path d="M{_LEFT} {y:.1f}H{width - _EDGE}" stroke="{p.line}"/>')
        if len(units) == 1:
            parts.append(f'<text x="{_LEFT - 6}" y="{y + 4:.1f}" fill="{p.quiet}" text-anchor="end">{v:g}</text>')
    for i, c in enumerate(curves):
        a, b = ranges[c.unit]
        points = " ".join(
            f"{x(f):.1f},{low - (v - a) / (b - a) * (low - top):.1f}" for f, v in enumerate(c.values.tolist())
        )
        colour, dash = HUES[c.hue % len(HUES)], f' stroke-dasharray="{c.dash}"' if c.dash else ""
        parts.append(f'<polyline points="{points}" fill="none" stroke="{colour}" stroke-width="1.8"{dash}/>')
        lx, ly = _LEFT + (i % 2) * (width - _LEFT) / 2, _EDGE + _ROW * (i // 2)
        span = f"{a:.3g} to {b:.3g}" if len(units) > 1 else ""
        parts.append(f'<path d="M{lx} {ly + 4}h22" stroke="{colour}" stroke-width="2"{dash}/>')
        parts.append(
            f'<text x="{lx + 28}" y="{ly + 8}" fill="{p.ink}">{html.escape(f"{c.name} {span}".strip())}</text>'
        )
    return "\n".join([*parts, "</svg>", ""])


def _range(values: list[Array]) -> tuple[float, float]:
    all_ = np.concatenate(values)
    low, high = float(all_.min()), float(all_.max())
    room = (high - low) * 0.05 or max(abs(high), 1.0) * 0.05
    return low - room, high + room


def _ticks(low: float, high: float, most: int = 8) -> list[float]:
    """Round numbers between two."""
    span = high - low
    if span <= 0:
        return [low]
    raw = span / most
    power = 10.0 ** np.floor(np.log10(raw))
    step = next(float(s * power) for s in (1, 2, 5, 10) if s * power >= raw)
    return [float(round(k * step, 10)) for k in range(int(np.ceil(low / step)), int(np.floor(high / step)) + 1)]
