"""The Edit menu: back and forth, and keys taken away, copied and pasted."""

from __future__ import annotations

from PySide6.QtGui import QGuiApplication

from reflexa.desktop.actions import conditions as needs
from reflexa.desktop.actions.desk import Command, Desk
from reflexa.desktop.dialogs.undo_history import UndoHistory
from reflexa.session import keys


def _copy(d: Desk) -> None:
    copied = keys.copy(d.session)
    if copied is not None:
        d.clipboard = copied
        QGuiApplication.clipboard().setText(keys.as_text(copied))


def _paste(d: Desk, mirrored: bool = False, in_place: bool = False) -> None:
    board = keys.from_text(QGuiApplication.clipboard().text()) or d.clipboard
    if board is None:
        d.say("There are no keys on the clipboard.")
    else:
        keys.paste(d.session, board, None if in_place else d.session.player.frame, mirrored)


def _undo_title(d: Desk) -> str:
    label = d.session.history.undo_label
    return f"Undo: {label}" if label else "Undo"


def _redo_title(d: Desk) -> str:
    label = d.session.history.redo_label
    return f"Redo: {label}" if label else "Redo"


def _show_history(d: Desk) -> None:
    d.show(UndoHistory(d.session, d.window), beside=True)


COMMANDS = (
    Command(
        "undo", "Undo", "Edit/1", lambda d: d.session.undo(), "Ctrl+Z",
        lambda d: "" if d.session.history.undo_label else "nothing to undo", named=_undo_title,
    ),
    Command(
        "redo", "Redo", "Edit/1", lambda d: d.session.redo(), "Ctrl+Shift+Z | Ctrl+Y",
        lambda d: "" if d.session.history.redo_label else "nothing to redo", named=_redo_title,
    ),
    Command("undo_history", "Undo history…", "Edit/1", _show_history),
    Command("delete_keys", "Remove keys", "Edit/2", lambda d: keys.delete(d.session), "", needs.keys),
    Command("copy_keys", "Copy keys", "Edit/3", _copy, "Ctrl+C", needs.keys),
    Command("paste_keys", "Paste keys at the playhead", "Edit/3", _paste, "Ctrl+V", needs.copied_keys),
    Command(
        "paste_mirrored", "Paste keys mirrored", "Edit/3", lambda d: _paste(d, mirrored=True), "Ctrl+Shift+V",
        needs.copied_keys,
    ),
    Command(
        "paste_in_place", "Paste keys on their own frames", "Edit/3", lambda d: _paste(d, in_place=True), "",
        needs.copied_keys,
    ),
)  # fmt: skip
