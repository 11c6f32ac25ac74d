"""Decimal text to numbers, millions at a time.

NumPy's own text reader takes about half a microsecond a number; the motion of a long BVH file has millions.
Nearly all of them look like ``-12.345678``: at most eight digits on either side of a point. Those are read
eight digits at a time, as 64-bit words, over all numbers at once; the rest goes through ``float``. Both ways
give the float64 nearest to the text.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from reflexa.motion import blocks
from reflexa.motion.arrays import Array

_CHUNK = 1 << 17
_PAD = b" " * 16
_ALL = np.uint64(0xFFFFFFFFFFFFFFFF)
_ZEROS = np.uint64(0x3030303030303030)
_PAIRS = np.uint64(0x000000FF000000FF)
_M1 = np.uint64(0x000F424000000064)  # 100 + (1000000 << 32)
_M2 = np.uint64(0x0000271000000001)  # 1 + (10000 << 32)


class NotANumber(ValueError):
    """A word that is no number; ``offset`` counts bytes from the start of the text."""

    def __init__(self, word: str, offset: int) -> None:
        super().__init__(f"{word!r} is not a number")
        self.word, self.offset = word, offset


def parse(text: bytes) -> Array:
    """All numbers of a text that is separated by any white space, in order. Raises NotANumber."""
    cuts = [0]
    while cuts[-1] < len(text):
        stop = min(cuts[-1] + _CHUNK, len(text))
        while stop < len(text) and text[stop] > 32:
            stop += 1
        cuts.append(stop)
    parts: list[Array] = [np.empty(0)] * (len(cuts) - 1)

    def work(span: slice) -> None:
        for i in range(span.start, span.stop):
            chunk = text[cuts[i] : cuts[i + 1]]
            plain = _parse_plain(chunk)
            parts[i] = _parse_any(chunk, cuts[i]) if plain is None else plain

    blocks.over(len(parts), work, 4, 32)
    return np.concatenate(parts) if parts else np.empty(0)


def _parse_any(chunk: bytes, offset: int) -> Array:
    words = chunk.split()
    try:
        return np.array([float(w) for w in words])
    except ValueError:
        for word in words:
            try:
                float(word)
            except ValueError:
                raise NotANumber(word.decode("latin-1"), offset + chunk.find(word)) from None
        raise


def _parse_plain(chunk: bytes) -> Array | None:
    """The numbers of a chunk in which all are plain, else None."""
    u = np.frombuffer(_PAD + chunk + _PAD, dtype=np.uint8)
    gaps = np.flatnonzero(u <= 32)
    starts, ends = gaps[:-1] + 1, gaps[1:]
    filled = ends > starts
    if np.count_nonzero(filled) < len(starts):
        starts, ends = starts[filled], ends[filled]
    if not len(starts):
        return np.empty(0)
    first = u[starts]
    negative = first == 45
    signed = negative | (first == 43)
    point = _points(u, starts, ends)
    if point is None:
        return None
    # Nothing may stand in a number but its sign, its point and digits.
    others = np.count_nonzero(signed) + np.count_nonzero(point < ends)
    if np.count_nonzero((u - np.uint8(48)) < 10) + others + len(gaps) != len(u):
        return None
    whole = point - starts - signed
    part = np.maximum(ends - point - 1, 0)
    if whole.max() > 8 or part.max() > 8 or (whole + part).min() < 1:
        return None
    words: NDArray[np.uint64] = np.ndarray((len(u) - 7,), np.uint64, u, strides=(1,))
    a = _eight(words[point - 8], _ALL << _bits(whole), whole == 0)
    # Files are written with one format: all numbers with as many decimals, whose masks are one number.
    decimals = part[:1] if np.all(part == part[0]) else part
    b = _eight(words[point + 1], _ALL >> _bits(decimals), decimals == 0)
    a *= np.uint64(100_000_000)
    a += b
    value = a.astype(np.float64)
    value /= 1e8
    return np.negative(value, out=value, where=negative)


def _points(u: NDArray[np.uint8], starts: NDArray[np.intp], ends: NDArray[np.intp]) -> NDArray[np.intp] | None:
    """Where each number's decimal point is (its end where it has none); None where one has two."""
    decimals = ends[0] - starts[0] - 1 - u[starts[0] : ends[0]].tobytes().find(b".")
    same: NDArray[np.intp] = ends - 1 - decimals
    if np.all(u[same] == 46) and np.all(same >= starts):
        return same
    dots = np.flatnonzero(u == 46)
    owner = np.searchsorted(starts, dots, side="right") - 1
    if np.any(np.diff(owner) == 0):
        return None
    point = ends.copy()
    point[owner] = dots
    return point


def _bits(length: NDArray[np.intp]) -> NDArray[np.uint64]:
    return ((8 - np.maximum(length, 1)) * 8).astype(np.uint64)


def _eight(word: NDArray[np.uint64], keep: NDArray[np.uint64], none: NDArray[np.bool_]) -> NDArray[np.uint64]:
    """Eight ASCII digits in a little-endian word as one number, with the bytes outside ``keep`` read as zeros.

    Changes ``word``. keep and none: one for all words, or one each.
    """
    v = np.bitwise_and(word, keep, out=word)
    v -= _ZEROS & keep  # masked first: no borrow from neighbours
    high = v >> np.uint64(8)
    v *= np.uint64(10)
    v += high
    np.right_shift(v, np.uint64(16), out=high)
    high &= _PAIRS
    high *= _M2
    v &= _PAIRS
    v *= _M1
    v += high
    v >>= np.uint64(32)
    v[np.broadcast_to(none, v.shape)] = 0
    return v
