"""Asking where a file is to go."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtWidgets import QFileDialog, QWidget

from reflexa.desktop.widgets import boxes


def ask_where(parent: QWidget, title: str, name: str, suffix: str) -> Path | None:
    """Where a person wants a file that is offered as ``name``, in their own folder; None: nowhere. Its suffix is put behind a
    name that lacks it. Whether a file that is there may be written over has been asked."""
    start = Path.home() / f"{name}{suffix}".replace("/", "-")
    chosen, _ = QFileDialog.getSaveFileName(parent, title, str(start), f"*{suffix}")
    if not chosen or chosen.lower().endswith(suffix):
        return Path(chosen) if chosen else None
    path = Path(chosen + suffix)  # of which the dialog knows nothing
    text = f"{path.name} exists already. Overwrite it?"
    if path.exists() and boxes.answer(boxes.box(boxes.QUESTION, title, text, parent), "Overwrite", "Cancel") != 0:
        return None
    return path
