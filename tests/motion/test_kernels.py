"""Compiled loops held against slow and obvious versions, and against SciPy; the same bits however the work is shared out."""

from __future__ import annotations

import math
from itertools import pairwise

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.linalg import solve_banded
from scipy.spatial.transform import Rotation

from reflexa.formats.bvh import numbers
from reflexa.motion import channels, kernels, kinematics, limbs, quat, springs
from reflexa.motion.kernels import compiling
from reflexa.motion.kernels.parts import Limb, Model
from reflexa.motion.limbs import limb
from reflexa.motion.skeleton import chain
from tests.helpers import rigs

RIG = rigs.rig(5, 2, extras=True)


def test_forward_is_what_scipy_says_joint_by_joint() -> None:
    clip = rigs.clip(RIG, 5, 40)
    turned, placed = kinematics.forward(RIG.skeleton.parents, clip.rotations, clip.translations)
    for f in (0, 23):
        known: dict[int, tuple[Rotation, np.ndarray]] = {-1: (Rotation.identity(), np.zeros(3))}
        for j, p in enumerate(RIG.skeleton.parents.tolist()):
            q, t = known[p]
            known[j] = q * Rotation.from_quat(clip.rotations[f, j].copy()), t + q.apply(clip.translations[f, j].copy())
            assert np.abs(known[j][1] - placed[f, j]).max() < 1e-12
            assert (known[j][0].inv() * Rotation.from_quat(turned[f, j].copy())).magnitude() < 1e-7


def test_without_the_compiler_the_bits_are_the_same(monkeypatch: pytest.MonkeyPatch) -> None:
    """A small clip is posed before the kernels are loaded, and comes out as it does afterwards."""
    clip = rigs.clip(RIG, 6, 30)
    compiled = kinematics.forward(RIG.skeleton.parents, clip.rotations, clip.translations)
    monkeypatch.setattr(kernels, "use_compiled", lambda *_: False)
    plain = kinematics.forward(RIG.skeleton.parents, clip.rotations, clip.translations)
    assert np.array_equal(plain[0], compiled[0]) and np.array_equal(plain[1], compiled[1])


@pytest.mark.parametrize("cores", [1, 2, 7])
def test_the_bits_do_not_depend_on_how_many_threads_there_are(cores: int, monkeypatch: pytest.MonkeyPatch) -> None:
    clip = rigs.clip(RIG, 5, 900)
    whole = kinematics.forward(RIG.skeleton.parents, clip.rotations, clip.translations)
    monkeypatch.setattr(compiling.threads, "cores", lambda: cores)
    monkeypatch.setattr(compiling, "_LEAST", 1000)
    parts = kinematics.forward(RIG.skeleton.parents, clip.rotations, clip.translations)
    alone = kinematics.forward(RIG.skeleton.parents, clip.rotations[450:451], clip.translations[450:451])
    for a, b, c in zip(whole, parts, alone, strict=True):
        assert np.array_equal(a, b) and np.array_equal(a[450:451], c), "one by one as in a batch"


def test_rows_of_angles_are_what_scipy_says(monkeypatch: pytest.MonkeyPatch) -> None:
    rows = np.random.default_rng(1).uniform(-400, 400, (50, 9))
    axes = np.array([[0, 1, 2], [2, 0, 1], [1, -1, -1]])
    columns = np.array([[0, 1, 2], [5, 4, 3], [8, 0, 0]])
    out = np.empty((50, 3, 4))
    kernels.rows.turned(axes, columns, rows, out)
    for j, order in enumerate(("XYZ", "ZXY", "Y")):
        angles = rows[:, columns[j, : len(order)]]
        expected = Rotation.from_euler(order, angles, degrees=True)
        assert (expected.inv() * Rotation.from_quat(out[:, j])).magnitude().max() < 1e-7
    monkeypatch.setattr(kernels, "use_compiled", lambda *_: False)
    assert np.array_equal(channels.turned(axes, columns, rows), out), "the same bits without the compiler"


