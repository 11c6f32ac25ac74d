"""Everything by keyboard: frame keys belong where frames are looked at, and each room has a way without a mouse."""

from __future__ import annotations

import numpy as np
import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QAbstractItemView, QApplication, QCheckBox, QMenu, QPushButton, QWidget

from reflexa.desktop.actions.context import fill_picture_menu
from reflexa.desktop.actions.registry import letters
from reflexa.desktop.dialogs.command_search import CommandSearch
from reflexa.desktop.kinds.blend import Strips
from reflexa.desktop.window import MainWindow
from reflexa.session import RESULT, events, line, ranges
from tests.helpers.hands import click
from tests.helpers.windows import card, joint_pixel, open_take, ready

K = Qt.Key
SHIFT, ALT = Qt.KeyboardModifier.ShiftModifier, Qt.KeyboardModifier.AltModifier


def _focus(widget: QWidget) -> None:
    widget.setFocus(Qt.FocusReason.TabFocusReason)
    QApplication.processEvents()
    assert widget.hasFocus()


def test_frame_keys_belong_to_the_picture_and_the_time_area(demo: MainWindow, qtbot) -> None:
    open_take(demo, qtbot, "Haul, port side")
    session = demo.session
    for place in (demo.viewport, demo.time_area.ruler, demo.time_area.keys):
        session.player.set_frame(10)
        _focus(place)
        QTest.keyClick(place, K.Key_Right)
        assert session.player.frame == 11, place
        QTest.keyClick(place, K.Key_Home)
        assert session.player.frame == 0
    _focus(demo.viewport)
    QTest.keyClick(demo.viewport, K.Key_Space)
    assert session.player.playing
    QTest.keyClick(demo.viewport, K.Key_Space)
    assert not session.player.playing
    step = card(demo, 0)
    session.player.set_frame(10)
    _focus(step.switch)
    QTest.keyClick(step.switch, K.Key_Space)
    assert not session.take.steps[0].on and not session.player.playing, "Space presses what has the focus"
    _focus(step.slider)
    QTest.keyClick(step.slider, K.Key_Left)
    assert session.take.steps[0].weight < 1 and session.player.frame == 10
    _focus(step)
    QTest.keyClick(step, K.Key_Space)
    assert session.selection.card == session.take.steps[0].id
    QTest.keyClick(step, K.Key_Right)
    assert demo.revision_line.cards["result"].hasFocus()


def test_tab_leaves_every_list_and_table_and_focus_is_drawn(demo: MainWindow, qtbot) -> None:
    open_take(demo, qtbot, "Haul, port side")
    demo.session.selection.select_card(demo.session.take.steps[0].id)
    ready(qtbot, demo)
    for view in demo.findChildren(QAbstractItemView):
        assert not view.tabKeyNavigation(), view.accessibleName()
    for place in (demo.viewport, demo.time_area.ruler, demo.time_area.keys, demo.clip_panel.takes, card(demo, 0)):
        demo.settings.setFocus()
        plain = place.grab().toImage()
        _focus(place)
        assert place.grab().toImage() != plain, place


@pytest.mark.long
def test_whatever_can_be_focused_has_a_name(demo: MainWindow, qtbot) -> None:
    nameless = set()
    for take in (
        "Haul, port side",
        "Walk along the quay",
        "Winch, hands on the crank",
        "Walk, skating fixed",
        "Walk, chin up",
    ):
        open_take(demo, qtbot, take)
        demo.session.selection.select_card(demo.session.take.steps[0].id)
        ready(qtbot, demo)
        for i in range(demo.tabs.count()):
            demo.tabs.setCurrentIndex(i)
            QApplication.processEvents()
            for w in demo.findChildren(QWidget):
                focusable = w.focusPolicy() & Qt.FocusPolicy.TabFocus and w.isVisible() and w.focusProxy() is None
                said = w.accessibleName() or (w.text() if hasattr(w, "text") and not hasattr(w, "setValidator") else "")
                if focusable and not said and not w.objectName().startswith("qt_"):
                    nameless.add(f"{type(w).__name__} in {type(w.parent()).__name__}")
    assert nameless == set()


