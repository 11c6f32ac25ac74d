"""``./run bench``: prints ratios measured in one run, at two sizes, so that growth with frames shows too.

Each time is the best of several runs. Peers are the readers and evaluators that the package registries have.
"""

from __future__ import annotations

import argparse
import os
import tempfile
from collections.abc import Callable
from pathlib import Path

import numpy as np
from scipy.spatial.transform import Rotation

from benchmarks import batch, ground, layers, library, rigs
from benchmarks.measure import against, best, heading, line, save, table
from reflexa.formats import bvh, encode, read
from reflexa.motion import kinematics, quat
from reflexa.motion.clip import Clip
from reflexa.motion.skeleton import Skeleton
from reflexa.rig import analyse
from reflexa.steps import make
from reflexa.steps.correction import CorrectionSettings, set_key
from reflexa.take import Cache, Source, Surroundings, Take, evaluate

JOINTS = 60
SIZES = (2_000, 20_000)
PATIENCE = 90.0  # seconds that a peer may take at most


def made(frames: int, joints: int = JOINTS) -> Clip:
    """A clip of five chains of joints with smooth random motion."""
    rng = np.random.default_rng(1)
    parents = np.array([-1] + [0 if (j - 1) % 12 == 0 else j - 1 for j in range(1, joints)])
    offsets = rng.normal(0, 0.1, (joints, 3))
    skeleton = Skeleton(
        tuple(f"joint{j}" for j in range(joints)), parents, np.tile(quat.IDENTITY, (joints, 1)), offsets
    )
    waves = np.sin(np.linspace(0, 40, frames)[:, None, None] + rng.uniform(0, 6, (joints, 3)))
    translations = np.tile(offsets, (frames, 1, 1))
    translations[:, 0] += np.cumsum(rng.normal(0, 0.01, (frames, 3)), axis=0)
    return Clip("made", skeleton, quat.from_rotvec(0.6 * waves), translations, 60.0)


def forward_kinematics(sizes: tuple[int, ...] = SIZES) -> None:
    heading(f"Forward kinematics, {JOINTS} joints (goal: within 1.5 x copying the same arrays)")
    for frames in sizes:
        clip = made(frames)
        q, t = np.array(clip.rotations), np.array(clip.translations)
        copy = best(lambda q=q, t=t: (q.copy(), t.copy()))
        ours = best(lambda c=clip, q=q, t=t: kinematics.forward(c.skeleton.parents, q, t))
        print(f" {frames:,} frames")
        line("copying rotations and translations", copy, copy, "copying")
        line("ours", ours, copy, "copying", goal=1.5)

        def by_scipy(c: Clip = clip, q: np.ndarray = q, t: np.ndarray = t) -> None:
            turned: list[Rotation] = []
            placed = np.empty_like(t)
            for j, p in enumerate(c.skeleton.parents.tolist()):
                local = Rotation.from_quat(q[:, j])
                turned.append(local if p < 0 else turned[p] * local)
                placed[:, j] = t[:, j] if p < 0 else placed[:, p] + turned[p].apply(t[:, j])

        line("a loop over joints with SciPy's Rotation", best(by_scipy, 2), ours, "ours")
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "a.bvh"
            path.write_bytes(encode([clip], analyse(clip.skeleton), "bvh"))
            for name, prepare in _evaluators().items():
                try:
                    call = prepare(path)
                    line(name, best(call, 2), ours, "ours")
                except Exception as e:  # a peer's trouble is no trouble of ours
                    print(f"  {name:<44} did not run ({type(e).__name__})")


def _evaluators() -> dict[str, Callable[[Path], Callable[[], object]]]:
    out: dict[str, Callable[[Path], Callable[[], object]]] = {}
    try:
        import pybvh

        def pybvh_positions(path: Path) -> Callable[[], object]:
            b = pybvh.read_bvh_file(str(path))
            return lambda: b.copy().joint_positions()

        out["pybvh, joint positions (from Euler angles)"] = pybvh_positions
    except ImportError:
        pass
    return out


def _readers() -> dict[str, Callable[[Path], object]]:
    out: dict[str, Callable[[Path], object]] = {}
    try:
        import pybvh

        out["pybvh"] = lambda p: pybvh.read_bvh_file(str(p))
    except ImportError:
        pass
    try:
        import bvhio

        out["bvhio (pure Python)"] = lambda p: bvhio.readAsBvh(str(p))
    except ImportError:
        pass
    try:
        import bvh as plain

        def read_plain(p: Path) -> object:
            m = plain.Bvh(p.read_text())
            return m.frames  # words; it makes numbers one by one when asked

        out["bvh (pure Python, words only)"] = read_plain
    except ImportError:
        pass
    return out


