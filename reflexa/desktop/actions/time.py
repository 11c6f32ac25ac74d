"""The Time menu: playing, the range, and what the time area shows."""

from __future__ import annotations

from functools import partial

from PySide6.QtWidgets import QInputDialog

from reflexa.desktop.actions import conditions as needs
from reflexa.desktop.actions.desk import Command, Desk
from reflexa.desktop.time.area import FINDINGS, MEASURES
from reflexa.desktop.time.curve_values import VIEWS
from reflexa.session import events, line, ranges


def _go(d: Desk, by: int) -> None:
    d.session.player.set_frame(d.session.player.frame + by)


def _go_to_end(d: Desk, end: int) -> None:
    d.session.player.set_frame(d.session.computed.range[end])


def _begin_range(d: Desk) -> None:
    line.set_range(d.session, first=d.session.player.frame)


def _end_range(d: Desk) -> None:
    line.set_range(d.session, last=d.session.player.frame)


def _whole_range(d: Desk) -> None:
    line.set_range(d.session, first=0, last=d.session.computed.frames - 1)


def _keep_range(d: Desk) -> None:
    first, last = d.session.computed.range
    name, good = QInputDialog.getText(
        d.time, "Save the range as a clip", f"Name of the range from frame {first} to {last}"
    )
    if good and name.strip():
        ranges.add(d.session, name)


def _show(page: str, d: Desk) -> None:
    d.time.show_page(page)


_PAGES = (
    {"": "Show keys"}
    | {name: f"Show curves: {view.title.lower()}" for name, view in VIEWS.items()}
    | {FINDINGS: "Show findings", MEASURES: "Show measures"}
)

COMMANDS = (
    Command("play", "Play or pause", "Time/1", lambda d: d.session.player.toggle(), "Space", needs.result, frames=True),
    Command("next", "Next frame", "Time/1", lambda d: _go(d, 1), "Right", needs.result, frames=True),
    Command("previous", "Previous frame", "Time/1", lambda d: _go(d, -1), "Left", needs.result, frames=True),
    Command("first", "Start of the range", "Time/1", lambda d: _go_to_end(d, 0), "Home", needs.result, frames=True),
    Command("last", "End of the range", "Time/1", lambda d: _go_to_end(d, 1), "End", needs.result, frames=True),
    Command(
        "loop",
        "Loop playback",
        "Time/1",
        lambda d: d.time.transport.buttons["loop"].click(),
        "Ctrl+Alt+L",
        checked=lambda d: d.session.player.looping,
        also="repeat cycle",
    ),
    Command("range_first", "Start the range here", "Time/2", _begin_range, "[", needs.result, frames=True),
    Command("range_last", "End the range here", "Time/2", _end_range, "]", needs.result, frames=True),
    Command("range_all", "Range: the whole clip", "Time/2", _whole_range, "", needs.result),
    Command("keep_range", "Save the range as a clip…", "Time/2", _keep_range, "", needs.result),
    Command(
        "add_event",
        "Add event…",
        "Time/2",
        lambda d: d.time.ruler.add_event(d.session.player.frame),
        "Ctrl+Alt+E",
        needs.result,
    ),
    Command(
        "events_from_contacts",
        "Events from contacts",
        "Time/2",
        lambda d: events.from_contacts(d.session),
        "",
        needs.result,
    ),
    Command(
        "zoom_time", "Zoom to the whole clip", "Time/3", lambda d: d.time.time.show_all(), "Shift+F5", needs.result
    ),
    Command(
        "tall_time",
        "Tall time area",
        "Time/4",
        lambda d: d.heights.toggle_tall(),
        "Ctrl+Alt+0",
        needs.take,
        lambda d: d.heights.tall,
        also="curves height grow maximise",
    ),
    *(
        Command(f"page_{page or 'keys'}", title, "Time/4", partial(_show, page), f"Ctrl+Alt+{i}", needs.take)
        for i, (page, title) in enumerate(_PAGES.items(), 1)
    ),
)