def test_the_picture_is_looked_at_and_pulled_without_a_mouse(demo: MainWindow, qtbot) -> None:
    session, view = demo.session, demo.viewport
    open_take(demo, qtbot, "Walk on the spot")
    session.player.set_frame(16)
    _focus(view)
    camera = view.camera
    QTest.keyClick(view, K.Key_Right, SHIFT)
    assert view.camera.yaw == pytest.approx(camera.yaw + 10) and session.player.frame == 16
    QTest.keyClick(view, K.Key_Up, SHIFT | ALT)
    assert view.camera.target[1] != camera.target[1]
    QTest.keyClicks(view, "+")
    assert view.camera.distance < camera.distance
    seen = []
    for _ in range(6):
        QTest.keyClick(view, K.Key_PageDown)
        seen.append(session.computed.rig.part_of(session.selection.joint))
    assert len(set(seen)) == 6 and all("finger" not in p for p in seen), "what is pulled every day comes first"
    session.selection.select_joint("upper_arm_left")
    QApplication.processEvents()
    before = session.computed.result
    QTest.keyClick(view, K.Key_Return)
    assert view.by_keys.part == 0 and "rotate about x" in view.by_keys.says
    for _ in range(3):
        QTest.keyClick(view, K.Key_Right)
    assert session.player.frame == 16, "arrows are the handle's while it is held"
    QTest.keyClick(view, K.Key_Return)
    assert view.by_keys.part == -1
    ready(qtbot, demo)
    key = next(k for k in session.layer.track("upper_arm_left").keys if k.frame == 16)
    assert np.linalg.norm(key.rotate) == pytest.approx(15, abs=1e-6) and session.computed.result is not before
    demo.commands.run("undo")
    assert session.layer is None or not session.layer.track("upper_arm_left").keys, "it is one edit"


def test_the_key_sheet_is_gone_through_by_rows_and_keys(demo: MainWindow, qtbot) -> None:
    session, sheet = demo.session, demo.time_area.keys
    open_take(demo, qtbot, "Step up, right foot first")
    session.selection.select_card(session.take.steps[1].id)
    ready(qtbot, demo)
    _focus(sheet)
    QTest.keyClick(sheet, K.Key_Down)
    row = session.selection.joint
    frames = [k.frame for k in session.layer.track(row).keys]
    session.player.set_frame(0)
    QTest.keyClick(sheet, K.Key_PageDown)
    assert session.selection.keys == {(row, frames[0])} and session.player.frame == frames[0]
    QTest.keyClick(sheet, K.Key_PageDown, SHIFT)
    assert session.selection.keys == {(row, frames[0]), (row, frames[1])}
    QTest.keyClick(sheet, K.Key_Return)
    assert session.selection.keys == {(row, frames[0])}
    QTest.keyClick(sheet, K.Key_Right, ALT)
    assert session.layer.track(row).keys[0].frame == frames[0] + 1
    ready(qtbot, demo)
    session.selection.select_card(RESULT)
    session.selection.select_joint("spine_mid")
    demo.commands.run("extract_below")  # a layer of many rows
    session.selection.select_card(session.take.steps[-1].id)
    ready(qtbot, demo)
    QTest.keyClick(sheet, K.Key_Down)
    count = len(sheet.rows)
    QTest.keyClicks(sheet, "-")
    assert len(sheet.rows) < count
    QTest.keyClicks(sheet, "+")
    assert len(sheet.rows) == count


