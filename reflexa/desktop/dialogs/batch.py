"""A recipe over many clips: what does not apply is said beforehand; each clip with its state, time, findings before and after."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from PySide6.QtCore import QSize, Qt, QTimer
from PySide6.QtWidgets import (
    QAbstractItemView,
    QDialog,
    QHBoxLayout,
    QHeaderView,
    QProgressBar,
    QPushButton,
    QSlider,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)  # fmt: skip

from reflexa.batch.over import Over
from reflexa.desktop.clips.recipe_list import RecipeLine
from reflexa.desktop.dialogs.batch_results import BatchResults
from reflexa.desktop.dialogs.parameters import ParameterForm
from reflexa.desktop.look import theme
from reflexa.desktop.widgets import labels
from reflexa.desktop.widgets.light_figure import LightFigure
from reflexa.desktop.widgets.qt_properties import named, styled
from reflexa.errors import RecipeError
from reflexa.library.light import Light, Strokes, light, strokes
from reflexa.output.takes import Into
from reflexa.session import Session
from reflexa.session.batch import ENDED, Batch, Row
from reflexa.session.work import Job
from reflexa.take import Source
from reflexa.take.fitting import not_applying
from reflexa.take.recipe import Recipe, with_values
from reflexa.take.sequence import source_of
from reflexa.words import counted

_TICK = 33
_CLIP, _STATE, _TIME, _FOUND, _SAID = range(5)
Unfit = dict[str, tuple[str, ...]]
# A light figure, its height in rest (metres), and how long it moves (seconds).
Shown = tuple[tuple[Strokes, Light], float, float]


class BatchDialog(QDialog):
    """It stays beside the window; closed while it runs, it finishes the clip at hand and can be opened again to go on."""

    def __init__(self, session: Session, recipe: Recipe, sources: Sequence[Source], parent: QWidget) -> None:
        super().__init__(parent)
        self.session, self.recipe = session, recipe
        self.setWindowTitle(f"{recipe.name}, over {counted(len(sources), 'clip')}")
        self.resize(960, 600)
        self.batch = Batch(session, sources, recipe.name)
        self.batch.over = self._over
        self.batch.changed.connect(self._on_row)
        self.batch.halted.connect(self._show_state)
        session.project_changed.connect(self._enable)
        # What does not apply, by the rig's key; None while it is looked for.
        self._unfit: Unfit | None = None
        self._gone = False
        self._seconds, self._duration = 0.0, 0.0
        whole, across = QVBoxLayout(self), QHBoxLayout()
        whole.addWidget(RecipeLine(recipe))
        whole.addLayout(across, 1)
        across.addLayout(self._left(), 1)
        across.addWidget(self._right())
        whole.addLayout(self._below())
        self._timer = QTimer(self)
        self._timer.setInterval(_TICK)
        self._timer.timeout.connect(self._play)
        for i in range(len(self.batch.rows)):
            self._show_row(i)
        self.table.selectRow(0)
        self.look()
        self._show_state()

    # Layout -----------------------------------------------------------------------------------------------------

    def _left(self) -> QVBoxLayout:
        out = QVBoxLayout()
        self.unfit = labels.text()
        out.addWidget(self.unfit)
        self.table = styled(QTableWidget(len(self.batch.rows), 5), accessibleName="Clips of the batch")
        self.table.setHorizontalHeaderLabels(["Clip", "State", "Time", "Findings", "Note"])
        self.table.verticalHeader().hide()
        self.table.setTabKeyNavigation(False)
        self.table.setShowGrid(False)
        self.table.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.table.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.table.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        self.table.setWordWrap(False)
        header = self.table.horizontalHeader()
        for column, width in ((_CLIP, 170), (_STATE, 96), (_TIME, 62), (_FOUND, 84)):
            header.resizeSection(column, width)
        header.setDefaultAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter)
        header.setSectionResizeMode(_SAID, QHeaderView.ResizeMode.Stretch)
        self.table.itemSelectionChanged.connect(self._on_selected)
        out.addWidget(self.table, 1)
        return out

    def _right(self) -> QWidget:
        out = QWidget()
        out.setFixedWidth(280)
        column = QVBoxLayout(out)
        column.setContentsMargins(0, 0, 0, 0)
        self.form = ParameterForm(self.session, self.recipe)
        self.form.changed.connect(self.look)
        self.results = BatchResults(self.session)
        self.results.changed.connect(lambda: self._enable())
        column.addWidget(labels.section("Values"))
        column.addWidget(self.form)
        column.addWidget(labels.section("Results"))
        column.addWidget(self.results)
        self.preview = LightFigure()
        self.preview.setMinimumSize(QSize(180, 150))
        column.addWidget(self.preview, 1)
        self.slider = styled(
            QSlider(Qt.Orientation.Horizontal), accessibleName="Frame of the preview", maximum=1000,
            toolTip="Drag to look at a frame; release to play",
        )  # fmt: skip
        self.slider.sliderPressed.connect(lambda: self._timer.stop())
        self.slider.sliderReleased.connect(lambda: self._timer.start())
        self.slider.valueChanged.connect(self._pose)
        column.addWidget(self.slider)
        return out

    def _below(self) -> QHBoxLayout:
        out = QHBoxLayout()
        self.bar = styled(QProgressBar(), accessibleName="Progress of the batch", maximum=len(self.batch.rows))
        self.bar.setFixedWidth(180)
        self.said = labels.text()
        self.bar.setTextVisible(False)
        out.addWidget(self.bar)
        out.addWidget(self.said, 1)
        self.go = named(QPushButton("Run"), "main")
        self.go.setDefault(True)
        self.go.clicked.connect(self.start)
        self.hold = styled(QPushButton("Pause"), toolTip="Finish the current clip, then pause")
        self.hold.clicked.connect(self._pause)
        self.stop = styled(QPushButton("Stop"), toolTip="Stop the current clip. Finished results stay.")
        self.stop.clicked.connect(self.batch.give_up)
        close = QPushButton("Close")
        close.clicked.connect(self.close)
        for button in (self.go, self.hold, self.stop, close):
            button.setAutoDefault(button is self.go)
            out.addWidget(button)
        return out

    # What does not apply ----------------------------------------------------------------------------------------

    def look(self) -> None:
        """Find out beside, for one clip of each rig, what of the recipe does not apply."""
        missing = self.form.missing
        self._unfit = None
        if missing:
            self.unfit.setText(f"Enter {', '.join(missing)} on the right first.")
            self._enable()
            return
        recipe, values, within, clips = self.recipe, self.form.values, self.session.within, self.session.clips
        rigs, shortest = self.session.rigs, dict[str, Source]()
        for row in self.batch.rows:
            if row.source.file in rigs:
                shortest.setdefault(rigs[row.source.file].key, row.source)
        self.unfit.setText("Checking which steps apply…")

        def call(job: Job[Unfit]) -> Unfit:
            out = {}
            for key, source in shortest.items():
                job.tell()
                out[key] = tuple(not_applying(recipe, values, *source_of(source, clips.source), within))
            return out

        job = Job(call, self._show_unfit)
        job.failed = lambda error: self.unfit.setText(str(error))
        self._start(job, "batch fits")
        self._enable()

    def _show_unfit(self, found: Unfit) -> None:
        self._unfit = found
        said, rigs = [], self.session.rigs
        for key, what in found.items():
            if what:
                names = [
                    r.source.clip for r in self.batch.rows if r.source.file in rigs and rigs[r.source.file].key == key
                ]
                who = names[0] if len(names) == 1 else f"{names[0]} and {len(names) - 1} more"
                said.append(f"{who}: {'; '.join(what)}")
        labels.say(self.unfit, "warn" if said else "quiet")
        self.unfit.setText("Will be left out\n" + "\n".join(said[:4]) if said else "Every step applies to every clip.")
        self.unfit.setToolTip("\n".join(said))
        for i in range(len(self.batch.rows)):
            self._show_row(i)
        self._enable()

    def _start(self, job: Job[Any], lane: str) -> None:
        """Work beside, of which nothing comes where this is no more."""
        job.lands = lambda: not self._gone
        self.session.work.start(job, lane)

    # Running ----------------------------------------------------------------------------------------------------

    def _over(self) -> Over:
        session, results = self.session, self.results
        into = None if results.folder is None else Into(results.folder, results.overwrite, session.project.limits)
        return Over(
            with_values(self.recipe, self.form.values), session.within, dict(session.sources.documents), into,
            results.format, session.project.limits, session.project.takes,
        )  # fmt: skip

    def start(self) -> None:
        """Run, or go on."""
        try:
            self.batch.start()
        except RecipeError as e:
            self.said.setText(str(e))
            return
        self._show_state()

    def _pause(self) -> None:
        self.batch.hold()
        self.said.setText("Pausing after the current clip.")

    def _show_row(self, i: int) -> None:
        row = self.batch.rows[i]
        texts = [row.source.clip, row.state.capitalize(), "", "", self._said_of(row)]
        if row.came is not None:
            texts[_TIME] = _time(row.came.seconds)
            texts[_FOUND] = f"{row.came.before} → {len(row.came.after)}"
        t = theme.current()
        for column, text in enumerate(texts):
            item = QTableWidgetItem(text)
            item.setToolTip("\n".join(row.came.after) if column == _FOUND and row.came is not None else text)
            if row.state == "failed":
                item.setForeground(t.colour("warn"))
            elif row.state == "waiting":
                item.setForeground(t.colour("quiet"))
            self.table.setItem(i, column, item)
        if row.state == "at work":
            self.table.scrollTo(self.table.model().index(i, _CLIP))

    def _on_row(self, i: int) -> None:
        self._show_row(i)
        if self.batch.rows[i].came is not None and self.table.currentRow() == i:
            self._on_selected()
        self._show_state()

    def _said_of(self, row: Row) -> str:
        if row.said:
            return row.said
        if row.came is not None:
            written = [row.came.proof.path.name] if row.came.proof is not None else []
            return "; ".join([*written, *(f"left out: {w}" for w in row.came.left_out)])
        rig = self.session.rigs.get(row.source.file)
        unfit = (self._unfit or {}).get(rig.key, ()) if rig is not None else ()
        return f"without {'; '.join(unfit)}" if unfit else ""

    def _show_state(self) -> None:
        rows = self.batch.rows
        done, failed = sum(r.state in ENDED for r in rows), sum(r.state == "failed" for r in rows)
        self.bar.setValue(done + failed)
        seconds = self.batch.seconds_left
        text = f"{done} of {len(rows)} done" + (f", {failed} failed" if failed else "")
        if self.batch.running and seconds:
            text += f", {_left(seconds)}"
        elif not self.batch.running and 0 < done < len(rows):
            text += f", {self.batch.left} left: press Continue"
        self.said.setText(text)
        self._enable()

    def _enable(self) -> None:
        running, left = self.batch.running, self.batch.left
        begun = any(r.state in ENDED for r in self.batch.rows)
        self.go.setText("Continue" if begun and left else "Run")
        missing = self.form.missing
        why = f"Enter {', '.join(missing)} first" if missing else "It is running" if running else ""
        gone = "" if self.batch.here else "The project of these clips was closed"
        why = gone or why or ("" if left else "All clips are done") or self.results.problem
        self.go.setEnabled(not why)
        self.go.setToolTip(why or "Run the recipe over the clips")
        for button in (self.hold, self.stop):
            button.setEnabled(running)
        for widget in (self.form, self.results):
            widget.setEnabled(not running)

    # Preview ----------------------------------------------------------------------------------------------------

    def _on_selected(self) -> None:
        """Let the result of the selected clip play; its source while there is none."""
        at = self.table.currentRow()
        if not 0 <= at < len(self.batch.rows):
            return
        row, clips = self.batch.rows[at], self.session.clips

        def call(_: Job[Shown]) -> Shown:
            came = row.came
            clip, rig = (came.result, came.rig) if came is not None else source_of(row.source, clips.source)
            drawn = strokes(rig)
            return (drawn, light(clip, rig, drawn)), rig.height, clip.duration

        job = Job(call, self._begin_preview)
        job.failed = self._no_preview
        self._start(job, "batch preview")

    def _begin_preview(self, shown: Shown) -> None:
        self.preview.figure, self.preview.height_of, self._duration = shown
        self._seconds = 0.0
        if self.isVisible() and self._duration > 0:
            self._timer.start()
        self.preview.update()

    def _no_preview(self, error: Exception) -> None:
        self.preview.figure = None
        self.preview.setToolTip(str(error))
        self.preview.update()

    def _play(self) -> None:
        if self.slider.isSliderDown() or self._duration <= 0:
            return
        self._seconds = (self._seconds + _TICK / 1000) % self._duration
        self.slider.setValue(round(1000 * self._seconds / self._duration))

    def _pose(self, at: int) -> None:
        if self.preview.figure is not None:
            self._seconds = at / 1000 * self._duration
            self.preview.pose = at / 1000 * (len(self.preview.figure[1].points) - 1)
            self.preview.update()

    # Leaving ----------------------------------------------------------------------------------------------------

    def showEvent(self, event: object) -> None:
        if self.preview.figure is not None:
            self._timer.start()

    def forget(self) -> None:
        """It is not needed any more."""
        self._gone = True
        self.session.project_changed.disconnect(self._enable)
        self.hide()
        self.deleteLater()

    def done(self, result: int) -> None:
        self._timer.stop()
        self.batch.hold()
        super().done(result)


def _time(seconds: float) -> str:
    if seconds < 1:
        return f"{1000 * seconds:.0f} ms"
    return f"{seconds:.0f} s" if seconds < 90 else f"{seconds / 60:.0f} minutes"


def _left(seconds: float) -> str:
    """How long it still takes, no finer than one can know it."""
    if seconds < 5:
        return "a few seconds left"
    return f"about {5 * round(seconds / 5)} s left" if seconds < 90 else f"about {seconds / 60:.0f} minutes left"
