"""Rotations have one front and two ways to be computed, which give the same bits."""

from __future__ import annotations

import numpy as np
import pytest

from reflexa.motion import kernels, quat

SHAPES = [
    ((), ()),
    ((7,), (7,)),
    ((7,), ()),
    ((), (7,)),
    ((5, 3), (3,)),
    ((5, 1), (1, 3)),
    ((0,), (0,)),
    ((40_000,), (40_000,)),
]


@pytest.mark.parametrize(("a", "b"), SHAPES)
def test_compiled_and_plain_give_the_same_bits(a, b, monkeypatch) -> None:
    rng = np.random.default_rng(len(a) + 10 * len(b))
    p, q, v = rng.normal(size=(*a, 4)), rng.normal(size=(*b, 4)), rng.normal(size=(*b, 3))
    results = []
    for compiled in (True, False):
        monkeypatch.setattr(kernels, "use_compiled", lambda *_, c=compiled: c)
        results.append((quat.multiply(p, q), quat.rotate(p, v), quat.multiply(p[..., ::-1], q)))
    for one, other in zip(*results, strict=True):
        assert one.shape == other.shape and np.array_equal(one, other)
