"""The time area: one time axis for playing, the range, events, the envelope and the keys."""

from __future__ import annotations

from importlib import import_module
from types import ModuleType
from typing import TYPE_CHECKING

from PySide6.QtCore import QEvent, QObject, Qt, Signal
from PySide6.QtGui import QDragEnterEvent, QDropEvent
from PySide6.QtWidgets import QComboBox, QFrame, QScrollArea, QStackedWidget, QToolButton, QVBoxLayout, QWidget

from reflexa.desktop.dropping import dropped, holds_clips
from reflexa.desktop.kinds import view_of
from reflexa.desktop.time.curve_values import VIEWS
from reflexa.desktop.time.curves import CurveView
from reflexa.desktop.time.envelope import EnvelopeLane
from reflexa.desktop.time.findings_lane import FindingsLane
from reflexa.desktop.time.findings_page import FindingsPage
from reflexa.desktop.time.key_sheet import KeySheet
from reflexa.desktop.time.ranges import RangeLane
from reflexa.desktop.time.ruler import Ruler
from reflexa.desktop.time.sequence_lane import SequenceLane
from reflexa.desktop.time.time_map import TimeMap
from reflexa.desktop.time.transport import Transport
from reflexa.desktop.widgets import labels
from reflexa.desktop.widgets.qt_properties import styled
from reflexa.session import SOURCE, Session, takes
from reflexa.session.work import Job

if TYPE_CHECKING:
    from reflexa.desktop.time.measures import MeasuresView

_KEYS, _CURVES, _LANES, _FINDINGS, _MEASURES = range(5)
MEASURES, FINDINGS = "measures", "findings"
_ENVELOPE = "envelope"
# Pixels: the least, and what curves need.
_LEAST, _CURVES_HIGH, _CURVES_WITH_ALL = 92, 180, 310
# So many rows of keys are seen at a glance.
_LANES_HIGH = 100
_GLANCE = 3
_PAGE_LEAST = 110  # pixels of the list of pages, where there is no room for all of a name


