"""Clips in a row, dragged on their lane; the ends of the ruler."""

from __future__ import annotations

from PySide6.QtCore import QPointF
from PySide6.QtWidgets import QApplication

from reflexa.desktop.time.sequence_lane import SequenceLane
from reflexa.session import SOURCE
from tests.helpers.hands import click, drag, dropped_clips
from tests.helpers.windows import new_take, ready


def test_a_segment_that_is_moved_changes_no_crossfade(demo, qtbot) -> None:
    session = demo.session
    new_take(demo, qtbot, "deckhand.glb", "walk to the landing")
    dropped_clips(demo.revision_line.cards[SOURCE], [("deckhand.glb", "step up"), ("deckhand.glb", "walk")])
    ready(qtbot, demo)
    session.selection.select_card(SOURCE)
    lane = demo.time_area.lanes
    assert isinstance(lane, SequenceLane)
    QApplication.processEvents()
    before = session.take.source.segments
    start, end = lane.rect_of(2).center(), lane.rect_of(0).left() + 4
    drag(lane, start.toPoint(), QPointF(end, start.y()).toPoint())
    ready(qtbot, demo)
    after = session.take.source.segments
    assert [s.clip for s in after] == ["walk", "walk to the landing", "step up"]
    assert sorted((s.clip, s.crossfade) for s in after) == sorted((s.clip, s.crossfade) for s in before)
    demo.commands.run("undo")
    assert session.take.source.segments == before, "one undo"


def test_a_click_at_the_very_ends_moves_the_playhead(demo, qtbot) -> None:
    new_take(demo, qtbot, "deckhand.glb", "walk to the landing")
    session, time, ruler = demo.session, demo.time_area.time, demo.time_area.ruler
    last = session.computed.frames - 1
    for frame in (0, last):
        for aside in range(-9, 10, 3):
            session.player.set_frame(60)
            click(ruler, QPointF(time.x(frame) + aside, 30).toPoint())
            assert session.player.frame != 60 and abs(session.player.frame - frame) <= 4, (frame, aside)
    assert session.computed.range == (0, last), "nothing was dragged"
    at = QPointF(time.x(last) + 3, 30)
    drag(ruler, at.toPoint(), QPointF(time.x(last - 20), 30).toPoint())
    assert session.computed.range[1] < last - 10, "dragged, it is the end of the range"