def opening_bvh(sizes: tuple[int, ...] = SIZES) -> None:
    heading(f"Opening a BVH, {JOINTS} joints (goal: within a third of the fastest reader's time)")
    slow: dict[str, float] = {}
    for frames in sizes:
        clip = made(frames)
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "a.bvh"
            path.write_bytes(encode([clip], analyse(clip.skeleton), "bvh"))
            data = path.read_bytes()
            copy = best(lambda d=data: bytearray(d))
            ours = best(lambda p=path: bvh.read(p), 3)
            print(f" {frames:,} frames, {len(data) / 1e6:.0f} MB")
            line("copying the bytes", copy, copy, "copying")
            line("ours, to rotations, rig and clip", ours, copy, "copying")
            peers: list[float] = []
            for name, call in _readers().items():
                if slow.get(name, 0) * frames / SIZES[0] > PATIENCE:
                    print(f"  {name:<44} left out: {slow[name]:.0f} s at {SIZES[0]:,} frames")
                    continue
                seconds = best(lambda c=call, p=path: c(p), 2)
                slow.setdefault(name, seconds)
                peers.append(seconds)
                line(name, seconds, ours, "ours")
            if peers:
                line("the fastest of them", min(peers), ours, "ours", at_least=3)


def whole_take() -> None:
    heading(
        "Mirror and three corrections, 80 joints x 600 frames (goals: 100 ms cold, 20 ms after the last step changed)"
    )
    clip = made(600, 80)
    rig = analyse(clip.skeleton)
    steps = [make("mirror")]
    for i, joint in enumerate(("joint5", "joint20", "joint40")):
        settings = set_key(CorrectionSettings(), joint, 100 + 50 * i, 599, rotate=(10.0, 20.0, 0.0))
        steps.append(type(steps[0])("correction", settings, joint))
    take = Take("t", Source("f", "c"), tuple(steps))
    copy = best(lambda: (np.array(clip.rotations), np.array(clip.translations)))

    def cold() -> None:
        fresh = Clip("made", clip.skeleton, clip.rotations, clip.translations, 60.0)
        _ = evaluate(take, fresh, rig, Surroundings(cache=Cache())).result.model

    cache = Cache()
    evaluate(take, clip, rig, Surroundings(cache=cache))
    weights = iter(np.linspace(0.1, 0.9, 99))

    def warm() -> None:
        import msgspec

        last = msgspec.structs.replace(steps[-1], weight=float(next(weights)))
        _ = evaluate(
            Take("t", take.source, (*take.steps[:-1], last)), clip, rig, Surroundings(cache=cache)
        ).result.model

    line("copying the arrays", copy, copy, "copying")
    cold_for = best(cold)
    line("cold, to joint positions", cold_for, copy, "copying")
    line("cold, beside its goal", cold_for, 0.1, "100 ms", goal=1)
    warm_for = best(warm)
    line("after a change in the last step", warm_for, copy, "copying")
    line("that beside its goal", warm_for, 0.02, "20 ms", goal=1)


def drawing() -> None:
    from importlib.resources import files

    from reflexa.draw import Camera, Figure, OwnContext, Scene
    from reflexa.draw.scene import ground_grid, matrices_at

    heading("Two skinned figures at 1280x800 (goal: 24 a second on two cores with software drawing, so under 41.7 ms)")
    document = read(Path(str(files("reflexa.demo").joinpath("project/sources/deckhand.glb"))))
    clip = document.clips[0]
    grid = ground_grid(np.zeros(3), 8, np.array([0.3, 0.3, 0.3, 0.3]), np.array([0.3, 0.3, 0.3, 0.6]))
    camera = Camera()

    def draw() -> None:
        figures = tuple(Figure(document.rig.meshes, matrices_at(clip, f)) for f in (3, 9))
        renderer.render(Scene(ground=grid, figures=figures), camera, 1280, 800)

    with OwnContext().current() as renderer:
        empty = best(lambda: renderer.render(Scene(), camera, 1280, 800))
        full = best(draw, 20)
    vertices = sum(len(m.positions) for m in document.rig.meshes)
    line("an empty picture", empty, empty, "empty")
    line(f"two figures of {vertices:,} vertices, ground, shadows", full, empty, "empty")
    line("two figures beside their goal", full, 1 / 24, "a 24th second", goal=1)


def main() -> None:
    """Run all, or with ``--quick`` what takes two minutes; ``--json FILE`` keeps the numbers, ``--against FILE`` compares."""
    options = argparse.ArgumentParser(prog="bench", description=__doc__)
    options.add_argument("--quick", action="store_true", help="smaller sizes: about two minutes")
    options.add_argument("--json", type=Path, metavar="FILE", help="keep the numbers")
    options.add_argument("--against", type=Path, metavar="FILE", help="compare with numbers that were kept")
    told = options.parse_args()
    # The toolkit's chatter is no number.
    os.environ.setdefault("QT_LOGGING_RULES", "*=false")
    sizes = SIZES[:1] if told.quick else SIZES
    forward_kinematics(sizes)
    opening_bvh(sizes)
    whole_take()
    rigs.knowing()
    rigs.carrying()
    rigs.dragging()
    layers.merging()
    layers.key_sheet()
    ground.ground()
    ground.thresholds()
    ground.whole_take()
    drawing()
    if not told.quick:
        library.main(1_000)
    batch.main(60 if told.quick else 1_000, (25,) if told.quick else (25, 100, 300))
    table()
    if told.json is not None:
        save(told.json)
    if told.against is not None:
        against(told.against)


if __name__ == "__main__":
    main()
