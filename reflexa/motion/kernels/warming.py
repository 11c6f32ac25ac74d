"""Compiling every kernel for what it is called with, so that nobody waits for it later."""

from __future__ import annotations

import numpy as np

from reflexa.motion import kernels, kinematics, limbs, springs
from reflexa.motion.kernels.parts import Blocks, Model
from reflexa.motion.limb import Way, limb
from reflexa.motion.skeleton import chain


def warm() -> None:
    """Call every kernel once, on a leg of three joints. From the cache this takes some tenths of a second; without one, as
    long as the compiler takes."""
    skeleton = chain(["a", "b", "c"], [[0, 0, 0], [0, -1, 0.1], [0, -1, -0.1]])
    rotations = np.tile([0.0, 0.0, 0.0, 1.0], (2, 3, 1))
    model = kinematics.forward(skeleton.parents, rotations, np.tile(skeleton.rest_translations, (2, 1, 1)))
    leg = limb(skeleton, 0, 1, 2)
    axis = limbs.hinges(model, leg, np.array([1.0, 0.0, 0.0]))
    posed = limbs.at_frames(skeleton, model, rotations, np.arange(2))
    goal = np.tile([0.0, -1.5, 0.0], (2, 1))
    values, others, counts = np.empty(2), np.empty((1, 3), dtype=np.int64), np.zeros(2, dtype=np.int64)
    kernels.text.numbers(np.frombuffer(b"1.5", dtype=np.uint8), values, others, counts)
    kernels.rows.turned(
        np.zeros((1, 3), dtype=np.int64), np.zeros((1, 3), dtype=np.int64), np.ones((2, 1)), np.empty((2, 1, 4))
    )
    joints = np.arange(3)
    kernels.chains.mapped(joints, joints, np.tile(np.eye(4), (3, 1, 1)), rotations, np.empty((2, 3, 4)))
    kernels.chains.settled(rotations, np.empty((2, 3, 4)))
    deep, way = np.empty((2, 1)), np.empty((2, 1, 3))
    block = Blocks(np.zeros(1, dtype=np.intp), np.ones((1, 3)), np.ones((1, 3, 3)), np.ones((1, 3)))
    kernels.blocks.depths(block, 0.1, Model(*model), model[1][:, :1], deep, way)
    given = np.ones((3, 2), dtype=bool)
    kernels.chains.hang(
        skeleton.parents, skeleton.rest_rotations, skeleton.rest_translations, given, *map(np.array, model)
    )
    posed.loose.add(0)
    posed.rotations()
    springs.lag(np.zeros((4, 3)), 30.0, 1.0, 0.5)
    limbs.reach(posed, leg, limbs.on_the_way(posed, leg, Way(goal, np.ones(2)), axis), axis)
