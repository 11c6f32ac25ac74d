"""Compiling every kernel for what it is called with, so that nobody waits for it later."""

from __future__ import annotations

import numpy as np

from reflexa.motion import eases, kernels, keying, kinematics, limbs, mixing, resample, springs, stances
from reflexa.motion.arrays import Array
from reflexa.motion.clip import Clip
from reflexa.motion.kernels.parts import Blocks, Model, Way
from reflexa.motion.limbs import limb
from reflexa.motion.skeleton import chain


def warm() -> None:
    """Call every kernel once, on a leg of three joints. From the cache this takes some tenths of a second; without one, as
    long as the compiler takes."""
    skeleton = chain(["a", "b", "c"], [[0, 0, 0], [0, -1, 0.1], [0, -1, -0.1]])
    rotations = np.tile([0.0, 0.0, 0.0, 1.0], (2, 3, 1))
    model = kinematics.forward(skeleton.parents, rotations, np.tile(skeleton.rest_translations, (2, 1, 1)))
    leg = limb(skeleton, 0, 1, 2)
    axis = limbs.hinges(model, leg, np.array([1.0, 0.0, 0.0]))
    limbs.bend(model, leg)
    posed = limbs.at_frames(skeleton, model, rotations, np.arange(2))
    goal = np.tile([0.0, -1.5, 0.0], (2, 1))
    values, others, counts = np.empty(2), np.empty((1, 3), dtype=np.int64), np.zeros(2, dtype=np.int64)
    kernels.text.numbers(np.frombuffer(b"1.5", dtype=np.uint8), values, others, counts)
    kernels.rows.turned(
        np.zeros((1, 3), dtype=np.int64), np.zeros((1, 3), dtype=np.int64), np.ones((2, 1)), np.empty((2, 1, 4))
    )
    kernels.rotations.multiply(rotations[0], rotations[1], np.empty((3, 4)))
    kernels.rotations.rotate(rotations[0], skeleton.rest_translations, np.empty((3, 3)))
    joints = np.arange(3)
    kernels.chains.mapped(joints, joints, np.tile(np.eye(4), (3, 1, 1)), rotations, np.empty((2, 3, 4)))
    kernels.chains.settled(rotations, np.empty((2, 3, 4)))
    deep, way = np.empty((2, 1)), np.empty((2, 1, 3))
    block = Blocks(np.zeros(1, dtype=np.intp), np.ones((1, 3)), np.ones((1, 3, 3)), np.ones((1, 3)), np.ones(1))
    kernels.blocks.aparts(block, Model(*model), model[1][:, 0], np.empty((2, 1)))
    kernels.blocks.nearest(block, 1.0, Model(*model), model[1][:, 0], np.empty((2, 4)), np.empty((2, 1)))
    kernels.blocks.depths(block, 0.1, Model(*model), model[1][:, :1], deep, way)
    kernels.blocks.entries(block, np.ones(1), Model(*model), model[1][:, :1], deep)
    rest = np.zeros((2, 3))
    one = kernels.solving.Arm(
        leg, axis, rest, np.ones((1, 2)), np.ones(1), block, block, goal, np.ones(2), np.zeros((2, 1))
    )
    stiff = kernels.solving.Stiffness(0.01, 0.01, 0.1, 1.0, 1)
    moved = Model(*(np.array(a) for a in model))
    kernels.solving.arms(
        kernels.solving.Arms(one, one, True, rest, np.ones(2), True, True), stiff, moved, np.empty((2, 8))
    )
    given = np.ones((3, 2), dtype=bool)
    kernels.chains.hang(
        skeleton.parents, skeleton.rest_rotations, skeleton.rest_translations, given, *map(np.array, model)
    )
    _warm_spans()
    _warm_feet(Model(*model))
    _warm_changes(Model(*model), rotations, np.tile(skeleton.rest_translations, (2, 1, 1)))
    clip = resample.at_frames(
        Clip("warm", skeleton, rotations, np.tile(skeleton.rest_translations, (2, 1, 1)), 30.0), [0.5, 1.0]
    )
    resample.at_frames(clip, [0.5], smooth=True)
    keying.reduced(resample.at_frames(clip, [0.0, 0.5, 1.0]), 1.0, 1.0)
    mixing.mixed(clip, clip.with_motion(clip.rotations[::-1], clip.translations), np.full((2, 3), 0.5))
    q, p = np.empty((2, 4)), np.empty((2, 3))
    kernels.chains.carried(0, skeleton.rest_rotations[0], np.zeros(3), Model(*model), q, p)
    kernels.chains.against(0, Model(*model), q.copy(), p.copy(), q, p)
    limbs.turn_about(posed, joints, p, q)
    limbs.posed_clip(clip, posed, np.arange(2))
    posed.dirty.add(0)
    posed.rotations()
    springs.lag(np.zeros((4, 3)), 30.0, 1.0, 0.5)
    limbs.reach(posed, leg, limbs.on_the_way(posed, leg, Way(goal, np.ones(2)), axis), axis)


def _warm_changes(model: Model, rotations: Array, translations: Array) -> None:
    at, one = np.arange(2), np.empty(2)
    kernels.changes.off_course(rotations, np.empty((2, 3)), np.empty((2, 3)))
    kernels.changes.moved_off(translations, np.empty((2, 3)), np.empty((2, 3)))
    kernels.changes.moved(rotations, at, one)
    bone = kernels.changes.Bone(0, np.array([0.0, 1.0, 0.0]), np.array([0.0, 0.0, 0.0, 1.0]), 0.5)
    kernels.changes.twists(bone, rotations, one, one.copy())
    foot = kernels.changes.Stood(np.stack([model.placed[:, 2]] * 2), np.ones((2, 2), dtype=bool), 0.01, 0)
    kernels.changes.slides(foot, np.array([[0, 1]]), np.empty(1), np.empty(1, dtype=np.intp))


def _warm_spans() -> None:
    track = np.zeros((4, 3))
    speed = stances.speeds(track, 30.0)
    stands = [stances.standing(speed, speed, 1.0, 1.0)] * 3
    stances.as_held([track] * 3, stands, 2)
    eases.eased(track, 1, 1)
    steps, out = kernels.spans.Steps(1.0, 2, 2, 0.1), np.empty((3, 4), dtype=bool)
    kernels.spans.refined(steps, np.array(stands), np.array([track] * 3), track, out)


def _warm_feet(model: Model) -> None:
    v = np.array([0.0, 1.0, 0.0])
    foot = kernels.feet.Foot(2, -1, v, v, v, v, v, v)
    held = kernels.feet.Held(np.array([[0, 1, 0, 1, 1]]), v[None], np.zeros(2), 1, 1, kernels.feet.MEAN)
    ways = kernels.feet.Turns(*(np.empty((2, k)) for k in (4, 4, 3, 3, 3, 3)))
    kernels.feet.turns(foot, held, True, model, ways)
    places, offset, down = np.empty((1, 3)), np.empty((2, 3)), np.empty(2, dtype=bool)
    ankle = np.array(model.placed[:, 2])
    kernels.feet.swivels(held, ankle, ankle, ways)
    kernels.feet.places(held, ankle, ways, places)
    kernels.feet.goals(held, places, ankle, ways, offset, down)
