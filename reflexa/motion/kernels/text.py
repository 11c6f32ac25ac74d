"""Decimal text to numbers."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from reflexa.motion.arrays import Array
from reflexa.motion.kernels.compiling import kernel

Bytes = NDArray[np.uint8]
Ints = NDArray[np.int64]

# Powers of ten that are exact in float64.
_TENS = 10.0 ** np.arange(23)
_MOST_DIGITS = 15  # any integer of so many digits is exact


@kernel(shared=0, out=3, in_order=True)
def numbers(text: Bytes, values: Array, others: Ints, counts: Ints) -> None:
    """The numbers of a text that is separated by white space, in order, in ``values``; how many in ``counts[0]``.

    With at most fifteen digits and a small exponent a number is one exact integer by one exact power of ten, and so comes out as
    the float64 nearest to its text. Every other word is left to whoever called: first and end byte and which number it is, in
    ``others``, ``counts[1]`` of them (counted on when they are more than fit).
    """
    at, n, size, left = 0, 0, len(text), 0
    while True:
        while at < size and text[at] <= 32:
            at += 1
        if at >= size:
            break
        start = at
        negative = text[at] == 45
        if negative or text[at] == 43:
            at += 1
        whole, digits, read, decimals, fraction = 0, 0, 0, 0, False
        while at < size and digits <= _MOST_DIGITS:
            if 48 <= text[at] <= 57:
                whole = whole * 10 + (text[at] - 48)
                read += 1
                digits += whole > 0
                decimals += fraction
            elif text[at] == 46 and not fraction:
                fraction = True
            else:
                break
            at += 1
        power = -decimals
        plain = read > 0 and digits <= _MOST_DIGITS
        if plain and at < size and (text[at] == 101 or text[at] == 69):
            at += 1
            down = at < size and text[at] == 45
            if at < size and (text[at] == 45 or text[at] == 43):
                at += 1
            exponent, seen = 0, False
            while at < size and 48 <= text[at] <= 57 and exponent < 1000:
                exponent = exponent * 10 + (text[at] - 48)
                seen = True
                at += 1
            plain = seen
            power += -exponent if down else exponent
        if plain and (at >= size or text[at] <= 32) and -22 <= power <= 22:
            value = whole / _TENS[-power] if power < 0 else whole * _TENS[power]
            values[n] = -value if negative else value
        else:
            while at < size and text[at] > 32:
                at += 1
            if left < len(others):
                others[left, 0], others[left, 1], others[left, 2] = start, at, n
            left += 1
        n += 1
    counts[0], counts[1] = n, left
