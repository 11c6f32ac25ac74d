"""Knowing a rig and carrying clips from rig to rig."""

from __future__ import annotations

from pathlib import Path

import numpy as np
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QComboBox, QInputDialog

from reflexa.desktop.actions.figure import export_rig, import_rig
from reflexa.desktop.kinds.retarget import RetargetPanel, match_of
from reflexa.desktop.look import theme
from reflexa.desktop.picture.handle import HOOPS
from reflexa.desktop.settings.step_page import StepPage
from reflexa.desktop.time.rows import rows_of
from reflexa.formats import read
from reflexa.formats.rigfile import read_rig
from reflexa.project import store
from reflexa.project.sources import add_source
from reflexa.project.take_text import take_plain
from reflexa.rig.foot_rest import stand_of, tilt_of
from reflexa.session import masks, rigs
from reflexa.steps import Mask
from reflexa.steps.correction.settings import CorrectionSettings, Key, Track
from tests.helpers.hands import click, combo, drag
from tests.helpers.windows import joint_pixel, open_take, painted, ready, select_step, share_of, tree_item


def choose_by_keys(box: QComboBox, text: str) -> None:
    """Pick an entry of a list with the keyboard."""
    box.setFocus()
    wanted = box.findText(text)
    while (left := wanted - box.currentIndex()) != 0:
        QTest.keyClick(box, Qt.Key.Key_Down if left > 0 else Qt.Key.Key_Up)
    assert box.currentText() == text


def test_a_clip_goes_onto_another_rig_in_two_choices_and_is_exported_with_its_skin(demo, qtbot, tmp_path: Path) -> None:
    open_take(demo, qtbot, "Walk on the spot")
    demo.commands.run("add_retarget")
    qtbot.waitUntil(lambda: bool(demo.session.computed.problem))
    assert "no target rig is chosen" in demo.session.computed.problem, (
        "the picture says what is missing, no error box comes up"
    )
    assert share_of(painted(demo.viewport)[30:70], theme.current().colour("card"), 30) > 0.02, "on a card of its own"
    choose_by_keys(combo(demo.settings, "Target rig"), "ferrykeeper.glb")
    ready(qtbot, demo)
    session = demo.session
    assert (
        session.computed.evaluation.rig.skeleton.names[0] == "Base"
        and session.computed.rig is session.computed.evaluation.rig
    )
    panel = demo.settings.findChild(RetargetPanel)
    qtbot.waitUntil(lambda: panel.table.rowCount() > 10)
    assert "31 parts on both rigs" in panel.summary.text()
    panel.table.selectRow(0)
    assert session.selection.joint == "PortFoot"
    demo.viewport.set_compare("Side by side")
    assert [f.rig.skeleton.names[0] for f in demo.viewport.figures()] == ["Base", "root"]
    demo.commands.run("export")
    dialog = demo.desk.dialog
    dialog.place.field.setText(str(tmp_path))
    dialog.start()
    qtbot.waitUntil(lambda: dialog.proof is not None)
    back = read(dialog.proof.path)
    assert back.rig.meshes and back.rig.key == session.computed.evaluation.rig.key and len(back.clips) == 1
    dialog.reject()
    for _ in range(3):
        session.undo()
    ready(qtbot, demo)
    assert session.take.steps == () and session.computed.rig.skeleton.names[0] == "root"


