"""Work shared out over processes: one task after another in each, results as they come, nothing half done when it is stopped."""

from __future__ import annotations

import multiprocessing
import os
import signal
import sys
from collections import Counter
from collections.abc import Callable, Iterable, Iterator
from concurrent.futures import FIRST_COMPLETED, Future, ProcessPoolExecutor, wait
from concurrent.futures.process import BrokenProcessPool
from dataclasses import dataclass
from typing import Any, Protocol, TypeVar

from reflexa.errors import ReflexaError
from reflexa.motion import threads
from reflexa.processes import end_with_parent

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


def _begin(among: int) -> None:
    """What each of so many processes does first."""
    # Ctrl-C ends the one that gives out the work; a process finishes the file that it is at.
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    # Where one of them is lost the others are ended too: what they have begun to write is cleared away.
    signal.signal(signal.SIGTERM, lambda *_: sys.exit(1))
    threads.share_of_one(among)
    end_with_parent()


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


# A task that was at work so often when a process was ended is what ends them.
_TRIES = 3
# What every process needs, and is there once for all of them.
_PRELOADED = ["reflexa.batch.run", "reflexa.batch.build"]


@dataclass(frozen=True)
class Processes:
    """So many processes of this machine; one works here, in order. Where one of them is ended from outside, what it was at is
    taken up again; what ends them again and again is given up, and the rest goes on."""

    workers: int = 1

    def __call__(self, call: Callable[[T], R], tasks: Iterable[T], /) -> Iterator[tuple[T, R]]:
        given = list(tasks)
        wanted = list(given)
        if self.workers <= 1 or len(given) <= 1:
            for task in given:
                yield task, call(task)
            return
        left, suspects, tries = list(range(len(given))), list[int](), Counter[int]()
        while left or suspects:
            # Which of several ended a process is not known: those that may be it are tried one at a time.
            group, left = ([suspects.pop(0)], left) if suspects else (left, [])
            pool = _Pool(call, wanted, min(self.workers, len(group)))
            try:
                for i, result in pool.run(group):
                    yield given[i], result
            except BrokenProcessPool:
                left = [i for i in group if i in pool.waiting] + left
                for i in sorted(pool.at_work):
                    tries[i] += 1
                    again = getattr(given[i], "again", None)
                    wanted[i] = given[i] if again is None else again()
                    if tries[i] < _TRIES:
                        suspects.append(i)
                    else:
                        yield given[i], _given_up(given[i])
            finally:
                pool.close()


class _Pool:
    """Processes that tasks are given to by their numbers. waiting, at_work: tasks that no process has, and that one may be at."""

    def __init__(self, call: Callable[[Any], Any], tasks: list[Any], workers: int) -> None:
        os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")  # before the processes load what goes by it
        # Processes begin from one that has no threads: what is forked from one that has may wait for them for ever.
        context = multiprocessing.get_context("forkserver")
        context.set_forkserver_preload(_PRELOADED)
        self._pool = ProcessPoolExecutor(workers, context, _begin, (workers,))
        self._call, self._tasks, self._most = call, tasks, workers * AHEAD
        self.waiting: set[int] = set()
        self.at_work: set[int] = set()

    def run(self, numbers: list[int]) -> Iterator[tuple[int, Any]]:
        """What comes of tasks, as it comes. Raises BrokenProcessPool where a process is ended from outside."""
        ahead, under_way = iter(numbers), dict[Future[Any], int]()
        self.waiting = set(numbers)
        while self.waiting or under_way:
            while len(under_way) < self._most and (i := next(ahead, None)) is not None:
                self.waiting.discard(i)
                self.at_work.add(i)
                under_way[self._pool.submit(self._call, self._tasks[i])] = i
            done, _ = wait(under_way, return_when=FIRST_COMPLETED)
            for future in done:
                result = future.result()
                i = under_way.pop(future)
                self.at_work.discard(i)
                yield i, result

    def close(self) -> None:
        """Nothing more is begun; what is under way is waited for."""
        self._pool.shutdown(wait=True, cancel_futures=True)


def _given_up(task: Any) -> Any:
    """What comes of a task that ends whichever process is at it. Raises WorkerLost where the task has no word for it."""
    error = WorkerLost(
        f"{_TRIES} processes were ended from outside while working on it",
        advice="It may need more memory than there is. Finished results are complete.",
    )
    failed = getattr(task, "failed", None)
    if failed is None:
        raise error
    return failed(error)
