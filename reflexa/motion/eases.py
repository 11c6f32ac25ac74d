"""Changes that are given in some spans of time, led there from nothing and back to nothing."""

from __future__ import annotations

import numpy as np

from reflexa.motion import contacts, curves
from reflexa.motion.arrays import Array


def eased(values: Array, ease_in: int, ease_out: int) -> Array:
    """A change that is given in spans ``(frames, n)`` (nan elsewhere), led to them from nothing and back to nothing over some
    frames, or straight from one to the next where they are closer: cubic, with continuous velocity; 0 elsewhere."""
    spans = contacts.spans(~np.isnan(values[:, 0]))
    out = np.where(np.isnan(values), 0.0, values)
    if not spans:
        return out
    still = np.zeros(values.shape[1])
    # From frame a to frame b: where it comes from and goes to, and how fast, a frame.
    bridges: list[tuple[int, int, Array, Array, Array, Array]] = []
    for i, (first, last) in enumerate(spans):
        speed_in = values[min(first + 1, last)] - values[first]
        speed_out = values[last] - values[max(last - 1, first)]
        after = spans[i + 1][0] if i + 1 < len(spans) else -1
        if after >= 0 and after - last < ease_in + ease_out:
            end = values[min(after + 1, spans[i + 1][1])] - values[after]
            bridges.append((last, after, values[last], speed_out, values[after], end))
        else:
            bridges.append((last, last + ease_out, values[last], speed_out, still, still))
        if not (i and first - spans[i - 1][1] < ease_in + ease_out):
            bridges.append((first - ease_in, first, still, still, values[first], speed_in))
    _fill(out, bridges)
    return out


def _fill(out: Array, bridges: list[tuple[int, int, Array, Array, Array, Array]]) -> None:
    """Fill the frames inside bridges with cubics (Hermite); what lies outside the clip is passed over."""
    inside = [np.arange(max(a + 1, 0), min(b, len(out))) for a, b, *_ in bridges]
    at = np.concatenate(inside)
    of = np.repeat(np.arange(len(bridges)), [len(x) for x in inside])
    ends = np.array([(a, b) for a, b, *_ in bridges], dtype=np.float64)[of]
    from_, leaving, to, arriving = (np.array([b[k] for b in bridges])[of] for k in range(2, 6))
    long = np.maximum(ends[:, 1] - ends[:, 0], 1.0)[:, None]
    out[at] = curves.hermite(from_, to, long * leaving, long * arriving, (at - ends[:, 0])[:, None] / long)
