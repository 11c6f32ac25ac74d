"""From rig to rig: knowing a rig, retarget and mirror, beside what it takes two general libraries to evaluate the clip."""

from __future__ import annotations

import json
import shutil
import subprocess
import tempfile
from dataclasses import replace
from importlib.resources import files
from pathlib import Path

import numpy as np

from benchmarks.measure import best, heading, line
from reflexa.formats import encode, read
from reflexa.motion import quat
from reflexa.motion.clip import Clip
from reflexa.motion.skeleton import Skeleton
from reflexa.rig import Rig, analyse
from reflexa.steps.correction import CorrectionSettings, correct, set_key, usual_drive
from reflexa.steps.mirror import MirrorSettings, mirror
from reflexa.steps.retarget import RetargetSettings, retarget

_NODE = Path(__file__).parents[1] / "tests" / "node"
_TIMED = """
import { readFileSync } from "node:fs";
import { AnimationMixer } from "three";
import { GLTFLoader } from "three/addons/loaders/GLTFLoader.js";
globalThis.self ??= globalThis;
const bytes = readFileSync(process.argv[2]);
const gltf = await new GLTFLoader().parseAsync(bytes.buffer.slice(bytes.byteOffset, bytes.byteOffset + bytes.byteLength), "");
const mixer = new AnimationMixer(gltf.scene);
mixer.clipAction(gltf.animations[0]).play();
let best = 1e9;
for (let r = 0; r < 5; ++r) {
  const start = performance.now();
  for (let f = 0; f < Number(process.argv[3]); ++f) { mixer.setTime(f / 30); gltf.scene.updateMatrixWorld(true); }
  best = Math.min(best, performance.now() - start);
}
console.log(JSON.stringify(best));
"""


def demo_rig(name: str) -> Rig:
    return read(Path(str(files("reflexa.demo").joinpath(f"project/sources/{name}.glb")))).rig


def padded(rig: Rig, joints: int) -> Rig:
    """The rig with more joints (chains on the chest) up to a number."""
    s = rig.skeleton
    names, parents = list(s.names), s.parents.tolist()
    q, t = list(s.rest_rotations), list(s.rest_translations)
    carrier = s.index[rig.body_map["spine"][-1]]
    while len(names) < joints:
        k = len(names)
        names.append(f"strap_{k}")
        parents.append(carrier if k % 6 == 0 else k - 1 if k > len(s) else carrier)
        q.append(quat.IDENTITY)
        t.append(np.array([0.01, 0.02, 0.03]))
    return analyse(Skeleton(tuple(names), np.array(parents), np.array(q), np.array(t)))


def moving(rig: Rig, frames: int) -> Clip:
    """A walk-like made clip of any rig."""
    s = rig.skeleton
    rng = np.random.default_rng(2)
    waves = 0.25 * np.sin(np.linspace(0, 40, frames)[:, None, None] + rng.uniform(0, 6, (len(s), 3)))
    rotations = quat.multiply(s.rest_rotations, quat.from_rotvec(waves))
    return Clip("made", s, quat.continuous(rotations), np.tile(s.rest_translations, (frames, 1, 1)), 30.0)


def knowing() -> None:
    heading("Knowing a rig of 300 joints: body map, pairs, chains, helper joints (goal: under 50 ms)")
    for joints in (150, 300):
        rig = padded(demo_rig("deckhand"), joints)
        s = rig.skeleton
        silent = Skeleton(tuple(f"j{i}" for i in range(joints)), s.parents, s.rest_rotations, s.rest_translations)
        copy = best(lambda s=s: (np.array(s.rest_rotations), np.array(s.rest_translations)))
        print(f" {joints} joints")
        line("by names", best(lambda s=s: analyse(s)), copy, "copying")
        line("without names", best(lambda s=silent: analyse(s)), copy, "copying")


def carrying() -> None:
    heading("Retarget with contact pass, then mirror: 80 joints x 600 frames (goal: 30 ms warm)")
    source, target = padded(demo_rig("deckhand"), 80), padded(demo_rig("ferrykeeper"), 80)
    for frames in (600, 6000):
        clip = moving(source, frames)
        copy = best(lambda c=clip: (np.array(c.rotations), np.array(c.translations)))

        def whole(clip: Clip = clip) -> None:
            known = replace(clip, known_model=clip.model)
            out, rig = retarget(known, source, RetargetSettings(), {"target": target})
            mirror(out, rig, MirrorSettings())

        def only(clip: Clip = clip) -> None:
            retarget(replace(clip, known_model=clip.model), source, RetargetSettings(), {"target": target})

        _ = clip.model
        whole()
        print(f" {frames:,} frames")
        line("copying the arrays", copy, copy, "copying")
        line("retarget", best(only), copy, "copying")
        ours = best(whole)
        line("retarget and mirror", ours, copy, "copying")
        if frames == 600:
            _beside(clip, source, ours)


def _beside(clip: Clip, rig: Rig, ours: float) -> None:
    """The same clip's joint positions by UsdSkel and by a WebGL library, frame by frame as they do it."""
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "a.usdc"
        path.write_bytes(encode([clip], rig, "usdc"))
        try:
            from pxr import Usd, UsdSkel
        except ImportError:
            pass
        else:
            stage = Usd.Stage.Open(str(path))
            skel = UsdSkel.Skeleton(stage.GetPrimAtPath("/Figure/Skeleton"))
            cache = UsdSkel.Cache()
            cache.Populate(UsdSkel.Root(stage.GetPrimAtPath("/Figure")), Usd.PrimDefaultPredicate)
            query = cache.GetSkelQuery(skel)

            def usd() -> None:
                for f in range(clip.frames):
                    query.ComputeJointSkelTransforms(Usd.TimeCode(f))

            line("UsdSkel: evaluating the clip alone", best(usd, 3), ours, "ours")
        if shutil.which("node") and (_NODE / "node_modules").exists():
            path = Path(folder) / "a.glb"
            path.write_bytes(encode([clip], rig, "glb"))
            script = _NODE / ".timed.mjs"
            script.write_text(_TIMED)
            try:
                said = subprocess.run(
                    ["node", str(script), str(path), str(clip.frames)], capture_output=True, text=True, check=True, cwd=_NODE
                )  # fmt: skip
                line("a WebGL library: evaluating the clip alone", json.loads(said.stdout) / 1000, ours, "ours")
            finally:
                script.unlink()


def dragging() -> None:
    """One frame of a pulled hand, pelvis or neck: what has to be done between two pictures."""
    heading("A handle dragged: the pose at the playhead (goal: 4 ms)")
    for name, joint in (("deckhand", "hand_left"), ("deckhand", "pelvis"), ("heron", "head")):
        document = read(Path(str(files("reflexa.demo").joinpath(f"project/sources/{name}.glb"))))
        rig, clip = document.rig, document.clips[0]
        drives, stay = usual_drive(rig, joint)
        settings = set_key(
            CorrectionSettings(), joint, 10, clip.frames - 1, move=(0.03, -0.05, 0.02), drives=drives, stay=stay, space="world"
        )  # fmt: skip
        one = clip.cut(10, 10)
        copy = best(lambda c=one: (np.array(c.rotations), np.array(c.translations)))

        def pose(clip: Clip = one, rig: Rig = rig, settings: CorrectionSettings = settings) -> None:
            _ = correct(clip, rig, settings, 10).model

        line(f"{name}, {joint} ({drives}), to joint positions", best(pose, 20), copy, "copying")