def test_a_click_takes_what_is_pulled_every_day_and_again_the_next(demo: MainWindow, qtbot) -> None:
    session, view = demo.session, demo.viewport
    open_take(demo, qtbot, "Walk on the spot")
    at = joint_pixel(demo, "index_1_left")
    click(view, at)
    first = session.selection.joint
    assert first == "hand_left", "a hand before its fingers"
    click(view, at)
    assert session.selection.joint != first
    there = view.seen.joints_at(at.x(), at.y())
    assert there[0] == first and session.selection.joint == there[1]
    menu = QMenu()
    fill_picture_menu(menu, demo.desk, demo.commands, at)
    titles = [a.text() for a in menu.actions()]
    assert (titles[0] == "Select hand_left" and "Add goal for hand_left" in [t.replace("&", "") for t in titles]) or (
        f"Correct {session.selection.joint}" in titles
    )
    next(a for a in menu.actions() if a.text() == "Select hand_left").trigger()
    assert session.selection.joint == "hand_left"


def test_every_entry_of_a_menu_has_a_letter_of_its_own() -> None:
    assert (
        letters(["Save", "Save as", "Library"]) == ["s", "a", "h"]
        or len(set(letters(["Save", "Save as", "Library"]))) == 3
    )
    assert sorted(letters(["ab", "a", "b"])) == ["", "a", "b"]


def test_events_ranges_and_the_strips_of_a_blend_have_keys(demo: MainWindow, qtbot) -> None:
    session, time = demo.session, demo.time_area
    open_take(demo, qtbot, "Haul, port side")
    _focus(time.ruler)
    session.player.set_frame(0)
    QTest.keyClick(time.ruler, K.Key_PageDown)
    first = session.player.frame
    assert first == round(events.seen(session)[0].frame) > 0
    QTest.keyClick(time.ruler, K.Key_Right, SHIFT)
    ready(qtbot, demo)
    assert session.player.frame == round(events.seen(session)[0].frame) == first + 1
    QTest.keyClick(time.ruler, K.Key_Delete)
    ready(qtbot, demo)
    assert all(round(e.frame) != first + 1 for e in events.seen(session))
    line.set_range(session, first=5, last=20)
    ranges.add(session, "grip")
    before = session.selection.card
    QTest.keyClick(time.ruler, K.Key_Left, Qt.KeyboardModifier.ControlModifier)
    assert session.selection.card != before, "with Ctrl a key is a command's"
    ready(qtbot, demo)
    _focus(time.ranges)
    QTest.keyClick(time.ranges, K.Key_PageDown)
    QTest.keyClick(time.ranges, K.Key_Right)
    QTest.keyClick(time.ranges, K.Key_Up)  # its end
    QTest.keyClick(time.ranges, K.Key_Right)
    QTest.keyClick(time.ranges, K.Key_Up)  # its beginning
    QTest.keyClick(time.ranges, K.Key_Left)
    (kept,) = session.take.ranges
    assert (kept.first, kept.last) == (5, 22)
    QTest.keyClick(time.ranges, K.Key_Delete)
    assert not session.take.ranges
    open_take(demo, qtbot, "Walk with the lantern")
    session.selection.select_card(session.take.steps[0].id)
    ready(qtbot, demo)
    strips = demo.settings.findChild(Strips)
    shift = session.step.settings.shift
    _focus(strips)
    QTest.keyClick(strips, K.Key_Right)
    QTest.keyClick(strips, K.Key_Right, SHIFT)
    assert session.step.settings.shift == shift + 11


def test_every_command_has_keys_and_no_two_the_same(demo: MainWindow, qtbot) -> None:
    rows = {c.id: c.shortcut.split(" | ") for c in demo.commands}
    assert all(all(keys) for keys in rows.values())
    every = [k for keys in rows.values() for k in keys]
    assert len(every) == len(set(every))
    begins = {k for k in every if any(o.startswith(f"{k}, ") for o in every)}
    assert not begins, "a key that another row begins with would never come to its end"
    open_take(demo, qtbot, "Walk on the spot")
    _focus(demo.viewport)
    for key, modifier in ((K.Key_B, Qt.KeyboardModifier.ControlModifier), (K.Key_F, Qt.KeyboardModifier.NoModifier)):
        QTest.keyClick(demo.viewport, key, modifier)
    assert [s.kind for s in demo.session.take.steps] == ["foot-lock"]