def test_the_rest_alignment_is_turned_by_hand_and_kept_for_the_next_clip(demo, qtbot, tmp_path: Path) -> None:
    open_take(demo, qtbot, "Walk, as the Ferrykeeper")
    session = demo.session
    select_step(demo, 0)
    demo.commands.run("show_rest")
    session.selection.select_joint("PortUpperArm")
    handle = demo.viewport.handle()
    assert handle is not None and len(demo.viewport.figures()) == 2
    camera, w, h = demo.viewport.camera, demo.viewport.width(), demo.viewport.height()
    at = camera.project(handle.bead(2, camera), w, h)
    drag(demo.viewport, QPoint(round(at[0]), round(at[1])), QPoint(round(at[0]) + 40, round(at[1]) + 20))
    ready(qtbot, demo)
    fits = match_of(session).target.fits
    (turn,) = fits[session.source_rig.key].values()
    assert abs(turn[2]) > 3 and HOOPS[2][0] == "z" and np.hypot(turn[0], turn[1]) < 1e-6
    session.selection.show_rest(False)
    session.sources.folder = tmp_path / "kept"
    for source in session.project.sources:
        add_source(session.folder, Path(str(session.sources.documents[source.file].path)))
    store.save(session.project, session.folder)
    assert store.load(session.folder) == session.project and list((session.folder / "rigs").glob("*.rig.json"))
    session.open_take("Haul to starboard, as the Ferrykeeper")
    ready(qtbot, demo)
    select_step(demo, 1)
    assert match_of(session).target.fits == fits, "the next clip of the same two rigs needs nothing"
    session.undo()
    assert not match_of(session).target.fits and not session.project.rigs


def test_partners_are_corrected_by_picking_dragging_and_keys_and_undone(demo, qtbot) -> None:
    open_take(demo, qtbot, "Walk on the spot")
    session, figure = demo.session, demo.figure
    demo.tabs.setCurrentIndex(1)
    QApplication.processEvents()
    before = take_plain(session.take), session.project
    at = joint_pixel(demo, "shin_left")
    QTest.mouseClick(demo.viewport, Qt.MouseButton.LeftButton, pos=at)
    assert session.selection.joint == "shin_left"
    QTest.mouseClick(figure.editor.alone, Qt.MouseButton.LeftButton)
    ready(qtbot, demo)
    assert {"shin_left", "shin_right"} <= set(session.computed.rig.unpaired)
    texts = [figure.problems.item(i).text() for i in range(figure.problems.count())]
    assert any("shin_left has no partner" in t for t in texts)
    QTest.mouseClick(figure.editor.pair, Qt.MouseButton.LeftButton)
    assert session.selection.pairing == "shin_left"
    QTest.keyClick(demo, Qt.Key.Key_Escape)
    assert not session.selection.pairing
    demo.commands.run("pair")
    figure.tree.setCurrentItem(tree_item(demo, "shin_right"))
    ready(qtbot, demo)
    pair = next(p for p in session.computed.rig.pairs if p.left == "shin_left")
    assert pair.right == "shin_right" and session.selection.joint == "shin_left" and not session.computed.rig.unpaired
    demo.commands.run("mark_centre")
    ready(qtbot, demo)
    assert "shin_left" in session.computed.rig.centre and session.computed.rig.unpaired == ("shin_right",)
    choose_by_keys(figure.editor.part, "no part")
    ready(qtbot, demo)
    assert "left shin" not in session.computed.rig.body_map
    assert "No joint is assigned as left shin" in " ".join(
        figure.problems.item(i).text() for i in range(figure.problems.count())
    )
    for _ in range(4):
        session.undo()
    ready(qtbot, demo)
    assert (take_plain(session.take), session.project) == before and not session.computed.rig.unpaired


def test_a_rig_document_goes_out_and_in(demo, qtbot, tmp_path: Path) -> None:
    open_take(demo, qtbot, "Walk on the spot")
    session = demo.session
    session.selection.select_joint("head")
    demo.commands.run("unpair")
    ready(qtbot, demo)
    path = tmp_path / "deckhand.rig.json"
    export_rig(demo.desk, path)
    assert "head" not in read_rig(path).notes.centre and len(read_rig(path).notes.joints) == 60
    demo.commands.run("forget_rig")
    ready(qtbot, demo)
    assert "head" in session.computed.rig.centre
    import_rig(demo.desk, path)
    ready(qtbot, demo)
    assert session.computed.rig.unpaired == ("head",)
    open_take(demo, qtbot, "Strut, other leg first")
    import_rig(demo.desk, path)
    assert "is for another rig" in demo.desk.dialog.text() or "was imported, except" in demo.desk.dialog.text()
    demo.desk.dialog.accept()
    (tmp_path / "broken.rig.json").write_text("{")
    import_rig(demo.desk, tmp_path / "broken.rig.json")
    assert "not valid JSON" in demo.desk.dialog.text()
    demo.desk.dialog.accept()


