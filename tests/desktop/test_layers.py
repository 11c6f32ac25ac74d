"""Keys and layers: copied, split, merged, extracted."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from msgspec.structs import replace
from PySide6.QtCore import QPoint, QTimer
from PySide6.QtWidgets import QPushButton

from reflexa.desktop.actions import files
from reflexa.desktop.kinds.correction import CorrectionPanel
from reflexa.desktop.picture.handle import HUB, PLATES, SWING
from reflexa.motion import quat
from reflexa.project.transaction import OWN
from reflexa.session import RESULT, Session, keys, layers, line
from reflexa.steps.correction import CorrectionSettings, Key, Track
from reflexa.steps.correction.layers import Merged
from tests.helpers.hands import choose, click, drag, said
from tests.helpers.windows import card, new_take, ready, select_step


def merge_both(qtbot, session: Session) -> Merged:
    """Merge the selected layer onto the one below, and what was found for it."""
    span, found = layers.span_of(session, 2), []
    layers.find(session, span, False, found.append)
    qtbot.waitUntil(lambda: bool(found))
    layers.put(session, span, found[0])
    return found[0]


@pytest.mark.long
def test_a_day_of_layers_and_all_of_it_undone_to_the_same_bytes(demo, qtbot, tmp_path: Path) -> None:
    """Handles dragged (limb, its elbow, a plate, where the head looks), keys boxed, scaled and eased, copied to another
    clip, layers merged; then everything undone: the saved files are what they were, byte for byte."""
    session, view = demo.session, demo.viewport
    before = {p: p.read_bytes() for p in session.folder.rglob("*") if p.is_file()}
    session.open_take("Walk on the spot")
    ready(qtbot, demo)
    session.player.set_frame(16)

    def pull(joint: str, part: int, by: tuple[int, int]) -> None:
        session.selection.select_joint(joint)
        ready(qtbot, demo)
        handle = view.handle()
        place = {HUB: handle.hub, SWING: handle.bend[1] if handle.bend is not None else None}
        place |= {PLATES + a: handle.plate(a) for a in range(3)}
        x, y, _ = view.camera.project(place[part], view.width(), view.height())
        assert handle.at(x, y, view.camera, view.width(), view.height()) == part
        drag(view, QPoint(round(x), round(y)), QPoint(round(x) + by[0], round(y) + by[1]))
        ready(qtbot, demo)

    pull("hand_left", HUB, (30, -30))
    pull("hand_left", SWING, (0, -30))
    assert session.layer.track("hand_left").keys[1].swing != 0
    pull("hand_left", PLATES + 1, (20, 6))
    key = session.layer.track("hand_left").keys[1]
    pull("head", HUB, (40, 10))
    head = session.layer.track("head")
    assert head.drives == "aim" and np.linalg.norm(head.keys[1].move) > 0.02 and key.frame == 16

    lanes = demo.time_area.keys
    a, b = lanes.key_place("hand_left", 4), lanes.key_place("head", 28)
    drag(lanes, QPoint(a.x() - 12, a.y() - 9), QPoint(b.x() + 12, b.y() + 9))
    assert len(session.selection.keys) == 6
    keys.scale(session, 0.5)
    assert {f for _, f in session.selection.keys} == {10, 16, 22}
    demo.commands.run("ease_overshoot_and_settle")
    assert {k.then for k in session.layer.track("head").keys} >= {"eased"}
    demo.commands.run("copy_keys")
    session.open_take("Lantern to the other hand")
    ready(qtbot, demo)
    session.selection.select_card(RESULT)
    session.player.set_frame(30)
    demo.commands.run("paste_keys")
    ready(qtbot, demo)
    assert {f for _, f in session.selection.keys} == {30, 36, 42}
    line.add(session, "correction", "Spine")
    ready(qtbot, demo)
    session.selection.select_joint("spine_01" if "spine_01" in session.computed.rig.skeleton.index else "pelvis")
    ready(qtbot, demo)
    wanted = session.computed.result
    merge_both(qtbot, session)
    ready(qtbot, demo)
    gap = np.degrees(quat.angle(quat.multiply(quat.conjugate(session.computed.result.rotations), wanted.rotations)))
    assert gap.max() < 0.55

    files.save(demo.desk)
    while session.history.undo_label:
        session.undo()
    ready(qtbot, demo)
    files.save(demo.desk)
    assert {p: p.read_bytes() for p in session.folder.rglob("*") if p.is_file() and OWN not in p.parts} == before


def test_the_motion_of_an_arm_is_taken_out_weakened_and_replaced_by_hand(demo, qtbot) -> None:
    """Extracting changes nothing by itself; the motion has a weight of its own then, and the layer under it a pose."""
    session = demo.session
    session.open_take("Haul, port side")
    ready(qtbot, demo)
    before, result = session.take, session.computed.result
    session.selection.select_card(RESULT)
    session.selection.select_joint("upper_arm_left")
    demo.commands.run("extract_below")
    ready(qtbot, demo)
    assert [s.name for s in session.take.steps[-2:]] == ["Hold upper_arm_left", "Motion of upper_arm_left"]
    turn = quat.angle(quat.multiply(quat.conjugate(session.computed.result.rotations), result.rotations))
    assert turn.max() < 1e-9 and np.abs(session.computed.result.translations - result.translations).max() < 1e-9
    hold = len(session.take.steps) - 2
    assert "replaces the motion below" in card(demo, hold).toolTip()
    line.edit(session, "off", replace(session.step, on=False))
    ready(qtbot, demo)
    j = session.computed.rig.skeleton.index["forearm_left"]
    assert np.ptp(session.computed.result.rotations[:, j], axis=0).max() < 1e-12, "held still"

    # In a layer that replaces, the first pull of a joint begins at what is seen, and sets no neutral keys.
    select_step(demo, hold)
    session.player.set_frame(12)
    session.selection.select_joint("neck")
    panel = demo.settings.findChild(CorrectionPanel)
    seen = session.computed.evaluation.clips[hold].rotations[12, session.computed.rig.skeleton.index["neck"]]
    box = panel.fields[3].box
    assert box.value() == pytest.approx(0.0, abs=1e-6), "the neck is where its rest pose puts it, and turned"
    panel.fields[0].box.setValue(panel.fields[0].box.value() + 5.0)
    ready(qtbot, demo)
    assert [k.frame for k in session.layer.track("neck").keys] == [12]
    off = quat.angle(
        quat.multiply(
            quat.conjugate(seen), session.computed.result.rotations[12, session.computed.rig.skeleton.index["neck"]]
        )
    )
    assert np.degrees(off) == pytest.approx(5.0, abs=1.0)
    while session.take != before:
        session.undo()
    ready(qtbot, demo)
    assert np.array_equal(session.computed.result.rotations, result.rotations)


def test_a_layer_that_replaces_says_what_it_does_in_its_panel(demo, qtbot) -> None:
    session = demo.session
    session.open_take("Haul, port side")
    ready(qtbot, demo)
    line.add(session, "correction")
    ready(qtbot, demo)
    session.selection.select_joint("neck")
    panel = demo.settings.findChild(CorrectionPanel)
    assert panel.drives.isEnabled() and panel.neutral.text() == "Neutral here"
    line.edit_layer(session, "replace", CorrectionSettings(how="replace"))
    ready(qtbot, demo)
    panel = demo.settings.findChild(CorrectionPanel)
    assert not panel.drives.isEnabled() and "each joint moves alone" in panel.drives.toolTip()
    click(panel.neutral)
    ready(qtbot, demo)
    j = session.computed.rig.skeleton.index["neck"]
    assert panel.neutral.text() == "Rest here"
    assert np.array_equal(
        session.computed.result.rotations[:, j], np.tile(session.computed.rig.skeleton.rest_rotations[j], (73, 1))
    )


def test_a_body_that_is_held_back_by_its_legs_says_so_in_its_panel(demo, qtbot) -> None:
    """Pulled up by 40 cm, feet that stay: which joint, how far short in centimetres, where, and what to do."""
    session = demo.session
    session.open_take("Haul, port side")
    ready(qtbot, demo)
    line.add(session, "correction")
    ready(qtbot, demo)
    track = Track(
        "pelvis", (Key(0), Key(30, move=(0.0, 0.4, 0.0)), Key(60)), space="world", drives="body", stay=("feet",)
    )
    line.edit_layer(session, "pull", CorrectionSettings(tracks=(track,)))
    ready(qtbot, demo)
    panel = demo.settings.findChild(CorrectionPanel)
    assert panel.note.isVisible()
    assert "pelvis is " in panel.note.text() and " cm short at frame 3" in panel.note.text()
    assert "a leg is straight" in panel.note.text() and "Pull less" in panel.note.text()
    demo.commands.run("undo")
    ready(qtbot, demo)
    assert "short" not in demo.settings.findChild(CorrectionPanel).note.text()


def test_a_step_is_turned_into_a_layer_of_keys_and_back(demo, qtbot) -> None:
    window, session = demo, demo.session
    new_take(window, qtbot, "deckhand.glb", "lantern idle")
    window.commands.run("add_root-motion")
    choose(window.settings, "What", "turn and scale")
    step = session.step
    line.edit(session, "x", replace(step, settings=replace(step.settings, angle=20.0)))
    window.commands.run("add_pin")
    ready(qtbot, window)
    assert "moves joints by up to" in said(window.settings)
    kept = session.computed.result
    answer = QTimer(window)
    answer.timeout.connect(
        lambda: [click(b) for b in window.findChildren(QPushButton) if b.text() == "Convert to a layer"]
    )
    answer.start(50)
    window.commands.run("turn_into_layer")
    qtbot.waitUntil(lambda: session.step is not None and session.step.kind == "correction")
    answer.stop()
    ready(qtbot, window)
    assert session.step.name == "Pin"
    assert np.abs(session.computed.result.model[1] - kept.model[1]).max() < 0.03, "within the tolerance that was told"
    session.undo()
    ready(qtbot, window)
    assert np.array_equal(session.computed.result.rotations, kept.rotations)