def test_menus_and_search_know_every_command(empty: MainWindow, qtbot) -> None:
    for top in empty.menuBar().actions():
        for menu in (top.menu(), *(a.menu() for a in top.menu().actions() if a.menu() is not None)):
            marked = [a.text() for a in menu.actions() if a.text()]
            own = [t[t.index("&") + 1].lower() for t in marked if "&" in t]
            assert len(own) == len(set(own)) == len(marked), top.text()
    search = CommandSearch(empty.commands, empty)
    qtbot.addWidget(search)
    for word, title in (
        ("flip", "mirror"), ("loop", "close loop"), ("bake", "Export"), ("trim", "trim"), ("speed", "retime"), ("dark", "Night"),
        ("zoom", "Frame the figure"), ("settings", "theme"), ("batch", "Export all"), ("recent", "Recent"), ("demo", "demo"),
        ("foot", "foot lock"), ("plants", "foot lock"), ("goal", "reach"), ("mend", "Fix all"), ("thin", "key reduction"),
    ):  # fmt: skip
        search.field.setText(word)
        found = [search.found.item(i).text() for i in range(search.found.count())]
        assert any(title in f for f in found), (word, found)


def test_keys_go_through_the_clipboard_as_text(demo: MainWindow, qtbot) -> None:
    session = demo.session
    open_take(demo, qtbot, "Step up, right foot first")
    session.selection.select_card(session.take.steps[1].id)
    ready(qtbot, demo)
    demo.commands.run("select_keys")
    count = len(session.selection.keys)
    demo.commands.run("copy_keys")
    text = QApplication.clipboard().text()
    assert '"reflexa": "keys"' in text and "spine_mid" in text
    demo.desk.clipboard = None  # as in another window
    open_take(demo, qtbot, "Walk, as the Ferrykeeper")
    session.selection.select_card(RESULT)
    ready(qtbot, demo)
    demo.commands.run("paste_in_place")
    ready(qtbot, demo)
    pasted = {t.joint: len([k for k in t.keys if not k.neutral]) for t in session.layer.tracks}
    assert set(pasted) < set(session.computed.rig.body_map["spine"]) and count >= 1, (
        "the same part on the other figure's rig"
    )
    QApplication.clipboard().setText("something else")
    demo.commands.run("paste_keys")
    assert "no keys on the clipboard" in demo.statusBar().currentMessage()


def _menu_texts(qtbot) -> list[str]:
    """What the menu that is on the screen offers; it is left again with Escape and is gone."""
    qtbot.waitUntil(lambda: isinstance(QApplication.activePopupWidget(), QMenu))
    menu = QApplication.activePopupWidget()
    texts = [a.text().replace("&", "") for a in menu.actions()]
    with qtbot.waitSignal(menu.destroyed):
        QTest.keyClick(menu, Qt.Key.Key_Escape)
    return texts


def test_menus_come_up_where_something_is(demo: MainWindow, qtbot) -> None:
    open_take(demo, qtbot, "Walk, chin up")
    shown = []
    for widget in (demo.time_area.curves, demo.figure.tree, demo.stage.list):
        widget.customContextMenuRequested.emit(QPoint(5, 5))
        shown.append(_menu_texts(qtbot))
    demo.clip_panel.menu_wanted.emit(QPoint(5, 5))
    shown.append(_menu_texts(qtbot))
    view = demo.viewport
    QTest.mouseClick(view, Qt.MouseButton.RightButton, Qt.KeyboardModifier.NoModifier, joint_pixel(demo, "hand_left"))
    shown.append(_menu_texts(qtbot))
    wanted = ("Copy keys", "Pair the joint with…", "Add crate", "Import clips…", "Select hand_left")
    assert all(any(t.startswith(w) for t in menu) for w, menu in zip(wanted, shown, strict=True)), shown


