"""Rotations, held against SciPy's spatial.transform (a general-purpose reference library)."""

from __future__ import annotations

import itertools

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy.spatial.transform import Rotation, Slerp

from reflexa.motion import quat

A = Rotation.random(200, random_state=1)
B = Rotation.random(200, random_state=2)
V = np.random.default_rng(3).normal(size=(200, 3))
ORDERS = ["".join(p) for p in itertools.product("XYZ", repeat=3) if p[0] != p[1] and p[1] != p[2]]


def same(a: np.ndarray, b: np.ndarray, within: float = 1e-12) -> bool:
    """Equal as rotations: q and -q are one."""
    return bool(np.minimum(np.abs(a - b).max(-1), np.abs(a + b).max(-1)).max() < within)


def test_products_inverses_and_vectors_match_scipy() -> None:
    assert same(quat.multiply(A.as_quat(), B.as_quat()), (A * B).as_quat())
    assert same(quat.conjugate(A.as_quat()), A.inv().as_quat())
    assert np.allclose(quat.rotate(A.as_quat(), V), A.apply(V), atol=1e-13)
    assert np.allclose(quat.angle(A.as_quat()), A.magnitude(), atol=1e-12)


def test_matrices_and_rotation_vectors_match_scipy() -> None:
    assert np.allclose(quat.to_matrix(A.as_quat()), A.as_matrix(), atol=1e-14)
    assert same(quat.from_matrix(A.as_matrix()), A.as_quat())
    assert np.allclose(quat.to_rotvec(A.as_quat()), A.as_rotvec(), atol=1e-12)
    for size in (0.0, 1e-12, 1e-7, 1e-3, np.pi - 1e-9):
        v = np.array([[0.6, 0.0, 0.8]]) * size
        assert np.allclose(quat.to_rotvec(quat.from_rotvec(v)), v, atol=1e-15 + size * 1e-9)
        assert same(quat.from_rotvec(v), Rotation.from_rotvec(v).as_quat())


def test_half_turns_survive_the_matrix() -> None:
    for axis in np.eye(3):
        q = quat.from_rotvec(axis * np.pi)
        assert same(quat.from_matrix(quat.to_matrix(q)), q)


@pytest.mark.parametrize("order", ORDERS)
def test_euler_angles_of_all_twelve_orders_match_scipy(order: str) -> None:
    angles = np.random.default_rng(4).uniform(-3, 3, (50, 3))
    assert same(quat.from_euler(angles, order), Rotation.from_euler(order, angles).as_quat())
    assert same(quat.from_euler(quat.to_euler(A.as_quat(), order), order), A.as_quat(), 1e-9)


@pytest.mark.parametrize("order", ORDERS)
def test_gimbal_lock_keeps_the_rotation(order: str) -> None:
    middle = 0.0 if order[0] == order[2] else np.pi / 2
    q = quat.from_euler(np.array([0.3, middle, 0.4]), order)
    assert same(quat.from_euler(quat.to_euler(q, order), order)[None], q[None], 1e-7)


def test_slerp_matches_scipy_and_is_exact_at_its_ends() -> None:
    for i in range(40):
        pair = Rotation.concatenate([A[i], B[i]])
        t = np.linspace(0, 1, 9)
        ours = quat.slerp(A[i].as_quat(), B[i].as_quat(), t)
        assert same(ours, Slerp([0, 1], pair)(t).as_quat(), 1e-10)
        assert np.array_equal(ours[0], A[i].as_quat())
    q = A.as_quat()
    assert np.array_equal(quat.slerp(q, q, np.full(200, 0.37)), q), "equal ends stay bit for bit"


def test_continuity_changes_signs_only() -> None:
    q = Rotation.from_rotvec(np.linspace(0, 20, 200)[:, None] * [0, 1, 0]).as_quat()
    q[::3] *= -1
    c = quat.continuous(q)
    assert same(c, q) and np.all(np.sum(c[1:] * c[:-1], axis=1) > 0)
    assert np.all(np.sum(quat.shortest(q, c) * c, axis=1) >= 0)


@given(st.integers(0, 199))
def test_swing_and_twist_put_together_again(i: int) -> None:
    axis = V[i] / np.linalg.norm(V[i])
    swing, twist = quat.swing_twist(A[i].as_quat(), axis)
    assert same(quat.multiply(swing, twist)[None], A[i].as_quat()[None])
    assert np.allclose(np.cross(quat.to_rotvec(twist), axis), 0, atol=1e-9), "twist turns about the axis"
    assert abs(quat.to_rotvec(swing) @ axis) < 1e-7, "swing does not"


def test_between_turns_one_direction_onto_another() -> None:
    turned = quat.rotate(quat.between(V, V[::-1]), V / np.linalg.norm(V, axis=1, keepdims=True))
    assert np.allclose(turned, V[::-1] / np.linalg.norm(V[::-1], axis=1, keepdims=True), atol=1e-12)
    assert np.allclose(quat.rotate(quat.between([1, 0, 0], [-1, 0, 0]), [1.0, 0, 0]), [-1, 0, 0])
    assert np.array_equal(quat.between([0, 0, 0], [1, 0, 0]), quat.IDENTITY)


def test_damaged_quaternions_become_the_identity() -> None:
    out = quat.normalise([[0, 0, 0, 0], [np.nan, 0, 0, 1], [0, 0, 0, 2]])
    assert np.array_equal(out, np.tile(quat.IDENTITY, (3, 1)))


def test_products_with_constants_are_matrices(rng=np.random.default_rng(5)) -> None:  # noqa: B008
    """left_matrix and right_matrix against the product itself, mapped against both for every joint."""
    q, c = quat.normalise(rng.normal(size=(9, 6, 4))), quat.normalise(rng.normal(size=(6, 4)))
    assert np.allclose(q[:, 0] @ quat.left_matrix(c[0]), quat.multiply(c[0], q[:, 0]), atol=1e-15)
    assert np.allclose(q[:, 0] @ quat.right_matrix(c[0]), quat.multiply(q[:, 0], c[0]), atol=1e-15)
    both = quat.left_matrix(c[0]) @ quat.right_matrix(c)
    assert np.allclose(quat.mapped(q, both), quat.multiply(quat.multiply(c[0], q), c), atol=1e-14)


def test_tidied_is_unit_again() -> None:
    q = quat.normalise(np.random.default_rng(6).normal(size=(50, 4)))
    off = q * (1 + np.linspace(-1e-7, 1e-7, 50)[:, None])
    assert np.abs(np.linalg.norm(quat.settled(off[:, None]), axis=-1) - 1).max() < 1e-13
    assert np.abs(quat.settled(q[:, None])[:, 0] - quat.continuous(q)).max() < 1e-15
