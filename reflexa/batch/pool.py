"""Work shared out over processes: one task after another in each, results as they come, nothing half done when it is stopped."""

from __future__ import annotations

import os
import signal
from collections.abc import Callable, Iterable, Iterator
from concurrent.futures import FIRST_COMPLETED, Future, ProcessPoolExecutor, wait
from concurrent.futures.process import BrokenProcessPool
from dataclasses import dataclass
from typing import Protocol, TypeVar

from reflexa.errors import ReflexaError

T = TypeVar("T")
R = TypeVar("R")
# Tasks that wait in line for each process: results of the first are there long before the last is asked for.
AHEAD = 4


class Share(Protocol):
    """A way to have tasks done: each comes back, itself, with what came of it, as soon as that is there."""

    def __call__(self, call: Callable[[T], R], tasks: Iterable[T], /) -> Iterator[tuple[T, R]]:
        """Raises WorkerLost where it cannot be gone on with."""


class WorkerLost(ReflexaError):
    """A process that worked was ended from outside; what was done by then is whole."""

    exit_status = 4


def _begin() -> None:
    # Ctrl-C ends the one that gives out the work; a process finishes the file that it is at.
    signal.signal(signal.SIGINT, signal.SIG_IGN)


def in_order(share: Share, call: Callable[[T], R], tasks: Iterable[T]) -> Iterator[R]:
    """What came of tasks in their order, each as soon as it and those before it are there. Raises WorkerLost."""
    given = list(tasks)
    number = {id(task): i for i, task in enumerate(given)}
    came: dict[int, R] = {}
    at = 0
    for task, result in share(call, given):
        came[number[id(task)]] = result
        while at in came:
            yield came.pop(at)
            at += 1


@dataclass(frozen=True)
class Processes:
    """So many processes of this machine; one works here, in order."""

    workers: int = 1

    def __call__(self, call: Callable[[T], R], tasks: Iterable[T], /) -> Iterator[tuple[T, R]]:
        given, workers = list(tasks), self.workers
        if workers <= 1 or len(given) <= 1:
            for task in given:
                yield task, call(task)
            return
        os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")
        pool = ProcessPoolExecutor(min(workers, len(given)), initializer=_begin)
        try:
            waiting, at = dict[Future[R], T](), 0
            while waiting or at < len(given):
                while at < len(given) and len(waiting) < workers * AHEAD:
                    waiting[pool.submit(call, given[at])] = given[at]
                    at += 1
                done, _ = wait(waiting, return_when=FIRST_COMPLETED)
                for future in done:
                    yield waiting.pop(future), future.result()
        except BrokenProcessPool:
            raise WorkerLost(
                "a process that was at work was ended from outside",
                advice="What is done is whole: run it again to go on.",
            ) from None
        finally:
            pool.shutdown(wait=True, cancel_futures=True)