def test_the_panel_in_use_fills_the_window_and_gives_it_back(demo: MainWindow, qtbot) -> None:
    open_take(demo, qtbot, "Haul, port side")
    panels = (demo.tabs, demo.viewport, demo.settings, demo.time_area)
    before = [p.size() for p in panels]
    for panel, inside in (
        (demo.tabs, demo.clip_panel.takes), (demo.viewport, demo.viewport), (demo.settings, demo.settings.findChild(QPushButton)),
        (demo.time_area, demo.time_area.ruler),
    ):  # fmt: skip
        _focus(inside)
        demo.commands.run("fill_window")
        QApplication.processEvents()
        assert [p.isVisible() for p in panels] == [p is panel for p in panels]
        assert panel.width() > 0.9 * demo.width()
        demo.commands.run("fill_window")
        QApplication.processEvents()
        assert [p.size() for p in panels] == before
    demo.commands.run("panel_left")
    QApplication.focusWidget().clearFocus()
    demo.commands.run("fill_window")
    assert demo.viewport.isVisible(), "a panel that is hidden fills nothing"
    demo.commands.run("fill_window")
    demo.commands.run("panel_left")
    demo.commands.run("swap_before")
    assert demo.viewport.look.compare == "Before"
    demo.commands.run("swap_before")
    assert demo.viewport.look.compare == "After"


def test_panels_are_hidden_and_come_back_as_they_were(demo: MainWindow, qtbot) -> None:
    from reflexa.desktop.actions import view

    for id_, widget in (("left", demo.tabs), ("settings", demo.settings), ("time", demo.time_area)):
        demo.commands.run(f"panel_{id_}")
        assert not widget.isVisible() and not demo.commands.action(f"panel_{id_}").isChecked()
    demo.tabs.setCurrentIndex(2)
    demo.viewport.set_compare("Both")
    view.remember(demo.desk)
    for id_ in ("left", "settings", "time"):
        view.panel(demo.desk, id_).show()
    demo.tabs.setCurrentIndex(0)
    view.restore(demo.desk)
    assert not demo.settings.isVisible() and demo.tabs.currentIndex() == 2 and demo.viewport.look.compare == "Both"
    for id_ in ("left", "settings", "time"):
        demo.commands.run(f"panel_{id_}")
    assert demo.tabs.isVisible() and demo.settings.isVisible() and demo.time_area.isVisible()
    looping = demo.session.player.looping
    demo.commands.run("loop")
    assert demo.session.player.looping != looping


def test_space_plays_whatever_a_mouse_has_pressed(demo, qtbot) -> None:
    window, playing = demo, demo.session.player
    open_take(window, qtbot, "Haul, port side")
    click(card(window, 0).name)
    pressed = next(b for b in window.settings.findChildren(QCheckBox) if b.text() == "Shift by half a cycle")

    def press() -> bool:
        at = pressed.mapTo(window, QPoint(8, pressed.height() // 2))
        QTest.mouseClick(window.windowHandle(), Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, at)
        return window.session.take.steps[0].settings.half_cycle

    _focus(window.viewport)
    assert press() and window.viewport.hasFocus(), "the keys stay with the picture"
    QTest.keyClick(window.windowHandle(), K.Key_Space)
    assert playing.playing
    QTest.keyClick(window.windowHandle(), K.Key_Space)
    _focus(window.clip_panel.search)
    pressed.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
    assert not press() and window.viewport.hasFocus(), "not with a field that one writes in"
    _focus(card(window, 0).slider)
    QTest.keyClick(card(window, 0).slider, K.Key_Space)
    assert playing.playing, "it does nothing with Space itself"
    playing.pause()
    _focus(pressed)
    QTest.keyClick(pressed, K.Key_Space)
    assert window.session.take.steps[0].settings.half_cycle and not playing.playing, "who came by Tab presses it"
