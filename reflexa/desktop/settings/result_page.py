"""The page of the result: what comes out, what looks wrong with it, who brought that in, and what fixes it."""

from __future__ import annotations

from typing import Any

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QGridLayout, QPushButton, QWidget

from reflexa import describe
from reflexa.checks import CHECKS, Finding
from reflexa.desktop.settings.findings_tree import FindingsTree
from reflexa.desktop.settings.step_panel import StepPanel
from reflexa.desktop.widgets import labels
from reflexa.desktop.widgets.note import Note
from reflexa.desktop.widgets.qt_properties import named
from reflexa.session import Session, findings, takes, variations
from reflexa.steps import kind_of
from reflexa.take import Take
from reflexa.words import counted, length, plain


def _nothing_found() -> str:
    """What is so where nothing was found, as the findings say it themselves."""
    *parts, last = [check.fine for check in CHECKS.values() if check.fine]
    return f"No findings: {', '.join(parts)}, and {last}."


class ResultPage(StepPanel):
    """Findings of the evaluation; a finding's repair puts a step at the end of the line."""

    export_wanted = Signal()
    fix_wanted = Signal()

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.column.addWidget(labels.heading("Result"))
        self.facts = labels.text()
        self.column.addWidget(self.facts)
        self.note = Note("Note on the take", "A note on this take")
        self.note.written.connect(lambda text: takes.set_note(session, text))
        self.column.addWidget(self.note)
        self.column.addWidget(labels.section("Findings"))
        self.nothing = labels.text()
        self.column.addWidget(self.nothing)
        self.tree = FindingsTree(session)
        self.column.addWidget(self.tree)
        self.tools = QWidget()
        grid = QGridLayout(self.tools)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setSpacing(4)
        self.repair = QPushButton("Fix it")
        self.repair.clicked.connect(self._repair)
        self.blame = QPushButton("Show step")
        self.blame.clicked.connect(self._show_blame)
        self.accept = QPushButton("Accept…")
        self.accept.clicked.connect(self.tree.accept)
        self.fix = QPushButton("Fix all")
        self.fix.clicked.connect(self.fix_wanted)
        grid.addWidget(self.repair, 0, 0, 1, 3)
        for i, button in enumerate((self.blame, self.accept, self.fix)):
            grid.addWidget(button, 1, i)
        for button in (self.repair, self.blame, self.accept, self.fix):
            button.setMinimumWidth(40)
        self.column.addWidget(self.tools)
        self.button = named(QPushButton("Export…"), "main")
        self.button.clicked.connect(self.export_wanted)
        self.column.addWidget(self.button)
        self.tree.itemSelectionChanged.connect(self._offer)

    def refresh(self) -> None:
        session = self.session
        clip, evaluation, take = session.computed.result, session.computed.evaluation, session.take
        self.note.show_text(take.note if take is not None else "")
        self.button.setEnabled(clip is not None)
        if clip is None or evaluation is None or take is None:
            refused = session.evaluator.refused
            gone = session.sources.gone(take.source)[0] if take is not None else ""
            self.facts.setText(f"{gone}." if gone else f"Cannot be computed. {refused}" if refused else "Computing…")
            return
        first, last = session.computed.range
        of = "" if last - first + 1 == clip.frames else f"{last - first + 1} of "
        on = sum(s.acts for s in take.steps)
        self.facts.setText(
            f"{of}{counted(clip.frames, 'frame')} at {clip.rate:g} fps, {(last - first) / clip.rate:.2f}\u00a0s.\n"
            f"{on} of {len(take.steps)} steps on.\n{_travel(describe.travel(clip, evaluation.rig))}{self._follows(take)}"
        )
        judgement = session.evaluator.judgement
        groups = judgement.groups
        waiting = f"Not computed: {refused}" if (refused := session.evaluator.refused) else "Checking…"
        told = "" if groups else _nothing_found() if judgement.line is not None else waiting
        self.nothing.setText(told)
        self.nothing.setVisible(bool(told))
        self.tree.setVisible(bool(groups))
        self.tools.setVisible(bool(groups))
        self.tree.show_groups(groups)
        self._offer()

    def _follows(self, take: Take) -> str:
        parent = variations.parent_of(self.session, take)
        if parent is None:
            return ""
        return f"\nA variation of {parent.name} ({variations.said_of(take)}). Everything else is edited there."

    def _worst(self) -> Finding | None:
        """The worst of the selected findings; of all of them where none is selected."""
        found = self.tree.chosen() or findings.in_order(self.session)
        return max(found, key=lambda f: f.weight, default=None)

    def _offer(self) -> None:
        """What the buttons would do just now."""
        f = self._worst()
        repair = f.repair if f is not None else None
        self.repair.setEnabled(repair is not None)
        self.repair.setText(repair.title if repair is not None else "No automatic fix")
        said = f"Adds a step at the end: {kind_of(repair.kind).title}" if repair is not None else ""
        self.repair.setToolTip(said or "No step fixes this kind of finding automatically")
        fixes = any(x.repair is not None for x in findings.in_order(self.session))
        for button, can, what, why_not in (
            (
                self.blame, f is not None and bool(f.step),
                "Selects the step that caused the finding and shows the figure before and after it",
                "The step that caused it is not known",
            ), (
                self.accept, bool(self.tree.chosen()),
                "Accepts the selected findings, with a reason. They are no longer counted.", "Select findings first",
            ), (
                self.fix, fixes, "Tries to fix all findings, the largest first, and keeps the steps that help",
                "No finding can be fixed automatically",
            ),
        ):  # fmt: skip
            button.setEnabled(can)
            button.setToolTip(what if can else why_not)

    def _repair(self) -> None:
        f = self._worst()
        if f is not None:
            findings.repair(self.session, f)

    def _show_blame(self) -> None:
        f = self._worst()
        if f is not None:
            findings.show_blame(self.session, f)


def _travel(way: dict[str, Any]) -> str:
    if way["distance_m"] < 0.005:
        return f"Ends where it started ({way['joint']})."
    return f"Travels {length(way['distance_m'])} at {plain(way['speed_m_s'], 2)} m/s on average ({way['joint']})."
