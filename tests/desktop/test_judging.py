"""Findings in the window: who brought them in, where they are in time, put up with, fixed."""

from __future__ import annotations

from dataclasses import replace

import msgspec
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QFileDialog, QInputDialog

from reflexa.desktop.dialogs.fixes import Fixes
from reflexa.desktop.dialogs.picture import PictureDialog
from reflexa.desktop.settings.findings_tree import FindingsTree
from reflexa.desktop.widgets import boxes
from reflexa.project import store
from reflexa.session import RESULT, SOURCE, findings, line
from reflexa.steps import make
from reflexa.steps.correction import CorrectionSettings, set_key
from reflexa.take import Segment, Source
from reflexa.take.edits import insert_step
from tests.helpers.hands import button, choose, click, said
from tests.helpers.windows import dialog_of, finding_texts, idle, new_take, ready, saved, step_id


def snapping(window, qtbot) -> str:
    """A take of a clean walk whose second step snaps the forearm at frame 60; that step's id."""
    new_take(window, qtbot, "deckhand.glb", "walk to the landing")
    line.add(window.session, "mirror")
    settings = set_key(CorrectionSettings(falloff=1), "forearm_left", 60, 128, rotate=(70.0, 20.0, 0.0))
    step = msgspec.structs.replace(make("correction", "snaps"), settings=settings)
    window.session.edit_take("add", insert_step(window.session.take, 1, step))
    ready(qtbot, window)
    window.session.selection.select_card(RESULT)
    return step.id


def test_a_finding_says_who_brought_it_in_and_cards_say_it_too(demo, qtbot) -> None:
    snaps, session = snapping(demo, qtbot), demo.session
    tree = demo.settings.findChild(FindingsTree)
    rows = [tree.topLevelItem(i) for i in range(tree.topLevelItemCount())]
    assert any(r.text(0) == "Left arm: pop" and r.text(2) == "snaps" for r in rows)
    card = demo.revision_line.cards[snaps]
    assert card.found.text().startswith("+") and "pops" in card.found.toolTip()
    assert not demo.revision_line.cards[step_id(demo, 0)].found.isVisible()
    # Keys: to the finding, then to what brought it in.
    session.player.set_frame(0)
    QTest.keyClick(demo, Qt.Key.Key_F8)
    assert abs(session.player.frame - 60) <= 2
    pop = next(r for r in rows if r.text(0).endswith(": pop"))
    tree.setCurrentItem(pop)
    click(button(demo.settings, "Show step"))
    assert session.selection.card == snaps and session.selection.view_point == snaps
    assert demo.viewport.look.compare == "One step" and abs(session.player.frame - 60) <= 2


