"""The ground: contacts, root motion, goals, springs, over 600 frames of an 80-joint figure that walks."""

from __future__ import annotations

import os
import time
from dataclasses import replace

import msgspec
import numpy as np

from benchmarks.measure import best, heading
from benchmarks.measure import line as told
from benchmarks.rigs import demo_rig, padded
from reflexa.checks import judge
from reflexa.demo import clips
from reflexa.motion.clip import Clip
from reflexa.motion.cycle import repeated
from reflexa.motion.skeleton import Skeleton
from reflexa.rig import Rig, analyse
from reflexa.stage import Prop, Stage
from reflexa.steps import Mask, apply, make
from reflexa.steps.correction import CorrectionSettings, set_key
from reflexa.steps.model import SOURCE, Context, Point
from reflexa.steps.retarget import RetargetSettings, retarget
from reflexa.take import Cache, Source, Surroundings, Take, evaluate

JOINTS, FRAMES = 80, 600


def walking(frames: int = FRAMES) -> tuple[Clip, Rig]:
    """The demo's walk over and over, on its rig with a coat of joints that brings it to 80."""
    deck = demo_rig("deckhand").skeleton
    more = JOINTS - len(deck)
    names = (*deck.names, *(f"coat_{i}" for i in range(more)))
    parents = np.concatenate([deck.parents, [deck.index["pelvis"], *range(len(deck), len(deck) + more - 1)]])
    rest = np.tile([0.0, 0.0, 0.0, 1.0], (more, 1)), np.tile([0.0, -0.05, -0.01], (more, 1))
    skeleton = Skeleton(
        names,
        parents,
        np.concatenate([deck.rest_rotations, rest[0]]),
        np.concatenate([deck.rest_translations, rest[1]]),
    )
    walk = repeated(clips.walk(deck, travelling=True), deck.index["root"], frames // 32 + 1).cut(0, frames - 1)
    tile = lambda a: np.tile(a, (frames, 1, 1))  # noqa: E731
    clip = replace(
        walk, skeleton=skeleton, rotations=np.concatenate([walk.rotations, tile(rest[0])], axis=1),
        translations=np.concatenate([walk.translations, tile(rest[1])], axis=1), loop=False,
    )  # fmt: skip
    return clip, analyse(skeleton)


def ground() -> None:
    """Each step over a clip whose joint positions are known, as they are inside a take."""
    heading(f"The ground, {JOINTS} joints x {FRAMES} frames (goals: contacts 25 ms, root motion 20 ms)")
    for frames in (FRAMES, 2 * FRAMES):
        clip, rig = walking(frames)
        _ = clip.model
        stage = Stage(tuple(Prop(f"crate {i}", place=(2.0 * i, 0.0, 0.4 * i)) for i in range(6)))
        around = Context(stage=stage, earlier=(Point(SOURCE, "source", clip, rig),))
        copy = best(lambda c=clip: (np.array(c.rotations), np.array(c.translations)))
        print(f" {frames} frames")
        for what, step in (
            ("contacts, found and held", make("foot-lock")),
            ("root motion from the pelvis", make("root-motion")),
            ("root motion along a path", make("root-motion", operation="along path", path=[(0, 0), (2, 4), (9, 9)])),
            ("root motion from the feet", make("root-motion", operation="from feet")),
            ("a goal all the time", make("reach", point=(0.2, 1.2, 0.4))),
            ("springs down a chain of joints", make("follow-through", chain="coat_0")),
        ):
            told(what, best(lambda s=step, c=clip, r=rig, a=around: apply(s, c, r, 0, a)), copy, "copying")


def thresholds() -> None:
    """From a changed threshold to the lanes and panel drawn anew."""
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    from PySide6.QtWidgets import QApplication

    from reflexa.desktop.app import make_app
    from reflexa.desktop.qt_loop import QtLoop
    from reflexa.desktop.time.area import TimeArea
    from reflexa.session import Session, line, takes
    from reflexa.session.sources import demo_copy

    heading("A threshold of contacts changed (goal: lanes drawn within 50 ms)")
    app = QApplication.instance() or make_app()
    session = Session(QtLoop())
    session.load(demo_copy())
    takes.make(session, [Source("deckhand.glb", "walk to the landing")])
    line.add(session, "foot-lock")
    area = TimeArea(session)
    area.resize(1280, 240)
    area.show()
    while session.work.busy or session.computed.settled is None:
        app.processEvents()
    empty = best(area.grab)
    values = iter(np.linspace(4.0, 9.0, 50))

    def change(lanes: bool) -> None:
        before = session.computed.report
        settings = msgspec.structs.replace(session.step.settings, low=float(next(values)))
        line.edit_settings(session, "x", settings)
        while session.computed.settled is None or (lanes and session.computed.report is before):
            app.processEvents()
            time.sleep(0.001)  # as an event loop does: the interpreter is the computation's
        area.grab()

    told("until the figure stands by it, 129 frames", best(lambda: change(False), 10), empty, "drawing alone")
    told("until its lanes are drawn", best(lambda: change(True), 10), empty, "drawing alone")


def whole_take() -> None:
    """Everything that a take may hold: retarget, mirror, root motion, contacts, three corrections, a blend."""
    heading(f"A whole take, {JOINTS} joints x {FRAMES} frames (goals: 100 ms cold, 20 ms after the last step changed)")
    clip, rig = walking()
    target = padded(demo_rig("ferrykeeper"), JOINTS)
    other = retarget(clip, rig, RetargetSettings(), {"target": target})[0]
    steps = [make("retarget", rig="target"), make("mirror"), make("root-motion"), make("foot-lock")]
    for joint in ("chest", "head", "upper arm"):
        name = target.body_map[f"left {joint}" if joint == "upper arm" else "spine" if joint == "chest" else joint][0]
        settings = set_key(CorrectionSettings(), name, 200, FRAMES - 1, rotate=(10.0, 5.0, 0.0))
        steps.append(msgspec.structs.replace(make("correction", joint), settings=settings))
    steps.append(msgspec.structs.replace(make("blend", clip="other"), weight=0.5, mask=Mask(parts=("left arm",))))
    take = Take("t", Source("f", "c"), tuple(steps))
    within = Surroundings({"target": target}, {"other": (other, target)}, Cache())
    copy = best(lambda: (np.array(clip.rotations), np.array(clip.translations)))

    def cold() -> None:
        fresh = replace(clip, name="fresh")
        _ = evaluate(take, fresh, rig, replace(within, cache=Cache())).result.model

    evaluate(take, clip, rig, within)
    weights = iter(np.linspace(0.1, 0.9, 99))

    def warm() -> None:
        last = msgspec.structs.replace(steps[-1], weight=float(next(weights)))
        _ = evaluate(replace(take, steps=(*take.steps[:-1], last)), clip, rig, within).result.model

    def judged_cold() -> float:
        line = evaluate(take, replace(clip, name="fresh"), rig, replace(within, cache=Cache()))
        for made in line.clips:
            _ = made.model
        start = time.perf_counter()
        judge(line)
        return time.perf_counter() - start

    def judged_warm() -> float:
        last = msgspec.structs.replace(steps[-1], weight=float(next(weights)))
        line = evaluate(replace(take, steps=(*take.steps[:-1], last)), clip, rig, within)
        _ = line.result.model
        start = time.perf_counter()
        judge(line)
        return time.perf_counter() - start

    told("cold, to joint positions", best(cold), copy, "copying")
    told("after a change in the last step", best(warm), copy, "copying")
    told("findings with blame (goal: 100 ms)", min(judged_cold() for _ in range(5)), copy, "copying")
    told("findings after a change in the last step", min(judged_warm() for _ in range(5)), copy, "copying")