WORDS = st.one_of(
    st.floats(allow_nan=False, allow_infinity=False).map(repr),
    st.floats(-1e6, 1e6).map(lambda x: f"{x:.6f}"),
    st.integers(-(10**20), 10**20).map(str),
    st.sampled_from(
        ["-.5", "+3.", "1e3", "1E-05", "0.000000", "-0", "1e400", "nan", "007", "123456789012345678", "1e-30"]
    ),
)


@settings(max_examples=200, deadline=None)
@given(st.lists(WORDS, min_size=1), st.sampled_from([" ", "\n", "\t  ", "\r\n"]), st.booleans())
def test_numbers_of_a_text_are_pythons_own(words: list[str], gap: str, compiled: bool) -> None:
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(kernels, "use_compiled", lambda *_: compiled)
        got = numbers.parse(gap.join(words).encode())
    assert np.array_equal(got, np.array([float(w) for w in words]), equal_nan=True)
    assert np.array_equal(np.signbit(got), np.signbit([float(w) for w in words])), "minus nothing stays so"


@pytest.mark.parametrize("compiled", [True, False])
@pytest.mark.parametrize("word", ["1.2.3", "--1", "e5", ".", "1e", "abc", "1,5", "-"])
def test_what_is_no_number_is_named(word: str, compiled: bool, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(kernels, "use_compiled", lambda *_: compiled)
    with pytest.raises(numbers.NotANumber) as e:
        numbers.parse(f"1 2 {word} 3".encode())
    assert e.value.word == word and e.value.offset == 4


# Oscillators -------------------------------------------------------------------------------------------------------


@pytest.mark.parametrize("damping", [0.0, 0.2, 1.0, 3.0])
def test_a_spring_is_the_filter_that_scipy_runs(damping: float) -> None:
    leads = np.cumsum(np.random.default_rng(2).normal(size=(60, 3)), axis=0)
    a01, trace, determinant = springs.decay(2.0, damping, 1 / 30)
    kick = -np.diff(leads, n=2, axis=0) * 30
    from scipy.signal import lfilter  # takes a second to import

    expected = lfilter([a01], [1.0, -trace, determinant], kick, axis=0)
    assert springs.lag(leads, 30.0, 2.0, damping)[2:] == pytest.approx(expected, abs=1e-9)


@pytest.mark.parametrize("turn", [0.0, 0.7])
def test_a_settled_loop_is_what_many_rounds_come_to(turn: float) -> None:
    """The state that comes back to itself, against sixty rounds written out one after the other."""
    rng, period = np.random.default_rng(3), 40
    base = np.stack([np.sin(np.linspace(0, 2 * np.pi, period + 1) * k + rng.uniform(0, 6)) for k in (1, 2, 3)], axis=-1)
    base -= np.linspace(0, 1, period + 1)[:, None] * (base[-1] - base[0])
    about = quat.about(1, turn)
    rounds = [base[:-1]]
    for _ in range(61):
        rounds.append(quat.rotate(about, rounds[-1]))
    long = np.concatenate(rounds)
    last = slice(60 * period, 61 * period + 1)
    expected = springs.lag(long, 30.0, 1.5, 0.15)[last]
    ends = long[60 * period - 1 : 61 * period + 2]
    assert springs.settled_lag(ends, 30.0, 1.5, 0.15, turn) == pytest.approx(expected, abs=1e-6)


# Limbs -------------------------------------------------------------------------------------------------------------


def posed_leg(bends: np.ndarray, axis: tuple[float, float, float] = (1.0, 0.0, 0.0)) -> tuple[Model, Limb]:
    """A straight leg of two bones of 0.5 m, its knee bent by angles ``(frames,)`` in radians about an axis."""
    s = chain(["thigh", "shin", "foot"], [[0, 0, 0], [0, -0.5, 0], [0, -0.5, 0]])
    q = np.tile([0.0, 0.0, 0.0, 1.0], (len(bends), 3, 1))
    q[:, 1] = quat.from_rotvec(np.array(axis) * bends[:, None])
    model = kinematics.forward(s.parents, q, np.tile(s.rest_translations, (len(bends), 1, 1)))
    return Model(*model), limb(s, 0, 1, 2)


def reached(leg: Limb, soft: float, hinge: np.ndarray, goal: np.ndarray, model: Model, short: np.ndarray) -> None:
    """The three kernels of a reach, one after the other."""
    n = len(short)
    knee, line, twist = np.empty((n, 4)), np.empty((n, 3)), np.empty(n)
    kernels.limbs.bent(leg, soft, hinge, goal, model, kernels.limbs.Ways(knee, line))
    kernels.limbs.carried(line, goal - model.placed[:, leg.root], twist)
    kernels.limbs.reach(leg, hinge, goal, kernels.limbs.Bent(knee, twist), model, short)


def test_the_bend_axis_is_carried_over_straight_frames() -> None:
    """A knee that is straight but for noise to all sides, between two clear bends, keeps its axis; by hand."""
    rng = np.random.default_rng(4)
    bends = np.radians(np.r_[np.linspace(30, 0, 20), np.zeros(20), np.linspace(0, 30, 20)])
    model, leg = posed_leg(bends)
    noisy = np.array(model.placed)
    noisy[20:40, 2] += rng.normal(0, 1e-4, (20, 3))
    hinge = limbs.hinges((model.turned, noisy), leg, np.array([0.0, 0.0, 1.0]))
    assert np.abs(hinge - [1.0, 0.0, 0.0]).max() < 1e-3


def test_reach_meets_the_law_of_cosines_and_stays_on_its_side() -> None:
    model, leg = posed_leg(np.radians(np.full(9, 40.0)))
    far = np.linspace(0.3, 0.97, 9)
    hinge = limbs.hinges((model.turned, model.placed), leg, np.array([1.0, 0.0, 0.0]))
    short = np.empty(9)
    reached(leg, 0.005, hinge, np.stack([far * 0, -far, far * 0], axis=-1), model, short)
    assert short.max() < 1e-12
    root, knee, end = (model.placed[:, j] for j in (0, 1, 2))
    inside = np.sum((root - knee) * (end - knee), axis=-1) / 0.25
    assert inside == pytest.approx((2 * 0.25 - far**2) / (2 * 0.25))
    assert (knee[:, 2] > 0).all(), "bent to the side that it was bent to"


@pytest.mark.parametrize("size", [0.0, 1e-9])
def test_a_limb_of_no_length_gives_no_nan(size: float) -> None:
    s = chain(["a", "b", "c"], [[0, 0, 0], [0, -size, 0], [0, -size, 0]])
    q = np.tile([0.0, 0.0, 0.0, 1.0], (3, 3, 1))
    model = Model(*kinematics.forward(s.parents, q, np.tile(s.rest_translations, (3, 1, 1))))
    leg, short = limb(s, 0, 1, 2), np.empty(3)
    hinge = limbs.hinges((model.turned, model.placed), leg, np.array([1.0, 0.0, 0.0]))
    reached(leg, 0.01, hinge, np.ones((3, 3)), model, short)
    assert np.isfinite(model.turned).all() and np.isfinite(model.placed).all() and np.isfinite(short).all()
    assert short == pytest.approx(math.sqrt(3), abs=1e-6)


def test_what_findings_are_read_off_is_what_scipy_says() -> None:
    """Steps off their course, bends and twists against plain versions with SciPy's rotations."""
    clip = rigs.clip(RIG, 8, 30)
    q = clip.rotations
    change, off = np.empty(q.shape[:2]), np.empty(q.shape[:2])
    kernels.changes.off_course(q, change, off)
    r = [Rotation.from_quat(q[f].copy()) for f in range(30)]
    steps = [a.inv() * b for a, b in pairwise(r)]
    changes = [(a.inv() * b).magnitude() for a, b in pairwise(steps)]
    for f in range(2, 29):
        assert 2 * np.arccos(off[f]) == pytest.approx(np.minimum(changes[f - 2], changes[f - 1]), abs=1e-6)
    assert (off[:2] == 1).all() and (off[29] == 1).all()
    t = np.array(clip.translations)
    t[12, 3] += 0.4
    kernels.changes.moved_off(t, change, off)
    second = np.linalg.norm(np.diff(t, n=2, axis=0), axis=-1)
    assert off[2:29] == pytest.approx(np.minimum(second[:-1], second[1:])) and off[12, 3] > 0.3
    way, rest = np.array([0.0, 1.0, 0.0]), np.array([0.0, 0.0, 0.0, 1.0])
    turns = np.linspace(0, 500, 40)
    round_ = Rotation.from_euler("y", turns[:, None], degrees=True).as_quat()[:, None]
    step, whole = np.empty(40), np.empty(40)
    kernels.changes.twists(kernels.changes.Bone(0, way, rest, 0.2), round_, step, whole)
    assert np.degrees(whole) == pytest.approx(turns) and np.degrees(step[1:]) == pytest.approx(np.diff(turns))
    upper, angle, axis = np.empty((30, 3)), np.empty(30), np.empty((30, 3))
    turned, placed = clip.model
    kernels.changes.bends(limb(RIG.skeleton, 1, 2, 3), Model(turned, placed), placed[:, 3], upper, angle, axis)
    a, b = placed[:, 2] - placed[:, 1], placed[:, 3] - placed[:, 2]
    cosine = (a * b).sum(axis=1) / np.linalg.norm(a, axis=1) / np.linalg.norm(b, axis=1)
    assert angle == pytest.approx(np.arccos(np.clip(cosine, -1, 1)), abs=1e-6)
    across = np.array([Rotation.from_quat(turned[f, 1].copy()).apply(axis[f]) for f in range(30)])
    assert np.cross(a, b) == pytest.approx(across * np.linalg.norm(np.cross(a, b), axis=1, keepdims=True), abs=1e-9)


def test_how_far_a_foot_slides_is_told_by_the_point_that_moves_less() -> None:
    heel, ball = np.zeros((40, 3)), np.zeros((40, 3))
    heel[:, 0] = np.linspace(0, 0.1, 40)
    ball[10:, 2] = 0.03
    stands = np.ones(40, dtype=bool)
    far, where = np.empty(2), np.empty(2, dtype=np.intp)
    foot = kernels.changes.Stood(np.array([heel, ball]), np.array([stands, stands]), 0.01, 0)
    kernels.changes.slides(foot, np.array([[0, 39], [10, 39]]), far, where)
    assert far == pytest.approx([0.03, 0.0]) and 10 <= where[0] <= 12 + 4


def test_a_course_is_what_scipys_banded_solver_finds() -> None:
    """The least squares of what is wanted, by its weight, and of the change from frame to frame."""
    rng = np.random.default_rng(5)
    weight, wanted, out = rng.uniform(0.001, 9.0, 40), rng.normal(size=40), np.empty(40)
    kernels.courses.settle(weight, wanted, 2.5, out)
    links = np.full(40, 5.0)
    links[[0, -1]] = 2.5
    bands = np.stack([np.r_[0.0, np.full(39, -2.5)], weight + links, np.r_[np.full(39, -2.5), 0.0]])
    assert out == pytest.approx(solve_banded((1, 1), bands, weight * wanted))


def test_a_line_carried_past_its_far_side_turns_on_evenly() -> None:
    """The way passes within 2° of straight away: a least turn found anew flips there, by nearly half a turn."""
    n = 41
    line = np.tile([0.0, -1.0, 0.0], (n, 1))
    angle = np.radians(np.linspace(-20, 20, n))
    way = np.stack([np.sin(angle), np.cos(angle), np.full(n, np.sin(np.radians(2)))], axis=-1)
    twist = np.empty(n)
    kernels.limbs.carried(line, way, twist)
    least = Rotation.concatenate([Rotation.align_vectors(w[None], l[None])[0] for w, l in zip(way, line, strict=True)])
    along = way / np.linalg.norm(way, axis=1, keepdims=True)
    turned = Rotation.from_rotvec(along * twist[:, None]) * least
    steps = [np.degrees((b * a.inv()).magnitude()) for a, b in pairwise(turned)]
    plain = [np.degrees((b * a.inv()).magnitude()) for a, b in pairwise(least)]
    assert max(plain) > 20 and max(steps) < 3
