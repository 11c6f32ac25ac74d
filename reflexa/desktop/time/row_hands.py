"""What hands do with the rows of the key sheet: put them in another order, hide them, show only what is selected."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from functools import partial

from PySide6.QtGui import QAction
from PySide6.QtWidgets import QMenu

from reflexa.desktop.time.rows import ALL, Row, RowView, is_shown, moved_row, rows_of
from reflexa.session import Session, line


class RowHands:
    """Rows of the selected layer. Each layer remembers which of its rows were shown, for as long as the window is open; their
    order is the layer's own. changed: called when other rows are shown."""

    def __init__(self, session: Session, changed: Callable[[], None]) -> None:
        self.session = session
        self._changed = changed
        self._views: dict[str, RowView] = {}

    @property
    def view(self) -> RowView:
        return self._views.get(self.session.selection.card, ALL)

    def _show(self, view: RowView) -> None:
        self._views[self.session.selection.card] = view
        self._changed()

    def rows(self) -> list[Row]:
        """The rows from top to bottom."""
        return rows_of(self.session.layer, self.session.computed.step_rig, self.view, self._selected())

    def _selected(self) -> set[str]:
        chosen = self.session.selection
        return {chosen.joint, *(joint for joint, _ in chosen.keys)}

    def out_of_sight(self) -> str:
        """What is said of rows that are not shown; an empty text where all are (but for those that are folded away)."""
        layer = self.session.layer
        selected = self._selected()
        n = sum(not is_shown(t.joint, self.view, selected) for t in layer.tracks) if layer is not None else 0
        why = "Not selected" if self.view.only_selected else "Hidden"
        return f"{why}: {n} {'joint' if n == 1 else 'joints'}" if n else ""

    def fold(self, name: str) -> None:
        """Fold a part's rows away, or out again."""
        self._show(replace(self.view, folded=self.view.folded ^ {name}))

    def unfold_all(self) -> None:
        """Open every part."""
        self._show(replace(self.view, folded=frozenset()))

    def hide(self, row: Row) -> None:
        """Hide a joint's row, or a part's with all that is under it."""
        self._show(replace(self.view, hidden=self.view.hidden | {t.joint for t in row.tracks}))

    def hide_others(self, row: Row) -> None:
        """Hide every row but one."""
        layer = self.session.layer
        if layer is not None:
            self._show(RowView(hidden=frozenset(t.joint for t in layer.tracks) - {t.joint for t in row.tracks}))

    def only_selected(self, on: bool) -> None:
        """Show the rows of what is selected alone, or all that are not hidden."""
        self._show(replace(self.view, only_selected=on))

    def show_all(self) -> None:
        """Show every row."""
        self._show(replace(self.view, hidden=frozenset(), only_selected=False))

    def put(self, row: Row, beside: Row, after: bool) -> bool:
        """Put a row just before another one, or after it; False where it cannot be there, or is."""
        layer = self.session.layer
        new = (
            moved_row(layer, self.session.computed.step_rig, row.name, beside.name, after)
            if layer is not None
            else None
        )
        if new is None or new == layer:
            return False
        line.edit_layer(self.session, f"move the row of {row.name}", new)
        return True

    def shift(self, row: Row, by: int) -> None:
        """Put a row before the one above it (-1), or after the one below it (1), of those that are shown; nothing where there is
        none."""
        rows = self.rows()
        at = next((i for i, r in enumerate(rows) if (r.name, r.track is None) == (row.name, row.track is None)), -1)
        beyond = rows[at + 1 :] if by > 0 else rows[: max(at, 0)][::-1]
        any(self.put(row, other, by > 0) for other in beyond)  # the first beside which it can be

    def fill(self, menu: QMenu, row: Row | None) -> None:
        """Put what can be done with a row (None: with all of them) into a menu."""
        if row is not None:
            menu.addAction("Move up", partial(self.shift, row, -1))
            menu.addAction("Move down", partial(self.shift, row, 1))
            menu.addAction(f"Hide {row.name}", partial(self.hide, row))
            menu.addAction("Hide all others", partial(self.hide_others, row))
            menu.addSeparator()
        only: QAction = menu.addAction("Show only selected rows")
        only.setCheckable(True)
        only.setChecked(self.view.only_selected)
        only.toggled.connect(self.only_selected)
        menu.addAction("Show all rows", self.show_all).setEnabled(bool(self.out_of_sight()))
