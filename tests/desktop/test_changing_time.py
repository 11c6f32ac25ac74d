"""Steps that change time, sequences, events, ranges and variants, by hand in the window."""

from __future__ import annotations

import numpy as np
import pytest
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QInputDialog, QSpinBox

from reflexa.desktop.dialogs.differences import Differences
from reflexa.desktop.kinds.close_loop import CloseLoopPanel
from reflexa.desktop.kinds.retime import CurvePicture
from reflexa.desktop.kinds.time_lanes import TimeLanes, jumps, still_there
from reflexa.desktop.kinds.trim import TrimPanel
from reflexa.desktop.picture.pictures import render
from reflexa.desktop.settings.span_rows import SpanRows
from reflexa.desktop.time.sequence_lane import SequenceLane
from reflexa.draw import Camera
from reflexa.draw.scene import Figure, Scene, matrices_at, shapes_at
from reflexa.session import RESULT, SOURCE, events, line, sequence, takes
from reflexa.take import Source
from tests.helpers.hands import button, click, double_click, drag, dropped_clips
from tests.helpers.windows import dialog_of, new_take, ready, select_step

LANDING = ("deckhand.glb", "walk to the landing")


def lanes_of(window) -> TimeLanes:
    found = window.time_area.lanes
    assert isinstance(found, TimeLanes)
    return found


def bar(lanes: TimeLanes, frame: int) -> QPoint:
    return QPoint(round(lanes.old_x(frame)), 14)


def test_frames_are_trimmed_and_cut_out_by_drawing(demo, qtbot) -> None:
    session = demo.session
    new_take(demo, qtbot, *LANDING)
    demo.commands.run("add_trim")
    ready(qtbot, demo)
    lanes = lanes_of(demo)
    drag(lanes, bar(lanes, 128), bar(lanes, 110))
    ready(qtbot, demo)
    assert (
        abs(session.step.settings.last - 110) <= 1 and session.computed.result.frames == session.step.settings.last + 1
    )
    drag(lanes, bar(lanes, 40), bar(lanes, 55))
    ready(qtbot, demo)
    ((a, b),) = session.step.settings.cut
    assert abs(a - 40) <= 1 and abs(b - 55) <= 1
    assert session.computed.result.frames == session.step.settings.last + 1 - (b - a + 1)
    lanes.setFocus()
    click(lanes, bar(lanes, 0))
    QTest.keyClick(lanes, Qt.Key.Key_Right)
    ready(qtbot, demo)
    assert session.step.settings.first == 1, "the handle clicked last, by the arrow keys"
    click(button(demo.settings.findChild(TrimPanel), "Remove all cuts"))
    ready(qtbot, demo)
    assert session.step.settings.cut == ()
    session.undo()
    assert session.step.settings.cut == ((a, b),)


@pytest.mark.parametrize(
    ("times", "gone", "seams"),
    [
        (np.arange(20.0), [], []),
        (np.arange(20.0)[::-1], [], []),
        (np.r_[0:8.0, 10:20.0], [8, 9], [7]),
        (np.r_[0:8.0, 9, 11, 12:20.0], [8, 10], [7, 8]),
        (np.linspace(0, 19, 100), [], []),
        (np.linspace(0, 19, 5), [], []),
        (np.r_[12:20.0, 1:13.0], [0], [7]),
        (np.cumsum(np.r_[0.0, np.linspace(0.2, 1.8, 19)]), [], []),
        (np.full(5, 7.0), [*range(7), *range(8, 20)], []),
        (np.array([3.5]), [*range(3), *range(5, 20)], []),
    ],
)  # fmt: skip
def test_what_falls_out_of_a_clip_and_where_time_jumps(times, gone, seams) -> None:
    assert np.flatnonzero(~still_there(times, 20)).tolist() == gone
    assert np.flatnonzero(jumps(times)).tolist() == seams


