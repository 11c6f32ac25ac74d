"""Several processes that read the files of library folders; what ends or hangs one of them costs that file alone."""

from __future__ import annotations

import queue
import threading
from collections.abc import Generator, Iterable
from pathlib import Path

from reflexa.errors import ReadError, ReflexaError
from reflexa.library.facts import FileFacts
from reflexa.processes import Ended, Process

# Nobody waits longer for one file, seconds.
PATIENCE = 60.0


def read_all(paths: Iterable[Path], workers: int) -> Generator[tuple[Path, FileFacts | ReflexaError], None, None]:
    """Facts of files as they come, in no order. Ends its processes when it is done, or given up."""
    wanted: queue.SimpleQueue[Path | None] = queue.SimpleQueue()
    made: queue.Queue[tuple[Path, FileFacts | ReflexaError]] = queue.Queue()
    count = 0
    for path in paths:
        wanted.put(path)
        count += 1
    workers = max(1, min(workers, count))
    for _ in range(workers):
        wanted.put(None)
    stopped = threading.Event()
    processes = [Process("reflexa.library.worker") for _ in range(workers)]

    def run(process: Process) -> None:
        while not stopped.is_set() and (path := wanted.get()) is not None:
            made.put((path, _asked(process, path)))
        process.end()

    threads = [threading.Thread(target=run, args=(p,), daemon=True) for p in processes]
    for thread in threads:
        thread.start()
    try:
        for _ in range(count):
            yield made.get()
    finally:
        stopped.set()


def _asked(process: Process, path: Path) -> FileFacts | ReflexaError:
    try:
        answer: FileFacts | ReflexaError = process.ask(path, PATIENCE)
        return answer
    except TimeoutError:
        return ReadError(f"could not be read within {PATIENCE:.0f} s", path)
    except Ended:
        return ReadError("crashed its reader: it is damaged", path)