def test_a_mark_on_the_lane_leads_to_its_frame(demo, qtbot) -> None:
    snapping(demo, qtbot)
    lane, session = demo.time_area.findings, demo.session
    assert lane.isVisible()
    f = next(f for f in session.evaluator.findings if f.kind == "pop")
    x = round(lane.time.x(f.worst))
    QTest.mouseMove(lane, QPoint(x, lane.height() // 2))
    QTest.mouseClick(lane, Qt.MouseButton.LeftButton, pos=QPoint(x, lane.height() // 2))
    assert session.player.frame == f.worst and session.selection.joint
    session.selection.set_view_point(SOURCE)
    assert lane.isVisible(), "a mirror has the result's time"


def test_findings_are_put_up_with_and_saved(demo, qtbot, monkeypatch, tmp_path) -> None:
    window, session = demo, demo.session
    new_take(window, qtbot, "deckhand.glb", "walk, skating")
    before = saved(window)
    session.selection.select_card(RESULT)
    count = session.evaluator.judgement.count
    tree = window.settings.findChild(FindingsTree)
    tree.setCurrentItem(tree.topLevelItem(0))
    monkeypatch.setattr(QInputDialog, "getText", lambda *_, **__: ("the deck is wet", True))
    click(button(window.settings, "Accept…"))
    ready(qtbot, window)
    assert session.evaluator.judgement.count == count // 2
    assert f"{count // 2} findings" in said(window.revision_line)
    assert any("Accepted: the deck is wet" in t for t in finding_texts(window))
    assert len(findings.in_order(session)) == count // 2, "the keys pass over them"
    store.save(session.project, tmp_path / "p")
    again = store.load(tmp_path / "p").take(session.take.name)
    assert again.accepted == session.take.accepted and again.accepted[0].reason == "the deck is wet"
    window.commands.run("accept_none")
    ready(qtbot, window)
    assert session.evaluator.judgement.count == count
    session.undo()
    session.undo()
    assert saved(window) == before


def test_mend_all_keeps_what_helps_and_undoes_as_one(demo, qtbot) -> None:
    window, session = demo, demo.session
    new_take(window, qtbot, "deckhand.glb", "walk, skating")
    before = saved(window)
    session.selection.select_card(RESULT)
    click(button(window.settings, "Fix all"))
    dialog = dialog_of(qtbot, window, Fixes)
    rows = [
        [item.text(c) for c in range(6)]
        for item in map(dialog.table.topLevelItem, range(dialog.table.topLevelItemCount()))
    ]
    assert all(r[0] == "Foot slide" and r[4] == "0.0 mm" and r[5] == "Lock the feet" for r in rows), rows
    assert "10.0 cm" in {r[3] for r in rows} and "No findings are left" in dialog.said.text()
    dialog.accept()
    ready(qtbot, window)
    assert [s.kind for s in session.take.steps] == ["foot-lock"] and not session.evaluator.findings
    session.undo()
    assert saved(window) == before


def test_measures_are_drawn_kept_and_handed_over(demo, qtbot, tmp_path) -> None:
    window, session = demo, demo.session
    new_take(window, qtbot, "deckhand.glb", "walk, skating")
    line.add(session, "foot-lock")
    ready(qtbot, window)
    window.commands.run("page_measures")
    idle(qtbot, window)
    view = window.time_area.measures
    assert "Select a joint" in view.said.text() and not view.curves
    session.selection.select_joint("foot_left")
    choose(view, "Measure", "Speed (m/s)")
    idle(qtbot, window)
    assert [c.title for c in view.curves] == ["Speed, foot_left", "Speed, foot_left, before"]
    assert view.curves[0].values[10] < 0.02 < view.curves[1].values[10], "it stood, after, and slid, before"
    click(view.keep)
    session.selection.select_joint("hand_right")
    click(view.whose["Before"])
    idle(qtbot, window)
    assert [c.title for c in view.curves] == ["Speed, foot_left", "Speed, hand_right"]
    for suffix, begins in ((".csv", b"frame,"), (".svg", b"<svg"), (".png", b"\x89PNG")):
        path = tmp_path / f"m{suffix}"
        view.export(path)
        assert path.read_bytes().startswith(begins)
    x = round(window.time_area.time.x(40))
    QTest.mouseClick(view.plot.viewport(), Qt.MouseButton.LeftButton, pos=QPoint(x, 30))
    assert session.player.frame == 40


def test_a_view_is_kept_shown_and_saved(demo, qtbot, monkeypatch, tmp_path) -> None:
    window, session = demo, demo.session
    new_take(window, qtbot, "deckhand.glb", "walk")
    before = saved(window)
    window.commands.run("view_2")
    window.viewport.set_look(follow=True)
    monkeypatch.setattr(QInputDialog, "getText", lambda *_, **__: ("from the pier", True))
    window.commands.run("keep_view")
    (view,) = session.take.views
    assert view.name == "from the pier" and view.yaw == 90.0 and view.follow
    window.commands.run("view_1")
    window.viewport.buttons["follow"].setChecked(False)
    QTest.keyClick(window, Qt.Key.Key_1, Qt.KeyboardModifier.AltModifier | Qt.KeyboardModifier.ShiftModifier)
    assert window.viewport.camera.yaw == 90.0 and window.viewport.look.follow
    store.save(session.project, tmp_path / "p")
    assert store.load(tmp_path / "p").take(session.take.name).views == (view,)
    session.undo()
    assert saved(window) == before


def test_a_picture_and_a_page_are_made_in_the_window(demo, qtbot, monkeypatch, tmp_path) -> None:
    window = demo
    new_take(window, qtbot, "deckhand.glb", "walk")
    window.commands.run("save_picture")
    dialog = dialog_of(qtbot, window, PictureDialog)
    dialog.wide.setValue(200)
    dialog.high.setValue(160)
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_, **__: (str(tmp_path / "a"), ""))
    dialog.accept()
    qtbot.waitUntil((tmp_path / "a.png").exists)
    idle(qtbot, window)
    window.commands.run("review_page")
    assert b"<!DOCTYPE html>" in (tmp_path / "a.html").read_bytes()
    (tmp_path / "a.html").write_bytes(b"mine")
    monkeypatch.setattr(boxes, "answer", lambda _, *answers: len(answers) - 1)
    window.commands.run("review_page")
    assert (tmp_path / "a.html").read_bytes() == b"mine", "the dialog asked of a name without its suffix"


def test_differences_are_seen_as_colours(demo, qtbot) -> None:
    window, session = demo, demo.session
    new_take(window, qtbot, "deckhand.glb", "walk to the landing")
    settings = set_key(CorrectionSettings(whole_clip=True), "forearm_left", 60, 128, rotate=(70.0, 20.0, 0.0))
    step = msgspec.structs.replace(make("correction", "bent"), settings=settings)
    session.edit_take("add", insert_step(session.take, 0, step))
    ready(qtbot, window)
    session.selection.select_card(RESULT)
    window.viewport.buttons["differences"].setChecked(True)
    session.player.set_frame(60)
    colours = window.viewport.figures()[0].colours
    index = session.computed.rig.skeleton.index
    assert abs(colours[index["forearm_left"]] - colours[index["forearm_right"]]).max() > 0.3
    assert (colours[index["forearm_right"]] == colours[index["thigh_left"]]).all()


def test_what_was_found_before_is_not_said_of_a_take_that_cannot_be_computed(demo, qtbot, monkeypatch) -> None:
    snapping(demo, qtbot)
    session, evaluator = demo.session, demo.session.evaluator
    qtbot.waitUntil(lambda: evaluator.judgement.count > 0)
    monkeypatch.setattr(demo.desk.__class__, "show_error", lambda *_: None)
    gone = replace(session.take, source=Source("deckhand.glb", "two", (Segment("deckhand.glb", "walk", first=9000),)))
    session.edit_take("join", gone)
    qtbot.waitUntil(lambda: bool(evaluator.refused))
    idle(qtbot, demo)
    assert not evaluator.judgement.count and not evaluator.findings
    assert "are not inside 'walk'" in evaluator.refused
    qtbot.waitUntil(lambda: "Cannot be computed" in said(demo.settings))
    session.undo()
    ready(qtbot, demo)
    qtbot.waitUntil(lambda: evaluator.judgement.count > 0)
    assert not evaluator.refused


def test_findings_are_a_table_to_sort_filter_fix_and_accept(demo, qtbot, monkeypatch) -> None:
    window, session = demo, demo.session
    new_take(window, qtbot, "deckhand.glb", "walk, skating")
    ready(qtbot, window)
    before = session.project
    window.commands.run("page_findings")
    page = window.time_area.findings_page
    qtbot.waitUntil(lambda: page.table.topLevelItemCount() == len(findings.in_order(session)) == 8)
    page.table.sortByColumn(2, Qt.SortOrder.AscendingOrder)
    rows = [page.table.topLevelItem(i) for i in range(8)]
    assert [int(r.text(2)) for r in rows] == sorted(int(r.text(2)) for r in rows), "by number, not by letters"
    page.field.setText("foot_left")
    assert 0 < page.table.topLevelItemCount() < 8
    page.table.topLevelItem(0).setSelected(True)
    assert session.player.frame == page.chosen()[0].worst and session.selection.joint == "foot_left"
    monkeypatch.setattr(QInputDialog, "getText", lambda *_, **__: ("a dance", True))
    QTest.keyClick(page.table, Qt.Key.Key_Delete)
    ready(qtbot, window)
    assert len(session.take.accepted) == 1 and session.take.accepted[0].reason == "a dance"
    count = page.table.topLevelItemCount()
    click(page.with_accepted)
    assert page.table.topLevelItemCount() == count + 1
    page.field.clear()
    page.table.selectAll()
    click(page.fix)
    ready(qtbot, window)
    assert [s.kind for s in session.take.steps] == ["foot-lock"], "one step of a kind, however many findings"
    qtbot.waitUntil(lambda: not findings.in_order(session))
    session.undo()
    session.undo()
    assert session.project == before
    ready(qtbot, window)
