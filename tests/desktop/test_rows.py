"""Rows of the key sheet: put in another order, hidden, and only those of what is selected."""

from __future__ import annotations

from typing import Any

import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QMenu

from reflexa.desktop.time.key_sheet import ROW
from reflexa.desktop.time.rows import Row
from reflexa.desktop.window import MainWindow
from reflexa.steps.correction import CorrectionSettings, Key, Track
from reflexa.steps.correction.step import correct
from tests.helpers.hands import click, drag
from tests.helpers.windows import open_take, ready

K, ALT = Qt.Key, Qt.KeyboardModifier.AltModifier
JOINTS = ("head", "hand_left", "upper_arm_left", "forearm_left", "foot_left", "thigh_left", "pelvis")
LAYER = CorrectionSettings(tracks=tuple(Track(n, (Key(0), Key(4, (5.0, 0, 0)))) for n in JOINTS))


@pytest.fixture
def many(demo: MainWindow, qtbot) -> MainWindow:
    """A layer with keys on many joints is open."""
    from reflexa.session import line

    open_take(demo, qtbot, "Step up, right foot first")
    session = demo.session
    session.selection.select_card(session.take.steps[1].id)
    line.edit_layer(session, "keys", LAYER)
    ready(qtbot, demo)
    return demo


def names(demo: MainWindow) -> list[str]:
    return [r.name for r in demo.time_area.keys.rows]


def row_place(demo: MainWindow, name: str, lower: bool = False) -> QPoint:
    return QPoint(30, 4 + names(demo).index(name) * ROW + (ROW - 4 if lower else 4))


def order(demo: MainWindow) -> list[str]:
    return [t.joint for t in demo.session.layer.tracks]


def test_names_are_dragged_into_another_order_that_is_saved_and_undone(many: MainWindow, qtbot) -> None:
    session, sheet = many.session, many.time_area.keys
    assert names(many)[:5] == ["Body", "head", "pelvis", "Left arm", "hand_left"]
    before = session.computed.result
    drag(sheet, row_place(many, "forearm_left"), row_place(many, "hand_left"))
    ready(qtbot, many)
    assert [n for n in names(many) if n.endswith("arm_left") or n == "hand_left"][:2] == ["forearm_left", "hand_left"]
    assert session.history.undo_label == "move the row of forearm_left"
    assert (session.computed.result.rotations == before.rotations).all(), "an order of rows moves nothing"
    drag(sheet, row_place(many, "Left leg"), row_place(many, "Body"))
    ready(qtbot, many)
    assert names(many)[0] == "Left leg" and order(many)[:2] == ["foot_left", "thigh_left"]
    drag(sheet, row_place(many, "head"), row_place(many, "Left leg"))  # a joint stays under its part
    assert order(many)[:2] == ["foot_left", "thigh_left"]
    many.commands.run("undo")
    many.commands.run("undo")
    ready(qtbot, many)
    assert session.layer == LAYER
    rig = session.computed.step_rig
    turned = CorrectionSettings(tracks=LAYER.tracks[::-1])
    assert (
        correct(session.computed.below, rig, LAYER).rotations == correct(session.computed.below, rig, turned).rotations
    ).all()


def test_a_name_selects_its_joint_and_a_parts_name_folds(many: MainWindow, qtbot) -> None:
    sheet = many.time_area.keys
    click(sheet, row_place(many, "thigh_left"))
    assert many.session.selection.joint == "thigh_left"
    click(sheet, row_place(many, "Left arm"))
    assert "hand_left" not in names(many)
    click(sheet, row_place(many, "Left arm"))
    assert "hand_left" in names(many)


def test_rows_go_up_and_down_by_keyboard(many: MainWindow, qtbot) -> None:
    session, sheet = many.session, many.time_area.keys
    session.selection.select_joint("forearm_left")
    sheet.setFocus()
    QTest.keyClick(sheet, K.Key_Up, ALT)
    assert order(many).index("forearm_left") < order(many).index("upper_arm_left")
    many.commands.run("row_down")
    many.commands.run("row_down")
    assert order(many).index("forearm_left") > order(many).index("upper_arm_left"), "and no further"
    session.selection.select_joint("spine_mid")
    many.commands.refresh()
    assert "keys" in many.commands.action("row_up").toolTip(), "a joint without a row has none to move"


def test_rows_are_hidden_and_come_back(many: MainWindow, qtbot) -> None:
    session, sheet = many.session, many.time_area.keys
    session.selection.select_joint("head")
    many.commands.run("hide_row")
    assert {n for n in names(many) if n in JOINTS} == {*JOINTS} - {"head"}
    assert sheet.hands.out_of_sight() == "Hidden: 1 joint"
    click(sheet, QPoint(40, 4 + len(sheet.rows) * ROW + ROW // 2))  # the line that says so
    assert "head" in names(many) and not sheet.hands.out_of_sight()
    session.selection.select_joint("foot_left")
    many.commands.run("hide_other_rows")
    assert [n for n in names(many) if n in JOINTS] == ["foot_left"]
    many.commands.run("show_all_rows")
    many.commands.run("only_selected_rows")
    assert [n for n in names(many) if n in JOINTS] == ["foot_left"]
    session.selection.select_keys({("head", 4), ("pelvis", 4)})
    assert {n for n in names(many) if n in JOINTS} == {"foot_left", "head", "pelvis"}
    session.selection.select_keys(set())
    session.selection.select_joint("spine_mid")
    assert not names(many) and sheet.hands.out_of_sight() == f"Not selected: {len(JOINTS)} joints"
    other = session.take.steps[0].id
    session.selection.select_card(other)
    session.selection.select_card(session.take.steps[1].id)
    assert not names(many), "each layer remembers what it shows"


def test_the_menu_of_a_row(many: MainWindow, qtbot) -> None:
    sheet, menu = many.time_area.keys, QMenu()
    found: dict[str, Any] = {}
    sheet.hands.fill(menu, next(r for r in sheet.rows if r.name == "Left arm"))
    found = {a.text(): a for a in menu.actions()}
    found["Hide Left arm"].trigger()
    assert "Left arm" not in names(many) and "hand_left" not in names(many)


def test_the_key_that_is_nearest_within_reach() -> None:
    keys = Track("hand", (Key(3), Key(10), Key(11)))
    for row in (Row("hand", keys), Row("arms", None, (keys, Track("elbow")))):
        assert row.frames.tolist() == [3, 10, 11]
        assert [row.key_within(f, 1.0) for f in (2.0, 3.4, 6.0, 10.6, 40.0)] == [None, 3, None, 11, None]
    assert Row("elbow", Track("elbow")).key_within(3.0, 5.0) is None
