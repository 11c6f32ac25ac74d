"""The height of the time area: fitted, by hand, by a key; for each of its pages."""

from __future__ import annotations

import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest

from tests.helpers.hands import double_click
from tests.helpers.windows import open_take, ready


@pytest.fixture
def walk(demo, qtbot):
    demo.resize(1280, 800)
    open_take(demo, qtbot, "Walk, chin up")
    demo.session.selection.select_card(demo.session.take.steps[0].id)
    ready(qtbot, demo)
    return demo


def test_curves_have_room_and_give_it_back(walk, qtbot) -> None:
    keys = walk.down.sizes()[1]
    for page in ("page_turn", "page_measures"):
        walk.commands.run(page)
        qtbot.waitUntil(lambda: walk.down.sizes()[1] >= 0.44 * sum(walk.down.sizes()))
        assert walk.down.sizes()[0] >= 320
    ready(qtbot, walk)
    walk.commands.run("page_keys")
    qtbot.waitUntil(lambda: abs(walk.down.sizes()[1] - keys) <= 2)


def test_a_height_by_hand_is_remembered_for_its_page(walk, qtbot) -> None:
    handle, keys = walk.down.handle(1), walk.down.sizes()[1]
    middle = handle.rect().center()
    walk.commands.run("page_turn")
    ready(qtbot, walk)
    QTest.mousePress(handle, Qt.MouseButton.LeftButton, pos=middle)
    QTest.mouseMove(handle, middle + QPoint(0, 60))
    QTest.mouseRelease(handle, Qt.MouseButton.LeftButton, pos=middle)  # which has gone along
    by_hand = walk.down.sizes()[1]
    walk.commands.run("page_keys")
    qtbot.waitUntil(lambda: abs(walk.down.sizes()[1] - keys) <= 2)
    walk.commands.run("page_turn")
    qtbot.waitUntil(lambda: abs(walk.down.sizes()[1] - by_hand) <= 2)
    double_click(handle, middle)
    qtbot.waitUntil(lambda: walk.down.sizes()[1] > by_hand + 40)


def test_one_key_makes_it_tall_and_fits_it_again(walk, qtbot) -> None:
    before = walk.down.sizes()[1]
    walk.commands.run("tall_time")
    qtbot.waitUntil(lambda: walk.down.sizes()[1] >= 0.44 * sum(walk.down.sizes()))
    assert walk.commands.action("tall_time").isChecked()
    walk.commands.run("tall_time")
    qtbot.waitUntil(lambda: abs(walk.down.sizes()[1] - before) <= 2)


@pytest.mark.parametrize("page", ["page_keys", "page_turn", "page_findings", "page_measures"])
@pytest.mark.parametrize("size", [(1024, 600), (853, 533)], ids=["netbook", "1280x800 at 150 %"])
def test_no_page_makes_the_window_larger_than_a_small_screen(demo, qtbot, page: str, size: tuple[int, int]) -> None:
    demo.resize(*size)
    ready(qtbot, demo)
    demo.commands.run(page)
    ready(qtbot, demo)
    qtbot.wait(50)
    assert (demo.width(), demo.height()) == size
    shown = demo.time_area.pages.currentWidget()
    assert shown.width() >= shown.minimumSizeHint().width(), "nothing is cut"
