"""Building the project: what is out of date, and why; built with progress, and what became of each."""

from __future__ import annotations

from collections import deque
from pathlib import Path

from PySide6.QtWidgets import QListWidget, QListWidgetItem, QWidget

from reflexa.batch.build import Made, Plan, Planned, build, default_out, plan
from reflexa.batch.pool import Processes
from reflexa.desktop.dialogs.running import RunDialog
from reflexa.desktop.look import theme
from reflexa.session import Session
from reflexa.session.work import Job
from reflexa.words import counted


class BuildDialog(RunDialog):
    """Takes with the reason why they are due; those that are up to date stand last, and quiet."""

    def __init__(self, session: Session, parent: QWidget) -> None:
        about = "Exports takes that are out of date, as they were saved. Everything else stays unchanged."
        super().__init__(parent, "Build", about, "Build")
        self.session = session
        self.todo: Plan | None = None
        self._job: Job[int] | None = None
        self._looking: Job[Plan] | None = None
        self._rows: dict[str, QListWidgetItem] = {}
        self._made: deque[tuple[Planned, Made]] = deque()
        self.place.field.setText(str(default_out(session.folder)))
        self.place.field.editingFinished.connect(self.look)
        self.look()

    def look(self) -> None:
        """Find out what is due, beside."""
        if self._job is not None:
            return
        folder, out = self.session.folder, Path(self.place.folder)
        self.go.setEnabled(False)
        self.go.setToolTip("Still checking what is out of date")
        self.said.setText("Checking what is out of date…")
        job = Job(lambda _: plan(folder, out), self._show)
        job.failed = self._cannot
        self._looking = self.session.work.start(job, "build")

    def _cannot(self, error: Exception) -> None:
        self.list.clear()
        self.said.setText(str(error))
        self.go.setToolTip(str(error))

    def _show(self, todo: Plan) -> None:
        self.todo = todo
        self.list.clear()
        self._rows = {}
        for p in sorted(todo.takes, key=lambda p: (not p.held, not p.why)):
            why = f"not touched: {p.held}" if p.held else "; ".join(p.why) or "up to date"
            item = QListWidgetItem(f"{p.take.name} — {why}")
            item.setToolTip(f"{', '.join(p.files)}\n{why}")
            if not p.why and not p.held:
                item.setForeground(theme.current().colour("quiet"))
            self.list.addItem(item)
            self._rows[p.take.name] = item
        count, held = len(todo.due), sum(bool(p.held) for p in todo.takes)
        self.said.setText(
            f"{count} of {len(todo.takes)} takes are out of date" + (f", {held} not touched" if held else "") + "."
        )
        self.go.setEnabled(count > 0)
        self.go.setToolTip("" if count else "Everything is up to date")

    def start(self) -> None:
        """Build what is due."""
        todo = self.todo
        if todo is None or self._job is not None:
            return
        count = len(todo.due)
        self.show_running(count)

        def call(job: Job[int]) -> int:
            done = 0
            for planned, made in build(todo, Processes(1)):
                self._made.append((planned, made))
                done += made.error is None
                job.tell(planned.take.name, len(self._made) / count)
            return done

        job = Job(call, lambda done: self.said.setText(f"{done} of {count} built in {todo.out}."))
        job.title = "The build"
        job.told = lambda _text, _part: self._tell()
        job.failed = lambda error: self.said.setText(str(error))
        job.ended = self._end
        self._job = self.session.work.start(job)

    def _tell(self) -> None:
        while self._made:
            planned, made = self._made.popleft()
            name = planned.take.name
            left = len(made.built.findings) if made.built is not None else 0
            findings = f", {counted(left, 'finding')} left" if left else ""
            text = str(made.error) if made.error is not None else f"built in {made.seconds:.1f} s{findings}"
            self._rows[name].setText(f"{name} — {text}")
            self._rows[name].setToolTip("\n".join(made.built.findings) if made.built is not None else text)
            self.list.scrollToItem(self._rows[name], QListWidget.ScrollHint.EnsureVisible)
            self.bar.setValue(self.bar.value() + 1)

    def _end(self) -> None:
        self._tell()
        stopped = self._job is not None and self._job.cancelled
        self._job = None
        self.show_ended()
        self.go.setToolTip("Built. Choose another folder or reopen this dialog to check again.")
        if stopped:
            self.said.setText("Stopped. Finished files stay, and the next build continues from there.")
        self.todo = None

    def reject(self) -> None:
        if self._job is not None:
            self._job.cancel()
            return
        if self._looking is not None:  # nobody is there any more to be told
            self._looking.cancel()
        super().reject()