class TimeArea(QFrame):
    """Transport and ruler; below them a page: keys under their envelope, curves, or lanes of the selected step's kind.
    ``content_changed``: it may want to be higher or lower."""

    content_changed = Signal()

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.setObjectName("panel")
        self.session = session
        self.setAcceptDrops(True)
        self.time = TimeMap(session)
        self.transport = Transport(session)
        self.ruler = Ruler(session, self.time)
        self.envelope = EnvelopeLane(session, self.time)
        self.keys = KeySheet(session, self.time)
        self.curves = CurveView(session, self.time)
        self.lanes: QWidget | None = None
        column = QVBoxLayout(self)
        column.setContentsMargins(6, 5, 6, 4)
        column.setSpacing(2)
        column.addWidget(self.transport)
        self.ranges = RangeLane(session, self.time)
        column.addWidget(self.ranges)
        column.addWidget(self.ruler)
        self.findings = FindingsLane(session, self.time)
        column.addWidget(self.findings)
        sheet = QWidget()
        below = QVBoxLayout(sheet)
        below.setContentsMargins(0, 0, 0, 0)
        below.setSpacing(0)
        below.addWidget(self.envelope)
        below.addWidget(_scrolled(self.keys), 1)
        self._lanes_area = _scrolled(QWidget())
        self.pages = QStackedWidget()
        self.measures: MeasuresView | None = None
        self._opening = labels.quiet("Opening the measures…")
        self.findings_page = FindingsPage(session)
        for page in (sheet, self.curves, self._lanes_area, self.findings_page):
            self.pages.addWidget(page)
        column.addWidget(self.pages, 1)
        self._add_page_choice()
        self._lanes_of = ""
        self._length = -1
        self._room, self._weighed = 10_000, False
        for signal in (session.evaluator.done, session.take_changed, session.selection.looked):
            signal.connect(self._fit)
        for signal in (session.selection.changed, session.take_changed):
            signal.connect(self._on_selection)
        self.setMinimumHeight(_LEAST)
        for part in (self.keys, self.ranges, self.findings, self.envelope):
            part.installEventFilter(self)
        self._on_selection()

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if event.type() in (QEvent.Type.LayoutRequest, QEvent.Type.Show, QEvent.Type.Hide, QEvent.Type.Resize):
            self.content_changed.emit()
        return False

    @property
    def wanted(self) -> int:
        """How high it is with all of what it shows in sight, pixels."""
        parts = (self.transport, self.ranges, self.ruler, self.findings)
        high = sum(max(w.minimumHeight(), w.minimumSizeHint().height()) + 2 for w in parts if not w.isHidden())
        page = self.pages.currentIndex()
        if page == _KEYS:
            envelope = 0 if self.envelope.isHidden() else self.envelope.minimumHeight()
            high += envelope + self.keys.minimumHeight()
        elif page == _LANES and self.lanes is not None:
            high += max(self.lanes.minimumHeight(), self.lanes.sizeHint().height())
        else:
            high += _CURVES_HIGH
        return high + 12

    @property
    def shown_page(self) -> str:
        """What is shown below the ruler, by a name that is kept in settings."""
        return ("keys", "curves", "lanes", "findings", "measures")[self.pages.currentIndex()]

    @property
    def draws_curves(self) -> bool:
        """True if a page is shown that can use all the height there is."""
        return self.pages.currentIndex() in (_CURVES, _MEASURES, _FINDINGS)

    @property
    def many_rows(self) -> bool:
        """True if there are too many keys or lanes to see at once."""
        if self.pages.currentIndex() == _LANES and self.lanes is not None:
            return self.lanes.minimumHeight() > _LANES_HIGH
        return self.pages.currentIndex() == _KEYS and len(self.keys.rows) > _GLANCE

    def make_do(self, room: int) -> None:
        """With so many pixels at most: where keys want them, the envelope waits on its own page; where curves do, ranges and
        findings make way."""
        self._room = room
        self._show_envelope()
        away = self.pages.currentIndex() in (_CURVES, _MEASURES) and room < _CURVES_WITH_ALL
        if away != self.findings.away:
            self.findings.away = self.ranges.away = away
            self.findings.refresh()
            self.ranges.refresh()

    def _show_envelope(self) -> None:
        asked = self.page.currentData() == _ENVELOPE
        away = self.envelope.minimumHeight() if self.envelope.isHidden() else 0
        fits = not self.keys.rows or asked or self.wanted + away <= self._room
        self.envelope.setVisible(self._weighed and fits)

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        if holds_clips(event.mimeData()) and self.session.take is not None:
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent) -> None:
        """Clips that are dropped on the time axis go behind those that the take begins with."""
        if dropped(self.session, event.mimeData(), lambda sources: takes.append(self.session, sources)):
            event.acceptProposedAction()

    def _add_page_choice(self) -> None:
        self.page = styled(QComboBox(), accessibleName="Keys or curves")
        self.page.setToolTip("Keys of the selected step, or curves of the selected joint")
        self.page.addItem("Keys", "")
        for id_, view in VIEWS.items():
            self.page.addItem(f"{view.title} ({view.unit})", id_)
        self.page.addItem("Envelope", _ENVELOPE)
        self.page.addItem("Findings", FINDINGS)
        self.page.addItem("Measures", MEASURES)
        self.page.setMinimumWidth(_PAGE_LEAST)
        self.page.activated.connect(lambda _i: self.show_page(self.page.currentData()))
        self.transport.add(self.page)
        self.normal = styled(
            QToolButton(), text="Normalise", checkable=True,
            toolTip="Each axis over its own range, so that small changes show too",
        )  # fmt: skip
        self.normal.setVisible(False)
        self.normal.toggled.connect(self.curves.set_normalised)
        self.transport.add(self.normal)

    def show_page(self, page: str) -> None:
        """The keys (an empty text), the envelope, or one of the curves."""
        self.page.setCurrentIndex(self.page.findData(page))
        curves = page in VIEWS
        self.normal.setVisible(curves)
        self.transport.fit()
        if page == MEASURES:
            self._show_measures()
        elif page == FINDINGS:
            self.pages.setCurrentIndex(_FINDINGS)
        elif curves:
            self.curves.set_view(page)
            self.pages.setCurrentIndex(_CURVES)
        else:
            self.pages.setCurrentIndex(_LANES if self.lanes is not None and not page else _KEYS)
        self._show_envelope()
        self.content_changed.emit()

    def _show_measures(self) -> None:
        """Made when it is first wanted: what draws its curves takes more than half a second to load, which is not spent here."""
        if self.pages.count() == _MEASURES:
            self.pages.addWidget(self._opening)
            self.session.work.start(Job(lambda _: import_module("reflexa.desktop.time.measures"), self._with_measures))
        self.pages.setCurrentIndex(_MEASURES)

    def _with_measures(self, module: ModuleType) -> None:
        shown = self.pages.currentIndex()
        self.measures = module.MeasuresView(self.session, self.time)
        self.pages.removeWidget(self._opening)
        self._opening.deleteLater()
        self.pages.addWidget(self.measures)
        self.pages.setCurrentIndex(shown)

    def _on_selection(self) -> None:
        """Lanes of the selected step's kind stand in the keys' place."""
        step, kind = self.session.step, self.session.kind
        self._weighed = kind is not None and kind.weighed
        self._show_envelope()
        take = self.session.take
        in_a_row = self.session.selection.card == SOURCE and take is not None and bool(take.source.segments)
        now = step.kind if step is not None else SOURCE if in_a_row else ""
        if now != self._lanes_of:
            self._lanes_of = now
            view = view_of(now)
            self.lanes = view.lanes(self.session, self.time) if view.lanes is not None else None
            if in_a_row:
                self.lanes = SequenceLane(self.session, self.time)
            self._lanes_area.setWidget(self.lanes or QWidget())
            if self.lanes is not None:
                self.lanes.installEventFilter(self)  # it grows as it comes to have more to show
            self.page.setItemText(0, "Segments" if in_a_row else view.lanes_title)
        if not self.page.currentData():
            self.pages.setCurrentIndex(_KEYS if self.lanes is None else _LANES)
        self.content_changed.emit()

    def show_keys(self) -> None:
        """Bring the selected keys into sight, in the sheet and in the curves."""
        frames = sorted(f for _, f in self.session.selection.keys)
        if frames:
            self.time.show(frames[0], frames[-1])
            self.curves.show_frames(frames[0], frames[-1])

    def refresh_icons(self) -> None:
        """Icons in the colours of the theme."""
        self.transport.refresh_icons()
        if self.measures is not None:
            self.measures.refresh_icons()

    def _fit(self) -> None:
        if self._length != self.session.computed.frames:
            self._length = self.session.computed.frames
            self.time.show_all()


def _scrolled(widget: QWidget) -> QScrollArea:
    area = QScrollArea()
    area.setFocusPolicy(Qt.FocusPolicy.NoFocus)  # what is in it has the focus
    area.setWidgetResizable(True)
    area.setWidget(widget)
    area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
    return area
