"""Knowing a rig and carrying clips from rig to rig, in the window, with real mouse and key events."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QComboBox, QLabel, QPushButton

from reflexa.desktop.handle import HOOPS
from reflexa.desktop.retarget_panel import RetargetPanel
from reflexa.desktop.shown import retarget_match
from reflexa.desktop.tables import JointTable
from reflexa.formats import read
from reflexa.formats.rigfile import read_rig
from reflexa.project import store
from reflexa.rig.notes import notes_of

from ..conftest import DATA
from .conftest import drag, joint_pixel, ready


def open_take(window, qtbot, name: str) -> None:
    window.session.open_take(name)
    ready(qtbot, window)


def choose(box, text: str) -> None:
    """Pick an entry of a combo box with the keyboard."""
    box.setFocus()
    wanted = box.findText(text)
    while (left := wanted - box.currentIndex()) != 0:
        QTest.keyClick(box, Qt.Key.Key_Down if left > 0 else Qt.Key.Key_Up)
    assert box.currentText() == text


def test_a_clip_goes_onto_another_rig_in_two_choices_and_is_exported_with_its_skin(demo, qtbot, tmp_path: Path) -> None:
    open_take(demo, qtbot, "Walk on the spot")
    demo.commands.run("add_retarget")
    qtbot.waitUntil(lambda: bool(demo.session.problem))
    assert "no target rig is chosen" in demo.session.problem, "the picture says what is missing, no error box comes up"
    demo.viewport.grab()
    box = next(b for b in demo.settings.findChildren(QComboBox) if b.accessibleName() == "Onto rig")
    choose(box, "ferrykeeper.glb")
    ready(qtbot, demo)
    session = demo.session
    assert session.evaluation.rig.skeleton.names[0] == "Base" and session.rig is session.evaluation.rig
    panel = demo.settings.findChild(RetargetPanel)
    qtbot.waitUntil(lambda: panel.table.rowCount() > 10, timeout=20_000)
    assert "31 parts on both rigs" in panel.summary.text()
    panel.table.selectRow(0)
    assert session.joint == "PortFoot"
    demo.viewport.set_compare("Side by side")
    assert [f.rig.skeleton.names[0] for f in demo.viewport.figures()] == ["Base", "root"]
    demo.export_dialog()
    dialog = demo._dialog
    dialog.folder.setText(str(tmp_path))
    dialog.start()
    qtbot.waitUntil(lambda: dialog.proof is not None, timeout=20_000)
    back = read(dialog.proof.path)
    assert back.rig.meshes and back.rig.key == session.evaluation.rig.key and len(back.clips) == 1
    dialog.reject()
    for _ in range(3):
        session.undo()
    ready(qtbot, demo)
    assert session.take.steps == () and session.rig.skeleton.names[0] == "root"


def test_the_rest_alignment_is_turned_by_hand_and_kept_for_the_next_clip(demo, qtbot, tmp_path: Path) -> None:
    open_take(demo, qtbot, "Walk, as the Ferrykeeper")
    session = demo.session
    session.select_card(0)
    demo.commands.run("show_rest")
    session.select_joint("PortUpperArm")
    handle = demo.viewport.handle()
    assert handle is not None and len(demo.viewport.figures()) == 2
    camera, w, h = demo.viewport.camera, demo.viewport.width(), demo.viewport.height()
    at = camera.project(handle.bead(2, camera), w, h)
    drag(demo.viewport, QPoint(round(at[0]), round(at[1])), QPoint(round(at[0]) + 40, round(at[1]) + 20))
    ready(qtbot, demo)
    fits = retarget_match(session).target.fits
    (turn,) = fits[session.source_rig.key].values()
    assert abs(turn[2]) > 3 and HOOPS[2][0] == "z" and np.hypot(turn[0], turn[1]) < 1e-6
    session.show_rest(False)
    session.folder = tmp_path / "kept"
    for source in session.project.sources:
        store.add_source(session.folder, Path(str(session.documents[source.file].path)))
    session.save()
    assert store.load(session.folder) == session.project and list((session.folder / "rigs").glob("*.rig.json"))
    session.open_take("Haul to starboard, as the Ferrykeeper")
    ready(qtbot, demo)
    session.select_card(1)
    assert retarget_match(session).target.fits == fits, "the next clip of the same two rigs needs nothing"
    session.undo()
    assert not retarget_match(session).target.fits and not session.project.rigs


def test_partners_are_corrected_by_picking_dragging_and_keys_and_undone(demo, qtbot) -> None:
    open_take(demo, qtbot, "Walk on the spot")
    session, figure = demo.session, demo.figure
    demo.tabs.setCurrentIndex(1)
    QApplication.processEvents()
    before = store.take_plain(session.take), session.project
    at = joint_pixel(demo, "shin_left")
    QTest.mouseClick(demo.viewport, Qt.MouseButton.LeftButton, pos=at)
    assert session.joint == "shin_left"
    QTest.mouseClick(figure.editor.alone, Qt.MouseButton.LeftButton)
    ready(qtbot, demo)
    assert {"shin_left", "shin_right"} <= set(session.rig.unpaired)
    texts = [figure.problems.item(i).text() for i in range(figure.problems.count())]
    assert any("shin_left has no partner" in t for t in texts)
    QTest.mouseClick(figure.editor.pair, Qt.MouseButton.LeftButton)
    assert session.pairing == "shin_left"
    QTest.keyClick(demo, Qt.Key.Key_Escape)
    assert not session.pairing
    demo.commands.run("pair")
    figure.tree.setCurrentItem(figure._items["shin_right"])
    ready(qtbot, demo)
    pair = next(p for p in session.rig.pairs if p.left == "shin_left")
    assert pair.right == "shin_right" and session.joint == "shin_left" and not session.rig.unpaired
    demo.commands.run("mark_centre")
    ready(qtbot, demo)
    assert "shin_left" in session.rig.centre and session.rig.unpaired == ("shin_right",)
    choose(figure.editor.part, "no part")
    ready(qtbot, demo)
    assert "left shin" not in session.rig.body_map
    assert "No joint is the left shin" in " ".join(
        figure.problems.item(i).text() for i in range(figure.problems.count())
    )
    for _ in range(4):
        session.undo()
    ready(qtbot, demo)
    assert (store.take_plain(session.take), session.project) == before and not session.rig.unpaired


def test_a_rig_document_goes_out_and_in(demo, qtbot, tmp_path: Path) -> None:
    open_take(demo, qtbot, "Walk on the spot")
    session = demo.session
    session.select_joint("head")
    demo.commands.run("unpair")
    ready(qtbot, demo)
    path = tmp_path / "deckhand.rig.json"
    demo.export_rig_to(path)
    assert "head" not in read_rig(path).notes.centre and len(read_rig(path).notes.joints) == 60
    demo.commands.run("forget_rig")
    ready(qtbot, demo)
    assert "head" in session.rig.centre
    demo.import_rig_from(path)
    ready(qtbot, demo)
    assert session.rig.unpaired == ("head",)
    open_take(demo, qtbot, "Strut, other leg first")
    demo.import_rig_from(path)
    assert "speaks of another rig" in demo._dialog.text() or "was taken, but" in demo._dialog.text()
    demo._dialog.accept()
    (tmp_path / "broken.rig.json").write_text("{")
    demo.import_rig_from(tmp_path / "broken.rig.json")
    assert "not valid JSON" in demo._dialog.text()
    demo._dialog.accept()


def test_a_frame_is_taken_for_neutral_and_given_back(demo, qtbot) -> None:
    open_take(demo, qtbot, "Walk on the spot")
    session = demo.session
    session.set_frame(9)
    demo.commands.run("reference")
    ready(qtbot, demo)
    assert session.rig.reference is not None and max(p.residual_mm for p in session.rig.pairs) > 10
    shin = session.rig.skeleton.index["shin_left"]
    assert np.allclose(notes_of(session.rig).reference["shin_left"].rotation, session.result.rotations[9, shin])
    demo.commands.run("no_reference")
    ready(qtbot, demo)
    assert session.rig.reference is None


def test_clips_are_mirrored_in_one_go_and_all_takes_exported(demo, qtbot, tmp_path: Path) -> None:
    session, clips = demo.session, demo.library.clips
    count = len(session.project.takes)
    QTest.mouseClick(clips.viewport(), Qt.MouseButton.LeftButton, pos=clips.visualItemRect(clips.item(0)).center())
    for row in (1, 2):
        clips.scrollToItem(clips.item(row))
        at = clips.visualItemRect(clips.item(row)).center()
        QTest.mouseClick(clips.viewport(), Qt.MouseButton.LeftButton, Qt.KeyboardModifier.ControlModifier, at)
    assert demo.library.take_button.text() == "Make 3 takes"
    demo.commands.run("mirror_clips")
    ready(qtbot, demo)
    made = session.project.takes[count:]
    assert [t.name for t in made] == ["walk, mirror", "walk on the spot, mirror", "lantern idle, mirror"]
    assert all(t.steps[0].kind == "mirror" for t in made)
    demo.export_all()
    dialog = demo._dialog
    for i in range(count):
        dialog.list.item(i).setCheckState(Qt.CheckState.Unchecked)
    dialog.folder.setText(str(tmp_path / "out"))
    dialog.start()
    qtbot.waitUntil(lambda: "3 of 3 written" in dialog.said.text(), timeout=30_000)
    assert sorted(p.name for p in (tmp_path / "out").glob("*.glb")) == sorted(f"{t.name}.glb" for t in made)
    dialog.start()
    qtbot.waitUntil(lambda: "0 of 3 written" in dialog.said.text(), timeout=30_000)
    assert "exists already" in dialog.list.item(count).text()
    dialog.reject()
    session.undo()
    ready(qtbot, demo)
    assert len(session.project.takes) == count, "all three go in one undo"


def test_stray_helper_joints_are_found_and_put_back_with_one_click(demo, qtbot) -> None:
    open_take(demo, qtbot, "Winch, marks put back")
    session = demo.session
    session.remove_step(0)
    ready(qtbot, demo)
    session.select_card(-2)
    table = demo.settings.findChild(JointTable)
    assert "MarkHandPort is up to 6" in " ".join(table.item(r, 0).text() for r in range(table.rowCount()))
    assert "4 findings" in demo.revision_line._found.text()
    button = next(b for b in demo.settings.findChildren(QPushButton) if b.text() == "Put helper joints back")
    QTest.mouseClick(button, Qt.MouseButton.LeftButton)
    ready(qtbot, demo)
    assert session.take.steps[-1].kind == "helper-joints"
    session.select_card(-2)
    assert "helper joints are in place" in " ".join(label.text() for label in demo.settings.findChildren(QLabel))


@pytest.mark.parametrize("facing", ["-X", "+Z"])
def test_a_wrong_facing_is_told(empty, qtbot, facing: str) -> None:
    empty.import_paths([DATA / "humanoid3d_walk.bvh"])
    qtbot.waitUntil(lambda: empty._dialog is not None and empty._dialog.isVisible(), timeout=10_000)
    empty._dialog.accept()
    ready(qtbot, empty)
    session = empty.session
    session.set_facing("humanoid3d_walk.bvh", facing)
    qtbot.waitUntil(lambda: session.documents["humanoid3d_walk.bvh"].frame.facing == facing, timeout=10_000)
    ready(qtbot, empty)
    assert session.rig.facing_found_by == "told"
    session.undo()
    qtbot.waitUntil(lambda: session.documents["humanoid3d_walk.bvh"].frame.facing == "+X", timeout=10_000)
    ready(qtbot, empty)