def test_joints_are_put_together_under_a_name_of_ones_own(demo, qtbot, monkeypatch) -> None:
    session = demo.session
    open_take(demo, qtbot, "Walk, chin up")
    session.selection.select_card(session.take.steps[0].id)
    ready(qtbot, demo)
    page = demo.settings.findChild(StepPage)
    page.reach.heading.setChecked(True)
    section = page.reach.inner
    assert not section.keep.isEnabled() and "whole body" in section.keep.toolTip()
    masks.set_mask(session, Mask(joints={"hand_left": 1.0, "hand_right": 1.0, "head": 0.5}))
    ready(qtbot, demo)
    monkeypatch.setattr(QInputDialog, "getText", lambda *_, **__: ("Lantern bearers", True))
    click(section.keep)
    ready(qtbot, demo)
    assert dict(session.computed.step_rig.groups) == {"Lantern bearers": ("head", "hand_left", "hand_right")}
    choice = section.choice
    choice.setCurrentIndex(choice.findText("Lantern bearers"))
    choice.activated.emit(choice.currentIndex())
    ready(qtbot, demo)
    assert session.step.mask == Mask(joints={"head": 1.0, "hand_left": 1.0, "hand_right": 1.0})
    assert section.choice.currentText() == "Lantern bearers" and section.remove.isEnabled()
    rows = rows_of(
        CorrectionSettings(tracks=tuple(
            Track(n, (Key(0, (1.0, 0, 0)),)) for n in ("head", "hand_left", "spine_mid", "chest", "foot_left")
        )), session.computed.step_rig,
    )  # fmt: skip
    assert next((r.name, len(r.members)) for r in rows if r.track is None) == ("Lantern bearers", 2)
    demo.commands.run("save")
    saved = read_rig(next((session.folder / "rigs").iterdir()))
    assert saved.notes.groups == {"Lantern bearers": ("head", "hand_left", "hand_right")}
    click(section.remove)
    ready(qtbot, demo)
    assert not session.computed.step_rig.groups
    demo.commands.run("undo")
    assert session.computed.step_rig.groups
    rigs.keep_group(session, "Lantern bearers", ("hand_left",))  # other joints under the same name
    ready(qtbot, demo)
    assert choice.itemData(choice.findText("Lantern bearers")) == Mask(joints={"hand_left": 1.0})
    masks.set_mask(session, Mask(joints={"hand_left": 1.0}))
    ready(qtbot, demo)
    assert not section.keep.isEnabled() and "already" in section.keep.toolTip()


def test_how_feet_stand_is_shown_with_how_sure_and_said_for_both(demo, qtbot) -> None:
    open_take(demo, qtbot, "Walk on the spot")
    session, editor = demo.session, demo.figure.editor
    rigs.pick(session, "foot_left")
    assert editor.stance.isVisibleTo(editor) and editor.height_up.text() == "6.8 cm" and editor.tilt.text() == "0.0°"
    assert editor.stands_by.text() == "Stands as seen in its skin, 100% sure." and not editor.as_found.isVisibleTo(
        editor
    )
    editor.tilt.selectAll()
    QTest.keyClicks(editor.tilt, "5")
    QTest.keyClick(editor.tilt, Qt.Key.Key_Return)
    ready(qtbot, demo)
    assert {s: round(tilt_of(session.computed.rig, s), 3) for s in ("left", "right")} == {"left": 5.0, "right": 5.0}
    assert session.history.undo_label == "how feet stand"
    rigs.pick(session, "foot_right")
    assert editor.stands_by.text() == "Stands as set here." and editor.tilt.text() == "5.0°"
    click(editor.as_found)
    ready(qtbot, demo)
    assert stand_of(session.computed.rig, "left").by == "skin"
    session.undo()
    ready(qtbot, demo)
    assert stand_of(session.computed.rig, "left").by == "told"
    rigs.pick(session, session.computed.rig.skeleton.names[session.computed.rig.joint("pelvis")])
    assert not editor.stance.isVisibleTo(editor)
