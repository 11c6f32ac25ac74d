"""Two rigs side by side: what stands for what, how they are aligned, how sizes compare."""

from __future__ import annotations

import numpy as np
import pytest

from reflexa.formats import read
from reflexa.motion import quat
from reflexa.motion.skeleton import Skeleton, chain
from reflexa.rig import analyse
from reflexa.rig.match import leg_length, match, rename_map, standing_height
from tests.helpers import rigs
from tests.helpers.files import DATA


def spine_rig(heights: list[float]):
    """Hips at 1 m with a spine whose joints stand at given heights, a neck at 1.6 m, and legs."""
    n = len(heights)
    names = ["hips", *(f"spine_{i}" for i in range(n)), "neck"]
    names += [f"{part}_{side}" for side in "lr" for part in ("thigh", "shin", "foot")]
    parents = [-1, *range(n), n, 0, n + 2, n + 3, 0, n + 5, n + 6]
    places = [[0, 1, 0], *([0, h, 0] for h in heights), [0, 1.6, 0]]
    places += [[s * 0.1, y, 0.02 * (y < 0.2)] for s in (1, -1) for y in (0.95, 0.5, 0.08)]
    placed = np.array(places, float)
    t = np.array([placed[j] - (placed[p] if p >= 0 else 0) for j, p in enumerate(parents)])
    return analyse(Skeleton(tuple(names), np.array(parents), np.tile(quat.IDENTITY, (len(names), 1)), t))


def test_a_spine_takes_the_rotation_at_the_same_share_of_its_length() -> None:
    """Two even joints onto four even ones, worked by hand: a quarter of the way is half of the first joint's turn; half
    is all of it; three quarters is half way from the first to the second; the end is the second."""
    two, four = spine_rig([1.0, 1.3]), spine_rig([1.0, 1.15, 1.3, 1.45])
    m = match(two, four)
    index, own = two.skeleton.index, four.skeleton.index
    columns = (m.targets, m.below, m.above, m.share)
    rows = {t: (a, b, s) for t, a, b, s in zip(*(c.tolist() for c in columns), strict=True)}
    hips, first, second = index["hips"], index["spine_0"], index["spine_1"]
    assert rows[own["spine_0"]] == (hips, first, pytest.approx(0.5))
    assert rows[own["spine_1"]] == (first, first, 0.0)
    assert rows[own["spine_2"]] == (first, second, pytest.approx(0.5))
    assert rows[own["spine_3"]] == (second, second, 0.0)
    back = match(four, two)
    assert back.whole.all(), "every joint of the short spine ends where one of the long spine does"


@pytest.mark.parametrize("seed", range(4))
def test_limb_segments_of_the_aligned_rest_point_as_the_sources_and_soles_stay_flat(seed: int) -> None:
    a, b = rigs.rig(seed, seed), rigs.rig(seed + 5, seed + 2, arms_down=40.0, extras=True)
    m = match(a, b)
    rest, aligned = a.skeleton.rest_model[1], m.aligned_rest[1]
    assert len(m.segments) == 14
    for s in m.segments:
        x, y = rest[s.source[1]] - rest[s.source[0]], aligned[s.target[1]] - aligned[s.target[0]]
        if s.part.endswith("foot"):
            own = b.skeleton.rest_model[1]
            before = own[s.target[1]] - own[s.target[0]]
            assert y[1] == pytest.approx(before[1]), "a foot is turned about up alone"
            x, y = x * [1, 0, 1], y * [1, 0, 1]
        assert np.degrees(np.arctan2(np.linalg.norm(np.cross(x, y)), x @ y)) < 1e-5, s.part
    spine = b.skeleton.index[b.body_map["spine"][0]]
    assert quat.angle(m.aligned[spine]) == 0, "posture is the target's own"


def test_sizes_compare_by_leg_and_by_hips_wherever_the_pelvis_joint_is() -> None:
    a, b = rigs.rig(1), rigs.rig(1, scale=1.5)
    m = match(a, b)
    assert (m.stride, m.rise) == (pytest.approx(1.5), pytest.approx(1.5))
    cmu = read(DATA / "01_01_cut.bvh").rig
    placed = cmu.skeleton.rest_model[1]
    by_hand = np.mean([
        np.linalg.norm(placed[cmu.joint(f"{s} shin")] - placed[cmu.joint(f"{s} thigh")])
        + np.linalg.norm(placed[cmu.joint(f"{s} foot")] - placed[cmu.joint(f"{s} shin")]) for s in ("left", "right")
    ])  # fmt: skip
    assert leg_length(cmu) == pytest.approx(by_hand)
    walk = read(DATA / "humanoid3d_walk.bvh").rig
    assert abs(match(walk, cmu).rise - match(walk, cmu).stride) < 0.06, "10 cm of pelvis above the hips do not count"
    # Thigh, shin, and a bare ankle by Drillis & Contini's proportions (as in stance.py): its rest pose says 2 cm.
    legs = 0.4215 + 0.4099
    assert standing_height(walk, walk.skeleton.rest_model[1]) == pytest.approx(legs * (1 + 0.039 / 0.491), abs=1e-3)


def test_what_only_one_rig_has_is_named() -> None:
    walk, cmu = read(DATA / "humanoid3d_walk.bvh").rig, read(DATA / "01_01_cut.bvh").rig
    m = match(walk, cmu)
    assert not m.only_source and {"head", "left hand", "left toes", "left finger base"} <= set(m.only_target)
    assert match(cmu, walk).only_source == m.only_target
    nothing = match(analyse(chain(["a", "b"], [[0, 0, 0], [0, 1, 0]])), walk)
    assert len(nothing.targets) == 0 and nothing.stride > 0


def test_free_chains_meet_by_name() -> None:
    a, b = rigs.rig(1), rigs.rig(2, 3)
    m = match(a, b)
    assert b.skeleton.index["tail"] in m.targets.tolist()
    assert match(a, rigs.rig(2, 3, drop=("tail",))).only_source == ("tail",)


def test_joints_in_one_place_are_told_apart_by_side_and_name() -> None:
    """Two bones of no length below the hips, one a side: a rename keeps each with what hangs on it."""
    rig = read(DATA / "01_01_cut.bvh").rig
    s = rig.skeleton
    other = analyse(Skeleton(tuple(f"x_{n}" for n in s.names), s.parents, s.rest_rotations, s.rest_translations))
    table = rename_map(rig, other)
    assert table == {n: f"x_{n}" for n in s.names}
    moved = s.rest_translations + 0.0
    moved[s.index["LeftForeArm"]] *= 1.2
    assert rename_map(rig, analyse(Skeleton(other.skeleton.names, s.parents, s.rest_rotations, moved))) is None