def test_the_time_area_shows_the_time_of_what_is_looked_at_and_the_playhead_keeps_its_moment(demo, qtbot) -> None:
    session = demo.session
    new_take(demo, qtbot, *LANDING)
    demo.commands.run("add_correction")
    ready(qtbot, demo)
    line.add(session, "retime", speed=0.5)
    ready(qtbot, demo)
    assert session.computed.frames == 257 and session.selection.view_point == RESULT
    session.player.set_frame(120)
    select_step(demo, 0)
    assert session.computed.frames == 129 and session.player.frame == 60, "a layer before it is keyed in its own time"
    click(demo.revision_line.cards[RESULT])
    assert session.computed.frames == 257 and session.player.frame == 120
    drag(
        demo.time_area.ruler,
        QPoint(round(demo.time_area.time.x(256)) + 3, 40),
        QPoint(round(demo.time_area.time.x(200)), 40),
    )
    assert abs(session.computed.range[1] - 200) <= 1
    click(demo.revision_line.view_points[SOURCE])
    assert session.computed.range == (0, 128), "the range is of the result"


def test_a_curve_of_time_is_drawn(demo, qtbot) -> None:
    session = demo.session
    new_take(demo, qtbot, *LANDING)
    line.add(session, "retime", how="curve", curve=[[0, 0], [128, 128]])
    ready(qtbot, demo)
    picture = demo.settings.findChild(CurvePicture)
    double_click(picture, picture.pixel((64.0, 40.0)).toPoint())
    ready(qtbot, demo)
    assert len(session.step.settings.curve) == 3
    drag(picture, picture.pixel(picture.points()[1]).toPoint(), picture.pixel((64.0, 80.0)).toPoint())
    ready(qtbot, demo)
    old, new = session.step.settings.curve[1]
    assert abs(old - 64) <= 2 and abs(new - 80) <= 2 and session.computed.result.frames == 129
    picture.setFocus()
    QTest.keyClick(picture, Qt.Key.Key_Up)
    assert session.step.settings.curve[1][0] == old + 1
    double_click(picture, picture.pixel(picture.points()[1]).toPoint())
    assert len(session.step.settings.curve) == 2


def test_a_loop_is_found_in_the_picture_and_closed(demo, qtbot) -> None:
    session = demo.session
    new_take(demo, qtbot, *LANDING)
    demo.commands.run("add_close-loop")
    ready(qtbot, demo)
    panel = demo.settings.findChild(CloseLoopPanel)
    qtbot.waitUntil(lambda: panel.table.rowCount() > 0)
    line.edit_settings(session, "x", type(session.step.settings)(first=3, last=70))
    ready(qtbot, demo)
    qtbot.waitUntil(lambda: "The gap was" in panel.said.text() and "Frames 3 to 70" in panel.said.text())
    best = session.computed.report.matches.pairs[0]
    click(panel.picture, panel.picture.pixel(best.first, best.last).toPoint())
    ready(qtbot, demo)
    s = session.step.settings
    assert (s.first, s.last if s.last >= 0 else 128) == (best.first, best.last) and session.computed.result.loop
    QTest.keyClick(panel.picture, Qt.Key.Key_Down)
    assert session.step.settings.first == best.first + 1
    click(panel.finds)
    ready(qtbot, demo)
    assert session.step.settings.first == best.first


def test_events_are_added_dragged_renamed_and_made_of_plants(demo, qtbot, monkeypatch) -> None:
    session, ruler, time = demo.session, demo.time_area.ruler, demo.time_area.time
    new_take(demo, qtbot, *LANDING)
    monkeypatch.setattr(QInputDialog, "getItem", lambda *_: ("whistle", True))
    double_click(ruler, QPoint(round(time.x(24)), 8))
    ready(qtbot, demo)
    assert [s.kind for s in session.take.steps] == ["events"]
    at = [e.name for e in events.seen(session)].index("whistle")
    drag(ruler, QPoint(round(time.x(24)), 15), QPoint(round(time.x(27)), 15), steps=1)
    ready(qtbot, demo)
    assert (27.0, "whistle") in [(e.frame, e.name) for e in events.seen(session)]
    events.rename(session, at, "")
    ready(qtbot, demo)
    assert "whistle" not in [e.name for e in events.seen(session)]
    demo.commands.run("events_from_contacts")
    ready(qtbot, demo)
    assert {"left strike", "right lift"} <= {e.name for e in events.seen(session)}
    assert len(session.take.steps) == 1, "one step holds them all"
    copied = events.as_text(session)
    new_take(demo, qtbot, "deckhand.glb", "walk on the spot")
    assert events.paste(session, copied) > 0 and events.paste(session, "no events") == 0
    ready(qtbot, demo)
    assert all(e.frame <= 32 for e in session.computed.result.events) and "left lift" in {
        e.name for e in session.computed.result.events
    }


