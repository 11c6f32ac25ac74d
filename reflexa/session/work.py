"""The one way to work off the interface thread: progress, cancelling, errors, and where a result may land."""

from __future__ import annotations

import threading
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from typing import Any, Generic, TypeVar

from reflexa.errors import ReflexaError
from reflexa.motion import threads
from reflexa.session.loop import Loop
from reflexa.session.signals import Signal
from reflexa.take import Cancelled

R = TypeVar("R")


def _anywhere() -> bool:
    return True


def _nothing(*_: object) -> Any:
    return None


class Job(Generic[R]):
    """Work under way. ``call(job)`` runs off the interface thread; ``done(result)``, ``failed(error)``, ``told(text,
    part)`` and ``ended()`` are called on it, those of a cancelled job (or one whose result may not ``land`` any more) never,
    but for ``ended``, which comes in any case, last."""

    def __init__(self, call: Callable[[Job[R]], R], done: Callable[[R], None]) -> None:
        self.call, self.done = call, done
        self.failed: Callable[[Exception], None] | None = None
        self.told: Callable[[str, float], None] | None = None
        self.ended: Callable[[], None] | None = None
        self.lands: Callable[[], bool] = _anywhere
        self.title = ""
        self._cancelled = threading.Event()
        self._tell: Callable[[str, float], None] = lambda _text, _part: None

    def cancel(self) -> None:
        """Give it up: it stops at its next word of progress, and nothing comes of it."""
        self._cancelled.set()

    def let_go(self) -> None:
        """It has ended: what it called for, widgets among that, is held no longer, whichever thread lets go of the job last."""
        self.call = self.done = _nothing
        self.failed = self.told = self.ended = None
        self.lands = _anywhere
        self._tell = _nothing

    @property
    def cancelled(self) -> bool:
        return self._cancelled.is_set()

    def tell(self, text: str = "", part: float = 0.0) -> None:
        """Called by the work: says how far it is (0 to 1). Raises Cancelled where nobody wants it any more."""
        if self.cancelled:
            raise Cancelled
        self._tell(text, part)


class Work:
    """Runs jobs. In a lane, a new job takes the place of the one before it: the newest request wins. ``failed(text)``: a job
    came to an error. ``changed``: a job began or ended."""

    def __init__(self, loop: Loop) -> None:
        self.failed, self.changed = Signal[str](), Signal[()]()
        self._loop = loop
        self._threads = ThreadPoolExecutor(threads.cores(), "work")
        self._lanes: dict[str, tuple[ThreadPoolExecutor, Job[Any]]] = {}
        self._jobs: list[Job[Any]] = []
        self._ended = False

    @property
    def busy(self) -> bool:
        """True while any job is running."""
        return bool(self._jobs)

    @property
    def titles(self) -> list[str]:
        """What is under way that has a name: work that a person began, and would miss."""
        return [j.title for j in self._jobs if j.title and not j.cancelled]

    def start(self, job: Job[R], lane: str = "") -> Job[R]:
        """Begin a job off the interface thread; nothing comes of one that is begun after the end."""
        if self._ended:
            return job
        self._jobs.append(job)
        runs = self._threads
        if lane in self._lanes:
            runs, before = self._lanes[lane]
            before.cancel()
        elif lane:
            runs = ThreadPoolExecutor(1, f"work {lane}")
        if lane:
            self._lanes[lane] = runs, job
        job._tell = lambda text, part: self._loop.post(lambda: self._told(job, text, part))
        runs.submit(self._run, job)
        self.changed.emit()
        return job

    def cancel_all(self) -> None:
        """Give up everything that is under way."""
        for job in self._jobs:
            job.cancel()

    def end(self) -> None:
        """Give up everything and let the threads go: the window closes."""
        self._ended = True
        self.cancel_all()
        for runs in (self._threads, *(r for r, _ in self._lanes.values())):
            runs.shutdown(wait=False)

    def _run(self, job: Job[R]) -> None:
        try:
            if job.cancelled:
                raise Cancelled
            result = job.call(job)
        except Cancelled:
            self._loop.post(lambda: self._end(job, None))
        except Exception as e:
            error = e  # handed over to the interface thread, which shows it
            self._loop.post(lambda: self._end(job, lambda: self._fail(job, error)))
        else:
            self._loop.post(lambda: self._end(job, lambda: job.done(result)))

    def _told(self, job: Job[R], text: str, part: float) -> None:
        if job.told is not None and not job.cancelled:
            job.told(text, part)

    def _end(self, job: Job[R], then: Callable[[], None] | None) -> None:
        self._jobs.remove(job)
        try:
            if then is not None and not job.cancelled and job.lands():
                then()
        finally:
            if job.ended is not None:
                job.ended()
            job.let_go()
            self.changed.emit()

    def _fail(self, job: Job[R], error: Exception) -> None:
        if job.failed is not None:
            job.failed(error)
        else:
            self.fail(error)

    def fail(self, error: Exception) -> None:
        """Say an error that is meant for a person; any other is raised, and goes where those go that nobody expected."""
        if not isinstance(error, ReflexaError):
            raise error
        self.failed.emit(str(error))
