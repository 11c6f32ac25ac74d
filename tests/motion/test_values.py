"""Values cannot be changed from outside, and what is kept of them is never stale."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from reflexa.motion import cycle, quat
from reflexa.motion.arrays import frozen, owned
from reflexa.motion.clip import Clip
from reflexa.motion.skeleton import Skeleton
from reflexa.rig import Mesh
from tests.helpers import rigs


@pytest.mark.parametrize("made", [lambda a: a, lambda a: a[:], lambda a: a.reshape(a.shape), lambda a: a.view()])
def test_a_frozen_array_is_out_of_reach_of_whoever_has_its_memory(made) -> None:
    mine = np.arange(12.0).reshape(4, 3)
    kept = frozen(made(mine))
    mine[0, 0] = 99.0
    assert kept[0, 0] == 0.0 and not kept.flags.writeable and mine.flags.writeable
    view = mine[:]
    view.flags.writeable = False
    kept = frozen(view)
    mine[0, 0] = 5.0
    assert kept[0, 0] == 99.0, "a read-only view of memory that somebody can write is copied"
    assert frozen(kept) is kept, "what is out of reach already is not"


def test_what_is_handed_over_is_not_copied_and_cannot_be_written_any_more() -> None:
    made = np.zeros((3, 3))
    assert owned(made) is made and frozen(made) is made
    with pytest.raises(ValueError, match="read-only"):
        made[0] = 1.0


def test_a_clip_and_a_skeleton_keep_what_they_were_made_of_and_leave_its_owner_alone() -> None:
    rig = rigs.rig(1)
    clip = rigs.clip(rig, 1)
    q, t, parents = (np.array(a) for a in (clip.rotations, clip.translations, rig.skeleton.parents))
    skeleton = Skeleton(
        rig.skeleton.names, parents, np.array(rig.skeleton.rest_rotations), rig.skeleton.rest_translations
    )
    made = Clip("x", skeleton, q, t, 30.0)
    digest, places = made.digest, made.model[1].copy()
    q[:] = [0, 0, 0, 1]
    t[:] = 7.0
    parents[:] = 0  # the caller's own: still writable
    assert np.array_equal(made.model[1], places) and replace(made).digest == digest
    assert made.skeleton.parents.tolist() == rig.skeleton.parents.tolist()
    for array in (made.rotations, made.translations, *made.model, skeleton.parents, skeleton.rest_rotations):
        with pytest.raises(ValueError, match="read-only"):
            array[0] = 0


def test_a_clip_that_was_shifted_cannot_be_changed_either(deckhand_clips, deckhand_rig) -> None:
    out = cycle.shifted(deckhand_clips["walk"], deckhand_rig.travel_joint, 7)
    before = out.digest
    for array in (out.rotations, out.translations):
        base = array
        while base is not None:
            assert not base.flags.writeable if isinstance(base, np.ndarray) else True
            base = getattr(base, "base", None)
    assert replace(out).digest == before


def test_what_somebody_told_of_the_pose_is_never_carried_over_to_another(deckhand_clips) -> None:
    walk = deckhand_clips["walk"]
    told = Clip("told", walk.skeleton, walk.rotations, walk.translations, 30.0, known_model=walk.model)
    assert told.model[1] is walk.model[1], "nobody computes it again"
    moved = replace(told, translations=walk.translations + 1.0)
    assert np.abs(moved.model[1] - walk.model[1]).max() > 0.5


def shod(rig, deeper: float):
    """The rig in a skin whose soles lie so much deeper: boots with a thick sole."""
    foot = rig.joint("left foot")
    place = rig.skeleton.rest_model[1][foot]
    corners = place + np.array([[-0.05, -deeper, -0.1], [0.05, -deeper, -0.1], [0.0, -deeper, 0.2]])
    mesh = Mesh(
        corners, np.tile([0.0, -1.0, 0.0], (3, 1)), np.array([[0, 1, 2]], dtype=np.uint32),
        np.full((3, 4), foot, dtype=np.uint16), np.tile([1.0, 0.0, 0.0, 0.0], (3, 1)), inverse_rest(rig), np.ones((3, 3)),
    )  # fmt: skip
    return replace(rig, meshes=(mesh,))


def inverse_rest(rig) -> np.ndarray:
    turned, placed = rig.skeleton.rest_model
    out = np.tile(np.eye(4), (len(turned), 1, 1))
    out[:, :3, :3] = quat.to_matrix(turned)
    out[:, :3, 3] = placed
    return np.linalg.inv(out)


def test_two_rigs_with_the_same_joints_and_other_shoes_are_two() -> None:
    """A second file with the same skeleton and other shoes must not get the first one's cached contacts."""
    rig = rigs.rig(3)
    thin, thick = shod(rig, 0.06), shod(rig, 0.14)
    assert thin.key == thick.key and len({rig.digest, thin.digest, thick.digest}) == 3
    assert shod(rig, 0.06).digest == thin.digest, "the same shoes are the same"


@pytest.mark.parametrize("field", ["body_map", "chains", "twists", "helpers", "tips", "fits"])
def test_what_is_known_of_a_rig_cannot_be_changed_from_outside(field) -> None:
    rig = rigs.rig(4, extras=True)
    with pytest.raises(TypeError):
        getattr(rig, field)["x"] = ()