def test_what_is_tied_to_an_event_is_shown_and_set_where_the_event_is(demo, qtbot) -> None:
    session = demo.session
    new_take(demo, qtbot, *LANDING)
    events.add(session, "whistle", 40)
    ready(qtbot, demo)
    demo.commands.run("add_reach")
    ready(qtbot, demo)
    session.player.frame = 40
    rows = demo.settings.findChild(SpanRows)
    click(rows.add)
    line.tie(session, session.step.id, "whistle")
    ready(qtbot, demo)
    at = session.step.settings.spans[0].at
    select_step(demo, 0)
    events.move(session, [e.name for e in events.seen(session)].index("whistle"), 60)
    ready(qtbot, demo)
    select_step(demo, 1)
    ready(qtbot, demo)
    stored = session.take.steps[1]
    assert stored.settings.spans[0].at == at == 40 and stored.tied.frame == 40, (
        "moving the event changes its step alone"
    )
    rows = demo.settings.findChild(SpanRows)
    boxes = rows.findChildren(QSpinBox)
    assert [b.value() for b in boxes[:2]] == [52, 60] and session.computed.report is not None
    boxes[0].setValue(50)
    ready(qtbot, demo)
    stored = session.take.steps[1]
    assert (stored.settings.spans[0].start, stored.settings.spans[0].at, stored.tied.frame) == (50, 60, 60)
    demo.commands.run("undo")
    ready(qtbot, demo)
    assert session.take.steps[1].settings.spans[0].at == 40 and session.step.settings.spans[0].start == 52


def test_clips_in_a_row_are_dragged_trimmed_and_turned(demo, qtbot) -> None:
    session = demo.session
    new_take(demo, qtbot, "deckhand.glb", "walk")
    dropped_clips(demo.revision_line.cards[SOURCE], [("deckhand.glb", "step up")])
    ready(qtbot, demo)
    assert len(session.take.source.segments) == 2 and session.computed.result.frames == 33 + 76 - 6
    demo.session.selection.select_card(SOURCE)
    lane = demo.time_area.lanes
    assert isinstance(lane, SequenceLane)
    QApplication.processEvents()
    rect = lane.rect_of(1)
    drag(
        lane,
        QPointF(rect.right(), rect.center().y()).toPoint(),
        QPointF(rect.right() - 60, rect.center().y()).toPoint(),
    )
    ready(qtbot, demo)
    assert session.take.source.segments[1].last is not None and session.computed.result.frames < 100
    crossfade = session.take.source.segments[1].crossfade
    rect = lane.rect_of(1)
    middle = rect.center().toPoint()
    drag(lane, middle, middle - QPoint(round(4 * demo.time_area.time.frame_width()), 0))
    ready(qtbot, demo)
    assert session.take.source.segments[1].crossfade > crossfade
    before = session.take.source.segments
    sequence.best(session, 1)
    qtbot.waitUntil(lambda: session.take.source.segments != before)
    ready(qtbot, demo)
    ((_, said),) = sequence.seams_said(session)
    assert "cm/s apart" in said and "cm per frame (elsewhere" in said
    session.undo()
    ready(qtbot, demo)
    assert session.take.source.segments == before, "one step back"
    QTest.keyClick(lane, Qt.Key.Key_Left)
    ready(qtbot, demo)
    assert session.take.source.segments[0].clip == "step up", "the chosen one goes before the other"
    QTest.keyClick(lane, Qt.Key.Key_Delete)
    ready(qtbot, demo)
    assert len(session.take.source.segments) == 1
    while session.take.source.segments:
        session.undo()
    ready(qtbot, demo)
    assert session.computed.result.frames == 33


def test_there_and_back_in_one_gesture_and_variants_of_a_take(demo, qtbot) -> None:
    session = demo.session
    name = takes.join(session, takes.there_and_back(Source("deckhand.glb", "step up")), "there and back")
    ready(qtbot, demo)
    assert session.computed.result.frames == 2 * 76 - 1
    assert (
        np.abs(np.abs(session.computed.result.rotations[0]) - np.abs(session.computed.result.rotations[-1])).max()
        < 1e-6
    )
    demo.commands.run("add_mirror")
    ready(qtbot, demo)
    demo.commands.run("duplicate_take")
    ready(qtbot, demo)
    assert session.take.name == f"{name} 2" and len(session.take.steps) == 1
    assert not session.take.id or session.take.id != session.project.take(name).id, "a copy is another take"
    session.open_take(name)
    demo.commands.run("duplicate_bare")
    ready(qtbot, demo)
    assert session.take.steps == () and session.take.source.segments
    listed = [demo.clip_panel.takes.item(i).text() for i in range(demo.clip_panel.takes.count())]
    first = listed.index(name)
    assert set(listed[first : first + 3]) == {name, f"{name} 2", f"{name} 3"}, "takes of one source stand together"


