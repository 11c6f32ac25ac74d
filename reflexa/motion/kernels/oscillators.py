"""Damped oscillators, frame by frame."""

from __future__ import annotations

from reflexa.motion.arrays import Array
from reflexa.motion.kernels.compiling import kernel


@kernel(shared=0, out=1, in_order=True)
def swings(terms: Array, start: Array, kicks: Array, out: Array) -> None:
    """Where masses are ``(frames, n)``, kicked in every frame but the last ``(frames - 1, n)``.

    terms ``(3,)``: from a velocity of 1 the place it comes to in a frame, and trace and determinant of the transition matrix
    (``springs.decay``). start ``(2, n)``: where they are in the first frame and were in the one before.
    """
    place, trace, determinant = terms[0], terms[1], terms[2]
    for i in range(out.shape[1]):
        now, before = start[0, i], start[1, i]
        out[0, i] = now
        for f in range(len(kicks)):
            now, before = trace * now - determinant * before + place * kicks[f, i], now
            out[f + 1, i] = now
