"""Weight: the centre of mass by the table, flight against the closed form, balance against what bears.

Masses: Winter, Biomechanics and Motor Control of Human Movement (2009), table 4.1, from memory. Captures: tests/data/SOURCES.md.
"""

from __future__ import annotations

import numpy as np
import pytest

from quality import clips
from reflexa.checks import Subject
from reflexa.checks.flight import GRAVITY
from reflexa.checks.registry import CHECKS
from reflexa.formats import read
from reflexa.motion.clip import Clip, rest_clip
from reflexa.motion.resample import at_frames
from reflexa.rig.masses import centre_of_mass, segments
from reflexa.steps import apply
from tests.helpers.files import DATA

DECKHAND = clips.demo_rigs()["deckhand"].rig
FLIGHT, BALANCE = CHECKS["flight"], CHECKS["balance"]


def leaping(seconds: float, fall: float, rate: float = 30.0, high: float = 0.0) -> Clip:
    """A figure thrown up as it stands, for so long in the air, falling at so many m/s²; still before and after it."""
    n = round(seconds * rate)
    t = np.arange(n + 1) / rate
    height = fall / 2 * t * (t[-1] - t)
    track = np.concatenate([np.zeros(8), height, np.zeros(8)]) + high
    clip = at_frames(rest_clip(DECKHAND.skeleton, "leap", rate), np.zeros(len(track)))
    translations = np.array(clip.translations)
    translations[:, DECKHAND.joint("pelvis"), 1] += track
    return clip.with_motion(clip.rotations, translations)


def test_the_shares_of_a_body_sum_to_one_and_its_centre_lies_in_the_pelvis() -> None:
    """Standing, the centre of mass is at 55 to 57 % of the height (from memory: Winter; Drillis & Contini)."""
    assert sum(s.share for s in segments(DECKHAND)) == pytest.approx(1.0)
    centre = centre_of_mass(rest_clip(DECKHAND.skeleton), DECKHAND)
    assert centre is not None and 0.52 < centre[0, 1] / DECKHAND.height < 0.61
    assert abs(centre[0, 0]) < 0.01, "a figure that is alike on both sides is in balance sideways"


def test_a_birds_weight_nobody_knows() -> None:
    heron = clips.demo_rigs()["heron"].rig
    assert centre_of_mass(rest_clip(heron.skeleton), heron) is None
    assert not FLIGHT.run(Subject(rest_clip(heron.skeleton), heron))


@pytest.mark.parametrize("seconds", [0.4, 0.6, 0.9])
@pytest.mark.parametrize("rate", [24.0, 30.0, 120.0])
def test_what_is_thrown_falls_as_everything_does(seconds: float, rate: float) -> None:
    """Closed form: so long in the air, at g."""
    assert not FLIGHT.run(Subject(leaping(seconds, GRAVITY, rate), DECKHAND))


@pytest.mark.parametrize("seed", range(20))
def test_floating_and_plunging_leaps_are_found_at_random_places_and_sizes(seed: int) -> None:
    r = np.random.default_rng(seed)
    factor = r.choice([r.uniform(0.3, 0.78), r.uniform(1.25, 2.5)])
    clip = leaping(float(r.uniform(0.45, 0.9)), GRAVITY * factor, float(r.choice([24, 30, 60])))
    (found,) = FLIGHT.run(Subject(clip, DECKHAND))
    assert found.size == pytest.approx(100 * abs(factor - 1), abs=8) and 7 <= found.frames[0] <= 12


@pytest.mark.parametrize("factor", [0.45, 0.7, 1.4, 2.0])
def test_a_flight_is_repaired_by_its_time_or_its_arc(factor: float) -> None:
    clip = leaping(0.7, GRAVITY * factor, 60.0)
    (found,) = FLIGHT.run(Subject(clip, DECKHAND))
    assert found.repair is not None
    after = apply(found.repair.step(), clip, DECKHAND)
    assert not FLIGHT.run(Subject(after, DECKHAND)), "it falls as everything does"
    high = [float(np.ptp(c.model[1][:, DECKHAND.joint("pelvis"), 1])) for c in (clip, after)]
    if found.repair.kind == "retime":
        assert after.frames != clip.frames and high[1] == pytest.approx(high[0], rel=0.03), "as high, in another time"
    else:
        assert after.frames == clip.frames and high[1] == pytest.approx(high[0] / factor, rel=0.1), "in the same time"
    assert np.abs(after.model[1][-1] - clip.model[1][-1]).max() < 1e-6


@pytest.mark.parametrize("seed", range(20))
def test_a_body_that_stands_beside_its_feet_is_found(seed: int) -> None:
    r = np.random.default_rng(seed)
    clip = at_frames(rest_clip(DECKHAND.skeleton, "stands", 30.0), np.zeros(45))
    assert not BALANCE.run(Subject(clip, DECKHAND))
    from reflexa.motion import quat
    from reflexa.motion.arrays import owned

    # The body above the hips, tipped ahead or back while the feet stay: feet turned back under it by the same.
    lean = float(r.choice([-1, 1]) * r.uniform(0.28, 0.4))
    rotations = np.array(clip.rotations)
    tip = quat.from_rotvec(np.array([lean, 0.0, 0.0]))
    for j in DECKHAND.skeleton.roots:
        rotations[:, j] = quat.multiply(tip, rotations[:, j])
    for side in ("left", "right"):
        foot = DECKHAND.joint(f"{side} foot")
        turned = clip.model[0][:, DECKHAND.skeleton.parents[foot]]
        back = quat.multiply(quat.multiply(quat.conjugate(turned), quat.conjugate(tip)), turned)
        rotations[:, foot] = quat.multiply(back, rotations[:, foot])
    leaning = clip.with_motion(owned(rotations), clip.translations)
    down = min(float(leaning.model[1][0, DECKHAND.joint(f"{s} foot"), 1]) for s in ("left", "right"))
    translations = np.array(leaning.translations)
    up = clip.model[1][0, DECKHAND.joint("left foot"), 1] - down
    translations[:, list(DECKHAND.skeleton.roots)] += [0.0, up, 0.0]
    found = BALANCE.run(Subject(leaning.with_motion(leaning.rotations, translations), DECKHAND))
    assert [f.kind for f in found] == ["balance"] and found[0].size > 6
    assert found[0].repair is not None
    led = apply(found[0].repair.step(), leaning.with_motion(leaning.rotations, translations), DECKHAND)
    left = BALANCE.run(Subject(led, DECKHAND))
    assert not left or left[0].size < 0.5 * found[0].size, "it leans as far as the legs let it"


@pytest.mark.parametrize("name", ["01_01_cut", "boxing_cut", "humanoid3d_run", "humanoid3d_walk"])
def test_captures_neither_float_nor_fall_over(name: str) -> None:
    d = read(DATA / f"{name}.bvh")
    for clip in d.clips:
        s = Subject(clip, d.rig)
        assert not FLIGHT.run(s) and not BALANCE.run(s)