def test_rest_pose_in_the_result_goes_with_one_click(demo, qtbot) -> None:
    session = demo.session
    new_take(demo, qtbot, "deckhand.glb", "haul, rest pose at the tail")
    session.selection.select_card(RESULT)
    assert any("4 frames of rest pose at the tail" in f.text for f in session.evaluator.findings)
    click(button(demo.settings, "Trim the rest pose"))
    ready(qtbot, demo)
    assert session.computed.result.frames == 73 and session.step.kind == "trim"
    assert not any(f.kind == "rest-pose" for f in session.evaluator.findings)


def test_two_takes_are_compared_in_numbers(demo, qtbot) -> None:
    session = demo.session
    session.open_take("Walk, chin up")
    ready(qtbot, demo)
    demo.clip_panel.numbers_wanted.emit("")
    dialog = dialog_of(qtbot, demo, Differences)
    names = {dialog.table.item(r, 0).text() for r in range(dialog.table.rowCount())}
    assert {"head", "chest"} <= names and "foot_left" not in names
    dialog.table.selectRow(0)
    assert session.selection.joint in names
    dialog.reject()


def test_a_beak_opens_as_its_track_says(demo, qtbot) -> None:
    session = demo.session
    session.open_take("Strut and call, twice as fast")
    ready(qtbot, demo)
    (track,) = session.computed.result.tracks
    assert np.array_equal(track.values, session.computed.evaluation.clips[0].tracks[0].values[::2])
    open_, closed = int(np.argmax(track.values)), int(np.argmin(track.values))
    demo.viewport.buttons["joints"].click()
    pictures = []
    for frame in (open_, closed):
        figure = Figure(
            session.computed.rig.meshes,
            matrices_at(session.computed.result, open_),
            shapes=shapes_at(session.computed.result, frame),
        )
        pictures.append(shot(figure))
    assert (np.abs(pictures[0].astype(int) - pictures[1]) > 40).any(axis=-1).sum() > 60, "the same pose, another beak"


def shot(figure: Figure) -> np.ndarray:
    """A picture of a bird's head ``(height, width, 3)``."""
    image = render(
        Scene(figures=(figure,)), Camera(target=(0.0, 0.92, 0.25), yaw=80.0, pitch=2.0, distance=0.9), 240, 240
    )
    return np.frombuffer(image.constBits(), dtype=np.uint8).reshape(240, 240, 4)[..., :3].copy()


def test_a_track_is_keyed_by_hand(demo, qtbot) -> None:
    session = demo.session
    new_take(demo, qtbot, "heron.glb", "strut and call")
    demo.commands.run("add_track")
    ready(qtbot, demo)
    lane, time = demo.time_area.lanes, demo.time_area.time
    QApplication.processEvents()
    assert session.step.settings.track == "beak_open"
    double_click(lane, QPoint(round(time.x(40)), round(lane.level(0.6))))
    ready(qtbot, demo)
    ((frame, value),) = session.step.settings.keys
    assert frame == 40 and abs(value - 0.6) < 0.05
    assert (
        session.computed.result.tracks[0].values[40]
        == session.computed.evaluation.clips[0].tracks[0].values[40] + value
    )
    drag(lane, lane.pixel((frame, value)).toPoint(), QPoint(round(time.x(44)), round(lane.level(0.3))))
    ready(qtbot, demo)
    assert session.step.settings.keys[0][0] == 44 and abs(session.step.settings.keys[0][1] - 0.3) < 0.06
    QTest.keyClick(lane, Qt.Key.Key_Left)
    assert session.step.settings.keys[0][0] == 43, "the key that was clicked last, not the playhead"
    QTest.keyClick(lane, Qt.Key.Key_Delete)
    assert session.step.settings.keys == ()
