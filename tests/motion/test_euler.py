"""Euler angles that go on: the same rotations, no jump where the motion has none, and the same between frames."""

from __future__ import annotations

import itertools
from pathlib import Path

import numpy as np
import pytest
from scipy.spatial.transform import Rotation, Slerp

from reflexa.formats import read
from reflexa.motion import quat
from reflexa.motion.clip import Clip
from reflexa.motion.euler import continued
from tests.helpers.commands import run
from tests.helpers.files import DATA

ORDERS = ["".join(p) for p in itertools.permutations("XYZ")] + ["ZXZ", "XYX"]


def steady(order: str, degrees: float = 5.0, frames: int = 80) -> np.ndarray:
    """Rotations that turn by so much a frame about an axis that lies near a channel's, and so pass close by gimbal lock."""
    start = quat.from_euler(np.array([0.3, 0.2, -0.4]), order)
    axis = np.zeros(3)
    axis["XYZ".index(order[1])] = 1.0
    axis += [0.07, -0.05, 0.06]
    steps = np.radians(degrees) * np.arange(frames)[:, None] * axis / np.linalg.norm(axis)
    return quat.multiply(start, quat.from_rotvec(steps))


@pytest.mark.parametrize("order", ORDERS)
def test_no_channel_jumps_where_the_joint_does_not(order: str) -> None:
    """Source of the rotations between frames: scipy's Slerp."""
    q = steady(order)
    angles = continued(q, order)
    assert np.abs(np.abs((quat.from_euler(angles, order) * q).sum(-1)) - 1).max() < 1e-9
    jumps = np.abs(np.diff(np.degrees(angles), axis=0)).max()
    plain = np.abs(np.diff(np.degrees(np.unwrap(quat.to_euler(q, order), axis=0)), axis=0)).max()
    assert jumps < 90 and (plain < 90 or jumps < 0.5 * plain), (jumps, plain)
    between = quat.from_euler((angles[1:] + angles[:-1]) / 2, order)
    slerp = Slerp(np.arange(len(q)), Rotation.from_quat(q))(np.arange(len(q) - 1) + 0.5).as_quat()
    off = 2 * np.degrees(np.arccos(np.clip(np.abs((between * slerp).sum(-1)), 0, 1)))
    assert off.max() < 3


@pytest.mark.parametrize("order", ORDERS[:6])
def test_through_gimbal_lock_itself(order: str) -> None:
    q = quat.from_euler(
        np.stack([np.full(37, 0.4), np.radians(np.arange(37) * 5.0), np.full(37, -0.7)], axis=-1), order
    )
    angles = np.degrees(continued(q, order))
    assert np.abs(np.diff(angles, axis=0)).max() < 5 + 1e-6
    assert np.abs(np.abs((quat.from_euler(np.radians(angles), order) * q).sum(-1)) - 1).max() < 1e-9


def channels(path: Path) -> np.ndarray:
    lines = path.read_text().split("Frame Time:")[1].splitlines()[1:]
    return np.array([[float(v) for v in line.split()] for line in lines if line.strip()])


@pytest.mark.parametrize("name", ["01_01_cut.bvh", "boxing_cut.bvh", "humanoid3d_spinkick.bvh", "humanoid3d_roll.bvh"])
def test_what_is_written_goes_on_and_what_is_not_changed_stays(name: str, tmp_path: Path) -> None:
    assert run("convert", DATA / name, tmp_path / "same.bvh")[0] == 0
    before, same = channels(DATA / name), channels(tmp_path / "same.bvh")
    assert before.shape == same.shape
    assert run("apply", DATA / name, "--step", "mirror", "--frame", "clean", "--out", tmp_path)[0] == 0
    (clip,) = read(tmp_path / name).clips
    assert isinstance(clip, Clip)
    step = 2 * np.degrees(np.arccos(np.clip(np.abs((clip.rotations[1:] * clip.rotations[:-1]).sum(-1)), 0, 1)))
    jumps = np.abs(np.diff(channels(tmp_path / name), axis=0))[:, 3:]
    assert jumps.max() < 120 + step.max(), "no channel turns half round where no joint does"


@pytest.mark.parametrize("frame", ["source", "clean"])
@pytest.mark.parametrize("order", ORDERS[:6])
def test_channels_stand_in_the_order_that_is_asked_for(order: str, frame: str, tmp_path: Path) -> None:
    name = "humanoid3d_spinkick.bvh"
    assert run("convert", DATA / name, tmp_path / name, "--channels", order, "--frame", frame)[0] == 0
    text = (tmp_path / name).read_text()
    wanted = " ".join(f"{a}rotation" for a in order)
    lines = [line.strip() for line in text.splitlines() if "CHANNELS" in line]
    assert lines and all(line.endswith(wanted) for line in lines)
    (made,), (was,) = read(tmp_path / name).clips, read(DATA / name).clips
    assert np.abs(made.model[1] - was.model[1]).max() < 1e-4
