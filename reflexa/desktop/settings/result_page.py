"""The page of the result: what comes out, what looks wrong with it, and what mends that."""

from __future__ import annotations

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QPushButton

from reflexa import describe
from reflexa.checks import Finding, Repair
from reflexa.desktop.session import Session, line
from reflexa.desktop.settings.joint_table import JointTable
from reflexa.desktop.settings.step_panel import StepPanel
from reflexa.desktop.widgets import labels
from reflexa.desktop.widgets.dress import named
from reflexa.steps import kind_of

_NOTHING_FOUND = (
    "Feet stand still and on the ground, nothing pops or freezes, loops close, goals are met, helper joints are in place, and "
    "every joint has a partner."
)


class ResultPage(StepPanel):
    """Findings are read off the evaluation; a finding's repair puts a step at the end of the line."""

    export_wanted = Signal()

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.column.addWidget(labels.heading("Result"))
        self.facts = labels.text()
        self.column.addWidget(self.facts)
        self.column.addWidget(labels.section("Findings"))
        self.nothing = labels.text()
        self.column.addWidget(self.nothing)
        self.repairs: dict[str, QPushButton] = {}
        self.table = JointTable(session, "Findings", ["What", "frames"])
        self.table.setWordWrap(True)
        self.column.addWidget(self.table)
        self.button = named(QPushButton("Export…"), "main")
        self.button.clicked.connect(self.export_wanted)
        self.column.addWidget(self.button)
        self._shown: list[Finding] = []

    def refresh(self) -> None:
        session = self.session
        clip, evaluation, take = session.result, session.evaluation, session.take
        self.button.setEnabled(clip is not None)
        if clip is None or evaluation is None or take is None:
            self.facts.setText("Computing…" if session.document else "The source is missing.")
            return
        first, last = session.range
        way = describe.travel(clip, evaluation.rig)
        on = sum(s.acts for s in take.steps)
        self.facts.setText(
            f"{last - first + 1} of {clip.frames} frames at {clip.rate:g} a second, {(last - first) / clip.rate:.2f} s.\n"
            f"{on} of {len(take.steps)} steps on.\n"
            f"{way['joint']} travels {way['distance_m']:.2f} m, {way['speed_m_s']:.2f} m a second on average."
        )
        # The worst first: how many times over what is put up with.
        found = sorted(session.evaluator.findings, key=lambda f: -f.size / max(f.threshold, 1e-9))
        self.nothing.setText("" if found else _NOTHING_FOUND)
        self.nothing.setVisible(not found)
        self.table.setVisible(bool(found))
        if found != self._shown:
            self._shown = found
            self._list(found)
        wanted = {f.repair.title: f.repair for f in found if f.repair is not None}
        for title, repair in wanted.items():
            if title not in self.repairs:
                self.repairs[title] = self._button(repair)
        for title, button in self.repairs.items():
            button.setVisible(title in wanted)

    def _list(self, found: list[Finding]) -> None:
        self.table.show_rows([
            ((f.text, f"{f.frames[0]}–{f.frames[1]}"), f"{f.text}. Worst at frame {f.worst}: {f.size:.1f} {f.unit}, "
             f"more than {f.threshold:g} {f.unit}", f.joint, f.worst) for f in found
        ])  # fmt: skip
        self.table.resizeRowsToContents()
        rows = sum(self.table.rowHeight(r) for r in range(self.table.rowCount()))
        self.table.setFixedHeight(min(26 + rows + 4, 260))

    def _button(self, repair: Repair) -> QPushButton:
        button = QPushButton(repair.title)
        button.setToolTip(f"Adds a step at the end of the line: {kind_of(repair.kind).title}")

        def mend() -> None:
            steps = self.session.take.steps if self.session.take is not None else ()
            line.insert(self.session, len(steps), repair.kind, **repair.settings)

        button.clicked.connect(mend)
        self.column.insertWidget(self.column.indexOf(self.table), button)
        return button
