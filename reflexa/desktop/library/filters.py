"""Filters and order, as lists to choose from; as many beside each other as there is room for."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from msgspec.structs import replace
from PySide6.QtCore import Signal
from PySide6.QtGui import QResizeEvent
from PySide6.QtWidgets import QComboBox, QGridLayout, QWidget

from reflexa.desktop.library.work import LibraryWork
from reflexa.desktop.widgets.choosers import keep_narrow
from reflexa.desktop.widgets.qt_properties import styled
from reflexa.library.facts import GAITS
from reflexa.library.fits import EXACTLY, NOT, RENAME, RETARGET
from reflexa.library.query import SORTS, Query

_WIDE = 128
Options = list[tuple[str, dict[str, Any]]]


@dataclass(frozen=True)
class _Filter:
    """name: of the list, which its first entry shows; options: what else can be chosen, and what that sets of the question."""

    name: str
    options: Callable[[LibraryWork], Options]


def _fixed(*options: tuple[str, dict[str, Any]]) -> Callable[[LibraryWork], Options]:
    return lambda _: list(options)


def _named(
    field: str, names: Callable[[LibraryWork], list[str]], several: bool = False
) -> Callable[[LibraryWork], Options]:
    return lambda work: [(n, {field: (n,) if several else n}) for n in names(work)]


def _tags(work: LibraryWork) -> list[str]:
    return sorted({t for n in work.notes.values() for t in n.tags}, key=str.lower)


def _sets(work: LibraryWork) -> list[str]:
    return sorted({s for n in work.notes.values() for s in n.sets}, key=str.lower)


_FILTERS = (
    _Filter("Any library folder", _named("library_folder", lambda w: [s.name for s in w.folders.folders])),
    _Filter("Any rig", _fixed(
        ("Fits unchanged", {"fits": (EXACTLY,)}),
        ("Fits, renamed", {"fits": (EXACTLY, RENAME)}),
        ("Fits, retargeted", {"fits": (EXACTLY, RENAME, RETARGET)}),
        ("Cannot fit", {"fits": (NOT,)}),
    )),
    _Filter("Any motion", _fixed(*((g.capitalize(), {"gaits": (g,)}) for g in GAITS))),
    _Filter("Loop or not", _fixed(("Loops", {"loop": True}), ("No loops", {"loop": False}))),
    _Filter("Any travel", _fixed(("Travels", {"travels": True}), ("On the spot", {"travels": False}))),
    _Filter("Either side", _fixed(("Left", {"sides": ("left",)}), ("Right", {"sides": ("right",)}))),
    _Filter("Any length", _fixed(
        ("Below 2 s", {"longest": 2.0}), ("2 to 10 s", {"shortest": 2.0, "longest": 10.0}), ("Above 10 s", {"shortest": 10.0}),
    )),
    _Filter("Any state", _fixed(
        ("With findings", {"faults": True}), ("Without findings", {"faults": False}), ("Untidy", {"untidy": True}),
        ("There twice", {"twice": True}), ("Cannot be read", {"unreadable": True}),
    )),
    _Filter("Any tag", _named("tags", _tags, several=True)),
    _Filter("Any set", _named("set", _sets)),
    _Filter("Any stars", _fixed(*((f"{'★' * n} or more" if n < 5 else "★★★★★", {"stars": n}) for n in range(1, 6)))),
)  # fmt: skip


class Filters(QWidget):
    """``changed``: the question is another."""

    changed = Signal()

    def __init__(self, work: LibraryWork) -> None:
        super().__init__()
        self._work = work
        self._grid = QGridLayout(self)
        self._grid.setContentsMargins(0, 0, 0, 0)
        self._grid.setSpacing(4)
        self.boxes: dict[str, QComboBox] = {}
        for f in _FILTERS:
            self._add(f.name)
        self.order = self._add("Order")
        for key, title in SORTS.items():
            self.order.addItem(title, key)
        self._columns = 0
        self.refresh()
        self._lay_out(2)

    def _add(self, name: str) -> QComboBox:
        box = styled(QComboBox(), accessibleName=name, toolTip=name)
        keep_narrow(box)
        box.activated.connect(lambda _i: self.changed.emit())
        self.boxes[name] = box
        return box

    def _lay_out(self, columns: int) -> None:
        if columns != self._columns:
            self._columns = columns
            for i, box in enumerate(self.boxes.values()):
                self._grid.addWidget(box, i // columns, i % columns)

    def resizeEvent(self, event: QResizeEvent) -> None:
        self._lay_out(max(2, min(6, event.size().width() // _WIDE)))

    def refresh(self) -> None:
        """Lists that name library folders, tags and sets have those that there are now."""
        for f in _FILTERS:
            box, wanted = self.boxes[f.name], [(f.name, None), *f.options(self._work)]
            if [box.itemText(i) for i in range(box.count())] != [text for text, _ in wanted]:
                chosen = box.currentText()
                box.clear()
                for text, data in wanted:
                    box.addItem(text, data)
                box.setCurrentIndex(max(box.findText(chosen), 0))

    def query(self, text: str) -> Query:
        """The question that is asked."""
        out = Query(text, sort=self.order.currentData())
        for f in _FILTERS:
            out = replace(out, **(self.boxes[f.name].currentData() or {}))
        return out

    def show_query(self, query: Query) -> None:
        """Choose what a question asks for."""
        plain = query.plain()
        for f in _FILTERS:
            box = self.boxes[f.name]
            fitting = [0]
            for i in range(1, box.count()):
                told = Query(**box.itemData(i)).plain()
                if all(plain.get(k) == v for k, v in told.items()):
                    fitting.append(i)
            # Of two that are asked for ("2 to 10 s" asks for all of "Below 10 s") the one that says most.
            box.setCurrentIndex(max(fitting, key=lambda i: len(box.itemData(i) or ())))
        self.order.setCurrentIndex(max(self.order.findData(query.sort), 0))

    def clear(self) -> None:
        """Ask for everything."""
        self.show_query(Query())
        self.changed.emit()
