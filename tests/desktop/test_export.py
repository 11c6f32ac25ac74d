"""The export dialog: ranges, differences and parts of the skeleton."""

from __future__ import annotations

from pathlib import Path

import numpy as np
from PySide6.QtCore import QPoint
from PySide6.QtWidgets import QApplication, QInputDialog

from reflexa.desktop.dialogs.export import ExportDialog
from reflexa.formats import read
from reflexa.session import line
from tests.helpers.hands import click, double_click, drag
from tests.helpers.windows import dialog_of, new_take, saved, undo_until

LANDING = ("deckhand.glb", "walk to the landing")


def test_ranges_are_kept_dragged_played_and_exported(demo, qtbot, monkeypatch, tmp_path: Path) -> None:
    session, area = demo.session, demo.time_area
    new_take(demo, qtbot, *LANDING)
    line.set_range(session, first=0, last=32)
    monkeypatch.setattr(QInputDialog, "getText", lambda *_, **__: ("stride", True))
    demo.commands.run("keep_range")
    line.set_range(session, first=33, last=60)
    monkeypatch.setattr(QInputDialog, "getText", lambda *_, **__: ("rest", True))
    demo.commands.run("keep_range")
    lane = area.ranges
    QApplication.processEvents()
    assert lane.isVisible() and [r.name for r in session.take.ranges] == ["stride", "rest"]
    rest = session.take.ranges[1]
    rect = lane.rect_of(*lane.rows()[1])
    drag(
        lane,
        QPoint(round(rect.right()), round(rect.center().y())),
        QPoint(round(area.time.x(90)), round(rect.center().y())),
    )
    assert abs(session.take.ranges[1].last - 90) <= 1 and session.take.ranges[1].first == rest.first
    rect = lane.rect_of(*lane.rows()[0])
    double_click(lane, rect.center().toPoint())
    assert session.computed.range == (0, 32) and session.player.playing
    session.player.pause()
    assert '"stride"' in saved(demo)["walk to the landing.take.json"].decode()
    demo.commands.run("export")
    dialog = dialog_of(qtbot, demo, ExportDialog)
    dialog.place.field.setText(str(tmp_path))
    click(dialog.go)
    qtbot.waitUntil(lambda: dialog.proof is not None)
    clips = read(dialog.proof.path).clips
    assert [(c.name, c.frames) for c in clips] == [
        ("stride", 33),
        ("rest", session.take.ranges[1].last - rest.first + 1),
    ]
    dialog.reject()


def test_a_difference_of_an_arm_is_exported(demo, qtbot, tmp_path: Path) -> None:
    new_take(demo, qtbot, *LANDING)
    demo.commands.run("export")
    dialog = dialog_of(qtbot, demo, ExportDialog)
    parts = dialog.parts
    assert not parts.turns.isVisible()
    parts.base.setCurrentIndex(parts.base.findText("Difference from its first frame"))
    parts.joints.setCurrentIndex(parts.joints.findText("Left arm"))
    click(parts.without["fingers"])
    assert parts.turns.isVisible()
    dialog.place.field.setText(str(tmp_path))
    click(dialog.go)
    qtbot.waitUntil(lambda: dialog.proof is not None)
    (clip,) = read(dialog.proof.path).clips
    assert clip.additive is not None and clip.additive.base == "first frame"
    legs = [clip.skeleton.index[f"thigh_{side}"] for side in ("left", "right")]
    assert np.ptp(clip.rotations[:, legs], axis=0).max() == 0 and np.ptp(clip.rotations, axis=0).max() > 0.01
    dialog.reject()
    assert demo.session.take.export.without == ("fingers",)
    again = saved(demo)["walk to the landing.take.json"].decode()
    assert '"additive": "first"' in again, "it is kept with the take"
    undo_until(qtbot, demo, lambda: not demo.session.take.export.additive)
