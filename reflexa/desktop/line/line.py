"""Source → step → step → + → Result: the order of computation, as cards."""

from __future__ import annotations

from functools import partial

from PySide6.QtCore import QPoint, QSize, Qt, Signal
from PySide6.QtGui import QDragEnterEvent, QDragMoveEvent, QDropEvent
from PySide6.QtWidgets import QHBoxLayout, QLabel, QMenu, QScrollArea, QToolButton, QWidget

from reflexa.desktop.dropping import dropped, holds_clips, recipe_of
from reflexa.desktop.kinds import VIEWS
from reflexa.desktop.line.add_step import AddStep
from reflexa.desktop.line.card import CARD_SIZE, Card, StepCard
from reflexa.desktop.line.source_card import SourceCard
from reflexa.desktop.look import theme
from reflexa.desktop.widgets import labels, menus
from reflexa.desktop.widgets.qt_properties import styled
from reflexa.session import RESULT, SOURCE, Session, line
from reflexa.steps import Step, kind_of
from reflexa.take import Source, Take
from reflexa.words import counted


class RevisionLine(QScrollArea):
    """The cards of the open take. cards: by the steps' ids, ``SOURCE`` and ``RESULT``; view_points: by the card before them."""

    export_wanted = Signal()
    recipe_dropped = Signal(str, int)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.setWidgetResizable(True)
        self.setFixedHeight(CARD_SIZE.height() + 20)
        self.setVerticalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setAccessibleName("Step list")
        self.setAcceptDrops(True)
        inner = QWidget()
        self._row = QHBoxLayout(inner)
        self._row.setContentsMargins(8, 4, 8, 4)
        self._row.setSpacing(4)
        self.setWidget(inner)
        self.cards: dict[str, Card] = {}
        self.view_points: dict[str, QToolButton] = {}
        self._shape: object = None
        session.take_changed.connect(self.refresh)
        session.selection.changed.connect(self._on_looked)
        session.selection.looked.connect(self._on_looked)
        session.evaluator.done.connect(self._show_values)
        session.evaluator.found.connect(self._show_values)
        self.refresh()

    @property
    def steps(self) -> dict[str, StepCard]:
        """The cards of the steps by their ids, in their order."""
        return {i: card for i, card in self.cards.items() if isinstance(card, StepCard)}

    def refresh_icons(self) -> None:
        """Icons in the colours of the theme."""
        self._shape = None
        self.refresh()

    def refresh(self) -> None:
        """Rebuild the cards where their number, kinds or order changed; else only bring them up to date."""
        take = self.session.take
        shape = take and (take.name, take.source, tuple((s.id, s.kind) for s in take.steps))
        if shape != self._shape or take is None:
            self._shape = shape
            self._rebuild(take)
        self._show_steps()
        self._mark()
        self._show_values()

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        if (holds_clips(event.mimeData()) or recipe_of(event.mimeData())) and self.session.take is not None:
            event.acceptProposedAction()

    def dragMoveEvent(self, event: QDragMoveEvent) -> None:
        event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent) -> None:
        """Clips that are dropped between the cards are blended in there; a recipe's steps come to stand there."""
        x = event.position().toPoint().x() + self.horizontalScrollBar().value()
        at = sum(card.geometry().center().x() < x for card in self.steps.values())
        if recipe := recipe_of(event.mimeData()):
            event.acceptProposedAction()
            self.recipe_dropped.emit(recipe, at)
            return

        def blend(sources: list[Source]) -> None:
            view = next(v for v in VIEWS.values() if v.dropped)
            for source in reversed(sources):
                clip = {view.dropped: f"{source.file}/{source.clip}"}
                line.insert(self.session, at, view.kind, f"With {source.clip}", **clip)

        if dropped(self.session, event.mimeData(), blend):
            event.acceptProposedAction()

    def _show_steps(self) -> None:
        take = self.session.take
        for i, step in enumerate(take.steps if take is not None else ()):
            if take is not None and step.id in self.steps:
                self.steps[step.id].show_step(step, take.steps[i + 1 :])

    # Cards ------------------------------------------------------------------------------------------------------

    def _rebuild(self, take: Take | None) -> None:
        while (item := self._row.takeAt(0)) is not None:
            if (widget := item.widget()) is not None:
                widget.hide()
                widget.deleteLater()
        self.cards.clear()
        self.view_points.clear()
        if take is None:
            hint = labels.quiet("Make a take: double-click a clip on the left, or drop a motion file on the window.")
            self._row.addWidget(hint, 1)
            return
        self._add_source(take)
        for step in take.steps:
            card = StepCard(self.session, step)
            card.dragged.connect(self._drag)
            card.dropped.connect(self._drop)
            card.menu_wanted.connect(self._menu)
            self._add_card(card)
            self._add_tap(step.id, step.name)
        self._row.addWidget(self._add_button())
        arrow = QLabel()
        arrow.setPixmap(theme.icon("view-point", "quiet").pixmap(20, 20))
        self._row.addWidget(arrow)
        self._add_result()
        self._row.addStretch(1)

    def _add_source(self, take: Take) -> None:
        card = SourceCard(self.session)
        card.name.setText(take.source.clip)
        card.name.setToolTip(f"Source: {take.source.clip} in {take.source.file}")
        self._source_facts = labels.quiet()
        card.body.addWidget(self._source_facts)
        card.body.addStretch(1)
        self._add_card(card)
        self._add_tap(SOURCE, "the source")

    def _add_button(self) -> QToolButton:
        self.plus = styled(QToolButton(), toolTip="Add a step after the selected card", accessibleName="Add a step")
        self.plus.setIcon(theme.icon("add", "accent"))
        self.plus.setIconSize(QSize(22, 22))
        self.plus.setFixedSize(38, 38)
        self.plus.clicked.connect(self.add_step)
        return self.plus

    def add_step(self) -> None:
        """Ask which step, and add it after the selected card."""
        popup = AddStep(self.session, self)
        popup.chosen.connect(partial(line.add, self.session))
        popup.open_at(self.plus.mapToGlobal(QPoint(0, self.plus.height())))

    def _add_result(self) -> None:
        card = Card(RESULT, "Result", "Result", "result")
        self._result_facts = labels.quiet()
        button = styled(QToolButton(), text="Export…", toolTip="Write a new clip asset")
        button.setIcon(theme.icon("export", "accent"))
        button.setToolButtonStyle(Qt.ToolButtonStyle.ToolButtonTextBesideIcon)
        button.clicked.connect(self.export_wanted)
        card.top.addWidget(button)
        self._found = labels.quiet()
        low = QHBoxLayout()
        low.addWidget(self._result_facts, 1)
        low.addWidget(self._found)
        card.body.addLayout(low)
        card.body.addStretch(1)
        self._add_card(card)

    def _add_card(self, card: Card) -> None:
        card.clicked.connect(self._clicked)
        card.step_wanted.connect(self._step_to)
        self._row.addWidget(card)
        self.cards[card.id] = card

    def _add_tap(self, id_: str, name: str) -> None:
        button = styled(
            QToolButton(), checkable=True, toolTip=f"View point: show the figure after {name}",
            accessibleName=f"Show the figure after {name}",
        )  # fmt: skip
        button.setIcon(theme.icon("view-point", "quiet"))
        button.setIconSize(QSize(20, 20))
        button.clicked.connect(lambda on: self.session.selection.set_view_point(id_ if on else RESULT))
        self._row.addWidget(button)
        self.view_points[id_] = button

    def _step_to(self, id_: str, by: int) -> None:
        """The focus goes to the card beside, which comes into sight."""
        order = list(self.cards)
        card = self.cards[order[min(max(order.index(id_) + by, 0), len(order) - 1)]]
        card.setFocus(Qt.FocusReason.TabFocusReason)
        self.ensureWidgetVisible(card)

    def _clicked(self, id_: str) -> None:
        self.session.selection.select_card(id_)
        if id_ == RESULT:
            self.session.selection.set_view_point(RESULT)

    def _on_looked(self) -> None:
        self._show_steps()
        self._mark()

    def _mark(self) -> None:
        for id_, card in self.cards.items():
            card.mark(id_ == self.session.selection.card)
        for id_, button in self.view_points.items():
            button.setChecked(id_ == self.session.selection.view_point)

    def _no_clip(self, take: Take) -> str:
        sources = self.session.sources
        if take.source.file in sources.waiting:
            return "being read…"
        if sources.gone(take.source)[0]:
            return "missing"
        return "cannot be computed" if self.session.evaluator.refused else "computing…"

    def _show_values(self) -> None:
        session = self.session
        if session.take is None or RESULT not in self.cards:
            return
        clip, result, evaluation = session.source_head, session.computed.result, session.computed.evaluation
        self._source_facts.setText(
            f"{counted(clip.frames, 'frame')}, {clip.rate:g} fps" if clip is not None else self._no_clip(session.take)
        )
        for id_, card in self.steps.items():
            card.show_problem(session.computed.problem_of(id_))
            judged = session.evaluator.judgement.judged
            card.show_findings(judged.brought.get(id_, ()), judged.fixed.get(id_, ()))
            at = evaluation.take.index(id_) if evaluation is not None else -1
            if card.ribbon is not None and evaluation is not None and at >= 0:
                card.ribbon.set_values(evaluation.ribbons[at])
        if result is not None:
            first, last = session.computed.range
            count, found = last - first + 1, session.evaluator.judgement.count
            frames, seconds = counted(count, "frame"), f"{(count - 1) / result.rate:.2f} s"
            self._result_facts.setText(frames if found else f"{frames}, {seconds}")  # both have no room beside findings
            self._result_facts.setToolTip(f"{frames}, {seconds}")
            self._found.setText(counted(found, "finding") if found else "")
            labels.say(self._found, "warn" if found else "quiet")

    # Moving -----------------------------------------------------------------------------------------------------

    def _place(self, x: int, id_: str) -> int:
        """The position among the other steps of a card whose middle is at ``x``."""
        return sum(c.geometry().center().x() < x for i, c in self.steps.items() if i != id_)

    def _drag(self, id_: str, x: int) -> None:
        to, name = self._place(x, id_), self.steps[id_].name.text()
        now = list(self.steps).index(id_)
        self.session.said.emit(f"{name}: becomes step {to + 1}" if to != now else f"{name}: stays step {now + 1}")

    def _drop(self, id_: str, x: int) -> None:
        to = self._place(x, id_)
        self._row.invalidate()  # puts the card back where it belongs
        self._row.activate()
        line.move(self.session, id_, to)

    def _menu(self, id_: str, at: QPoint) -> None:
        session, take = self.session, self.session.take
        step = take.step(id_) if take is not None else None
        if take is None or step is None:
            return
        menu, place = QMenu(self), take.index(id_)
        menu.addAction("Rename", self.steps[id_].rename)
        menu.addAction("Duplicate", lambda: line.duplicate(session, id_))
        if place > 0:
            menu.addAction("Earlier", lambda: line.move(session, id_, place - 1))
        if place < len(take.steps) - 1:
            menu.addAction("Later", lambda: line.move(session, id_, place + 1))
        menu.addSeparator()
        solo = menu.addAction("Show only this step", lambda: line.toggle_solo(session, id_))
        solo.setCheckable(True)
        solo.setChecked(session.selection.solo == id_)
        if (kind := kind_of(step.kind)).weighed or kind.shifted is not None:
            self._add_ties(menu.addMenu("Tied to"), step)
        lock = menu.addAction("Lock", lambda: line.set_locked(session, id_, not step.locked))
        lock.setCheckable(True)
        lock.setChecked(step.locked)
        menu.addSeparator()
        menu.addAction(theme.icon("delete"), "Remove", lambda: line.remove(session, id_))
        menus.show(menu, at)

    def _add_ties(self, menu: QMenu, step: Step) -> None:
        """Events that the step's envelope and reaches can go with."""
        given = dict.fromkeys(
            e.name for e in (self.session.computed.below.events if self.session.computed.below is not None else ())
        )
        for title, event in [("No event", ""), *((name, name) for name in given)]:
            entry = menu.addAction(title, partial(line.tie, self.session, step.id, event))
            entry.setCheckable(True)
            entry.setChecked(event == (step.tied.event if step.tied is not None else ""))

    def rename(self, id_: str) -> None:
        """Edit the name of a step in its place."""
        if id_ in self.steps:
            self.steps[id_].rename()
