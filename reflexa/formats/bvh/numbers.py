"""Decimal text to numbers, millions at a time. What comes out is the float64 nearest to the text, however it is read."""

from __future__ import annotations

from contextlib import suppress
from functools import partial

import numpy as np

from reflexa.motion import kernels, threads
from reflexa.motion.arrays import Array

# Text is read in pieces of at least so many bytes, one a core.
_LEAST = 1 << 18
# Bytes that a number takes, about.
_A_NUMBER = 8


class NotANumber(ValueError):
    """A word that is no number; ``offset`` counts bytes from the start of the text."""

    def __init__(self, word: str, offset: int) -> None:
        super().__init__(f"{word!r} is not a number")
        self.word, self.offset = word, offset


def parse(text: bytes | memoryview) -> Array:
    """All numbers of a text that is separated by any white space, in order. Raises NotANumber."""
    if not kernels.use_compiled(len(text) // _A_NUMBER, "text.numbers"):
        with suppress(ValueError):  # whose place the loop below tells
            return np.array(list(map(float, bytes(text).split())), dtype=np.float64)
    pieces = max(1, min(threads.cores(), len(text) // _LEAST))
    cuts = [0]
    for i in range(1, pieces + 1):
        stop = max(len(text) * i // pieces, cuts[-1])
        while stop < len(text) and text[stop] > 32:
            stop += 1
        cuts.append(stop)
    parts = kernels.compiling.at_once([partial(_piece, text, a, b) for a, b in zip(cuts, cuts[1:], strict=False)])
    return parts[0] if len(parts) == 1 else np.concatenate(parts)


def _piece(text: bytes | memoryview, first: int, end: int) -> Array:
    own = np.frombuffer(text, dtype=np.uint8)[first:end]
    # As many as there can be: a digit and a space each. What is not written to takes no memory.
    values = np.empty(len(own) // 2 + 1)
    others, counts = np.empty((1024, 3), dtype=np.int64), np.zeros(2, dtype=np.int64)
    kernels.text.numbers(own, values, others, counts)
    if counts[1] > len(others):
        others = np.empty((int(counts[1]), 3), dtype=np.int64)
        kernels.text.numbers(own, values, others, counts)
    for a, b, which in others[: counts[1]].tolist():
        word = bytes(text[first + a : first + b])
        try:
            values[which] = float(word)
        except ValueError:
            raise NotANumber(word.decode("latin-1"), first + a) from None
    return values[: counts[0]]
