"""Layers by hand: a pulled handle, merging, and a key sheet full of keys."""

from __future__ import annotations

import os

import numpy as np

from benchmarks.measure import best, heading, line
from benchmarks.rigs import demo_rig, moving
from reflexa.steps.correction import CorrectionSettings, Key, Track, all_keys, correct, set_key
from reflexa.steps.correction.layers import merged


def merging() -> None:
    """Ten layers of eight joints each over 600 frames become one, within half a degree and a millimetre."""
    heading("Merging ten layers over 600 frames (goal: under 1 s)")
    rig = demo_rig("deckhand")
    clip = moving(rig, 600)
    rng = np.random.default_rng(4)
    out, at = clip, set[int]()
    for _ in range(10):
        settings = CorrectionSettings()
        for joint in rng.choice(rig.skeleton.names, 8, replace=False):
            for frame in rng.integers(20, 580, 4):
                turn = rng.uniform(-20, 20, 3)
                settings = set_key(settings, str(joint), int(frame), 599, rotate=tuple(turn.tolist()))
        out = correct(out, rig, settings)
        at |= {f for _, f in all_keys(settings)}
    copy = best(lambda: (np.array(clip.rotations), np.array(clip.translations)))
    found = merged(clip, out, sorted(at))
    line(
        f"to {found.keys} keys, {found.degrees:.2f} degrees off",
        best(lambda: merged(clip, out, sorted(at)), 3),
        copy,
        "copying",
    )


def key_sheet() -> None:
    """A picture of the visible part of a key sheet with 20,000 keys, at three zooms."""
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    from PySide6.QtWidgets import QApplication

    from reflexa.desktop.app import make_app
    from reflexa.desktop.qt_loop import QtLoop
    from reflexa.desktop.time.area import TimeArea
    from reflexa.session import Session
    from reflexa.session import line as revision
    from reflexa.session.sources import demo_copy

    heading("A key sheet with 20,000 keys (goal: 30 a second, so under 33 ms)")
    app = QApplication.instance() or make_app()
    session = Session(QtLoop())
    session.load(demo_copy())
    revision.add(session, "correction")
    area = TimeArea(session)
    area.resize(1280, 600)
    area.show()
    app.processEvents()
    empty = best(area.grab)
    rng = np.random.default_rng(1)
    turns = rng.uniform(-9, 9, (65, 310, 3)).tolist()
    tracks = tuple(
        Track(joint, tuple(Key(2 * i, (x, y, z)) for i, (x, y, z) in enumerate(turns[j % 65])))
        for j, joint in enumerate(session.computed.rig.skeleton.names[:65])
    )
    revision.edit_layer(session, "fill", CorrectionSettings(tracks=tracks))
    app.processEvents()
    for last in (620.0, 200.0, 40.0):
        area.time.first, area.time.last = 0.0, last
        line(
            f"{sum(len(t.keys) for t in tracks):,} keys, {last:.0f} frames in view", best(area.grab, 10), empty, "empty"
        )
