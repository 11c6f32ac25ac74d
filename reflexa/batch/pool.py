"""Work shared out over processes: one task after another in each, results as they come, nothing half done when it is stopped."""

from __future__ import annotations

import os
import signal
from collections.abc import Callable, Iterable, Iterator
from concurrent.futures import FIRST_COMPLETED, Future, ProcessPoolExecutor, wait
from concurrent.futures.process import BrokenProcessPool
from dataclasses import dataclass
from typing import Generic, TypeVar

from reflexa.errors import ReflexaError

T = TypeVar("T")
R = TypeVar("R")
# Tasks that wait in line for each process: results of the first are there long before the last is asked for.
_AHEAD = 4


class WorkerLost(ReflexaError):
    """A process that worked was ended from outside; what was done by then is whole."""

    exit_status = 4


def _begin() -> None:
    # Ctrl-C ends the one that gives out the work; a process finishes the file that it is at.
    signal.signal(signal.SIGINT, signal.SIG_IGN)


def in_order(call: Callable[[T], R], tasks: Iterable[T], workers: int) -> Iterator[R]:
    """What came of tasks in their order, each as soon as it and those before it are there. Raises WorkerLost."""
    came: dict[int, R] = {}
    at = 0
    for (number, _), result in shared_out(_Numbered(call), list(enumerate(tasks)), workers):
        came[number] = result
        while at in came:
            yield came.pop(at)
            at += 1


@dataclass(frozen=True)
class _Numbered(Generic[T, R]):
    """Does a task that has a number before it."""

    call: Callable[[T], R]

    def __call__(self, task: tuple[int, T]) -> R:
        return self.call(task[1])


def shared_out(call: Callable[[T], R], tasks: Iterable[T], workers: int) -> Iterator[tuple[T, R]]:
    """Each task and what came of it, as it comes. workers: how many processes; one works here, in order. Raises WorkerLost."""
    given = list(tasks)
    if workers <= 1 or len(given) <= 1:
        for task in given:
            yield task, call(task)
        return
    os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")
    pool = ProcessPoolExecutor(min(workers, len(given)), initializer=_begin)
    try:
        waiting, at = dict[Future[R], T](), 0
        while waiting or at < len(given):
            while at < len(given) and len(waiting) < workers * _AHEAD:
                waiting[pool.submit(call, given[at])] = given[at]
                at += 1
            done, _ = wait(waiting, return_when=FIRST_COMPLETED)
            for future in done:
                yield waiting.pop(future), future.result()
    except BrokenProcessPool:
        raise WorkerLost(
            "a process that was at work was ended from outside", advice="What is done is whole: run it again to go on."
        ) from None
    finally:
        pool.shutdown(wait=True, cancel_futures=True)
