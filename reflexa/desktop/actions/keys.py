"""The Keys menu: which keys, when they are, and how the curves go between them."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import get_args

from PySide6.QtWidgets import QInputDialog

from reflexa.desktop.actions import conditions as needs
from reflexa.desktop.actions.desk import Command, Desk
from reflexa.desktop.time.row_hands import RowHands
from reflexa.desktop.time.rows import Row
from reflexa.motion.curves import Interpolation
from reflexa.session import keys
from reflexa.steps.correction.timing import EASES


def _ask_nth(d: Desk) -> None:
    n, good = QInputDialog.getInt(
        d.window, "Select every nth key", "Keep one selected key per joint out of every", 2, 2, 1000
    )
    if good:
        keys.select_nth(d.session, n)


def _ask_scale(d: Desk) -> None:
    percent, good = QInputDialog.getDouble(
        d.window, "Scale keys", "Distance from the playhead, in percent of the current distance", 100.0, 1.0, 1000.0, 1
    )
    if good:
        keys.scale(d.session, percent / 100)


def _ask_stretch(d: Desk) -> None:
    at = sorted(f for _, f in d.session.selection.keys)
    length = at[-1] - at[0]
    said = f"Frames from the first to the last (now {length})"
    frames, good = QInputDialog.getInt(d.window, "Stretch keys", said, max(length, 1), 1, 100_000)
    if good:
        keys.stretch(d.session, frames)


def _ask_repeat(d: Desk) -> None:
    def ask(falls: list[int]) -> None:
        text, good = QInputDialog.getText(
            d.window, "Repeat keys at other frames", "Frames (the foot strikes of this clip are filled in)",
            text=", ".join(map(str, falls)),
        )  # fmt: skip
        if good:
            keys.repeat(d.session, [int(w) for w in text.replace(",", " ").split() if w.isdigit()])

    keys.footfalls(d.session, ask)


def _ask_hold(d: Desk) -> None:
    frame, last = d.session.player.frame, d.session.computed.frames - 1
    said = f"From frame {frame} until frame"
    until, good = QInputDialog.getInt(d.window, "Hold this correction", said, last, frame, last)
    if good:
        keys.hold(d.session, until)


def _ask_reduction(d: Desk) -> None:
    said = "Largest error of the curves (degrees; millimetres for moves)"
    degrees, good = QInputDialog.getDouble(d.window, "Reduce keys", said, 0.5, 0.01, 45.0, 2)
    if good:
        keys.reduce(d.session, degrees)


def _from_playhead(d: Desk) -> None:
    here = d.session.player.frame
    keys.select(d.session, lambda frame: frame >= here)


def _at_playhead(d: Desk) -> None:
    here = d.session.player.frame
    keys.select(d.session, lambda frame: frame == here)


def _interpolate(then: Interpolation, d: Desk) -> None:
    keys.interpolate(d.session, then)


def _ease(name: str, d: Desk) -> None:
    keys.ease_by(d.session, name, EASES[name])


def _row(call: Callable[[RowHands, Row], None], d: Desk) -> None:
    row = d.time.keys.row_now()
    if row is not None:
        call(d.time.keys.hands, row)


def _no_row(d: Desk) -> str:
    return needs.layer(d) or ("" if d.time.keys.row_now() is not None else "select a joint that has keys first")


def _toggle_only(d: Desk) -> None:
    hands = d.time.keys.hands
    hands.only_selected(not hands.view.only_selected)


COMMANDS = (
    Command("show_keys", "Zoom to the selected keys", "Keys/1", lambda d: d.time.show_keys(), "", needs.keys),
    Command("select_keys", "Select all keys", "Keys/1", lambda d: keys.select(d.session, lambda _: True), "Ctrl+A",
            needs.layer),
    Command("select_after", "Select keys from the playhead on", "Keys/1", _from_playhead, "Ctrl+Shift+A", needs.layer),
    Command("select_column", "Select keys at the playhead", "Keys/1", _at_playhead, "", needs.layer),
    Command("select_nth", "Select every nth of the selected keys…", "Keys/1", _ask_nth, "", needs.keys),
    Command("mirror_keys", "Copy keys to the other side", "Keys/2", lambda d: keys.to_other_side(d.session), "Ctrl+Alt+M",
            needs.keys),
    Command("nudge_later", "Keys one frame later", "Keys/2", lambda d: keys.nudge(d.session, 1), "Alt+Right", needs.keys),
    Command("nudge_earlier", "Keys one frame earlier", "Keys/2", lambda d: keys.nudge(d.session, -1), "Alt+Left",
            needs.keys),
    Command("scale_keys", "Scale keys about the playhead…", "Keys/2", _ask_scale, "", needs.keys),
    Command("stretch_keys", "Stretch keys to a length…", "Keys/2", _ask_stretch, "", needs.keys),
    Command("repeat_keys", "Repeat keys at other frames…", "Keys/2", _ask_repeat, "", needs.keys),
    Command("reduce_keys", "Reduce keys…", "Keys/2", _ask_reduction, "", needs.layer),
    Command("begin_after", "Start the correction after this frame", "Keys/3", lambda d: keys.begin_after_playhead(d.session),
            "", needs.layer),
    Command("hold_until", "Hold this correction until…", "Keys/3", _ask_hold, "", needs.layer),
    *(Command(f"ease_{name.lower().replace(' ', '_')}", f"Ease: {name.lower()}", "Keys/4/Ease", partial(_ease, name), "",
              needs.keys) for name in EASES),
    Command("flatten_keys", "Flatten to the first selected key", "Keys/4/Ease", lambda d: keys.flatten_selected(d.session), "",
            needs.keys),
    *(Command(f"keys_{then}", f"Make keys {then}", "Keys/5/On from the key", partial(_interpolate, then), "", needs.keys)
      for then in get_args(Interpolation)),
    Command("row_up", "Move the row up", "Keys/6/Rows", lambda d: d.time.keys.shift_row(-1), "Alt+Up", _no_row),
    Command("row_down", "Move the row down", "Keys/6/Rows", lambda d: d.time.keys.shift_row(1), "Alt+Down", _no_row),
    Command("hide_row", "Hide the row", "Keys/6/Rows", partial(_row, RowHands.hide), "", _no_row),
    Command("hide_other_rows", "Hide all other rows", "Keys/6/Rows", partial(_row, RowHands.hide_others), "", _no_row),
    Command("only_selected_rows", "Show only selected rows", "Keys/6/Rows", _toggle_only, "", needs.layer,
            lambda d: d.time.keys.hands.view.only_selected),
    Command("show_all_rows", "Show all rows", "Keys/6/Rows", lambda d: d.time.keys.hands.show_all(), "", needs.layer),
)  # fmt: skip
