"""Work given to a Dask scheduler: one that is there, or one that is started here for the while.

Bundles of files are scattered: each reaches a worker once, and is let go of when no task needs it any more. A task whose worker,
or whose files, were lost with one is sent again. What comes back is checked by digest before it is written.
"""

from __future__ import annotations

import hashlib
import importlib
import logging
import os
import time
import uuid
from collections import Counter, deque
from collections.abc import Callable, Iterable, Iterator
from contextlib import AbstractContextManager, ExitStack, suppress
from pathlib import Path
from types import TracebackType
from typing import Any, TypeVar, cast

from reflexa.batch.pool import AHEAD, WorkerLost
from reflexa.batch.travel import Answer, Bundle, Sent, Travelling, bundle, do, fingerprint, moved
from reflexa.errors import ReflexaError
from reflexa.formats.files import write_together
from reflexa.output.write import free

T = TypeVar("T")
R = TypeVar("R")
LOCAL = "local:"
# How long a scheduler may take to answer, and how long a cluster may be without a worker, seconds.
_ANSWERS, _ALONE = 7.0, 60.0
# A task is sent so often before it is given up: it may be what ends its workers.
_TRIES = 4


class ClusterError(ReflexaError):
    """A cluster that cannot be used."""

    exit_status = 4


class Cluster(AbstractContextManager["Cluster"]):
    """A way to share work out (``pool.Share``) over the workers of a scheduler, for tasks that travel.

    address: of a scheduler, or ``local:N``. say: told in words what a person should know. Entering it raises ClusterError.
    """

    def __init__(self, address: str, say: Callable[[str], object]) -> None:
        self._address, self._say = address, say
        self._open = ExitStack()
        self._client: Any = None
        self._refused: set[str] = set()
        self._run = uuid.uuid4().hex[:12]

    # Coming and going -------------------------------------------------------------------------------------------

    def __enter__(self) -> Cluster:
        try:
            distributed, dask = importlib.import_module("distributed"), importlib.import_module("dask")
        except ImportError:
            raise ClusterError(
                "needs the packages dask and distributed", place="--cluster",
                advice='Install Reflexa with its extra: pip install "reflexa[cluster]".',
            ) from None  # fmt: skip
        logging.getLogger("distributed").setLevel(logging.CRITICAL)  # what happens is said here, in words
        try:
            self._open.enter_context(
                dask.config.set(
                    {"distributed.comm.timeouts.connect": f"{_ANSWERS} s", "distributed.worker.daemon": False}
                )
            )
            address = self._address
            if address.startswith(LOCAL):
                address = self._open.enter_context(_local(address)).scheduler_address
            self._client = self._open.enter_context(_client(distributed, address))
            self._open.enter_context(self._client.as_current())
            self._meet()
        except BaseException:
            self._open.close()
            raise
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        with suppress(Exception):  # a scheduler that is gone cannot be told
            self._open.close()

    def _meet(self) -> None:
        """Ask every worker who it is; those of another version are refused."""
        end, own = time.monotonic() + _ANSWERS, fingerprint()
        while not self._workers() and time.monotonic() < end:
            time.sleep(0.1)
        told = self._client.run(fingerprint, on_error="return")
        others = 0
        for address, theirs in told.items():
            if getattr(theirs, "version", "") != own.version:
                self._refused.add(address)
                has = "no Reflexa installed" if isinstance(theirs, Exception) else _other(own, theirs)
                self._say(f"worker {address} is not used: it has {has}")
            elif theirs.bits != own.bits:
                others += 1
        if not told or len(self._refused) == len(told):
            raise ClusterError(
                "has no worker with this version of Reflexa" if told else "has no workers", self._address,
                advice="Start workers with: dask worker ADDRESS, in an environment with the same Reflexa.",
            )  # fmt: skip
        if others:
            self._say(
                f"{others} of {len(told)} workers have another processor or C library: results may differ from "
                "this machine in the last bits"
            )

    def _workers(self) -> list[str]:
        return [w for w in self._client.scheduler_info(n_workers=-1).get("workers", ()) if w not in self._refused]

    # Working ----------------------------------------------------------------------------------------------------

    def __call__(self, call: Callable[[T], R], tasks: Iterable[T], /) -> Iterator[tuple[T, R]]:
        waiting = deque((cast(Travelling, task), 0) for task in tasks)
        sending = _Sending(self._client, call, self._run)
        alone = time.monotonic()
        try:
            while waiting or sending.under_way:
                room = AHEAD * max(len(self._workers()), 1)
                while waiting and len(sending.under_way) < room:
                    task, tries = waiting.popleft()
                    try:
                        sending.send(task, tries, self._workers() if self._refused else None)
                    except ReflexaError as e:  # a file of it is not there
                        yield cast(T, task), task.failed(e)
                for task, tries, answer in sending.ended():
                    if answer is None or answer.other or not _is_whole(answer):
                        if tries + 1 >= _TRIES:
                            yield cast(T, task), task.failed(_given_up(tries + 1))
                        else:
                            self._meet_again(answer)
                            waiting.append((task, tries + 1))
                    else:
                        yield cast(T, task), _taken_in(task, answer)
                now = time.monotonic()
                alone = now if self._workers() else alone
                if now - alone > _ALONE:
                    raise WorkerLost("the cluster has lost all its workers", self._address, advice=_AGAIN)
        except Exception as e:
            # A client that has lost its scheduler says so in many ways.
            if isinstance(e, WorkerLost) or (self._client.status == "running" and not isinstance(e, OSError)):
                raise
            raise WorkerLost(f"the connection to the scheduler is lost ({e})", self._address, advice=_AGAIN) from None
        finally:
            sending.give_up()

    def _meet_again(self, answer: Answer | None) -> None:
        if answer is not None and answer.other:  # a worker came in between that has another version
            self._meet()


_AGAIN = "Finished results are complete. Run it again to continue; apply with --resume."


class _Sending:
    """Tasks that are under way, and the bundles that they need on the cluster."""

    def __init__(self, client: Any, call: Callable[[Any], Any], run: str) -> None:
        self._client, self._call, self._run = client, call, run
        self.under_way: dict[Any, tuple[Travelling, int, tuple[str, ...]]] = {}
        self._scattered: dict[str, Any] = {}
        self._needed: Counter[str] = Counter()
        # What files were when they were bundled: many tasks read the same.
        self._bundles: dict[tuple[Path, ...], str] = {}

    def send(self, task: Travelling, tries: int, workers: list[str] | None) -> None:
        digests = []
        for paths in task.reads():
            digest = self._bundles.get(paths, "")
            if digest not in self._scattered or self._scattered[digest].status in ("cancelled", "lost", "error"):
                made = bundle(paths)
                digest = self._bundles[paths] = made.digest
                self._scatter(made)
            digests.append(digest)
        self._needed.update(digests)
        sent = Sent(self._call, task, self._run, tuple(digests), fingerprint().version)
        future = self._client.submit(
            do, sent, *(self._scattered[d] for d in digests), pure=False, workers=workers, retries=0
        )
        self.under_way[future] = task, tries, tuple(digests)

    def _scatter(self, made: Bundle) -> None:
        if made.digest not in self._scattered or self._scattered[made.digest].status != "finished":
            name = f"reflexa-{made.digest}-{uuid.uuid4().hex[:8]}"
            self._scattered[made.digest] = self._client.scatter({name: made.data})[name]

    def ended(self) -> Iterator[tuple[Travelling, int, Answer | None]]:
        """Tasks that have ended, each with what came of it: None where its worker or its files were lost. Waits for one, but not
        for long. Raises OSError where the scheduler is gone, and whatever a task raised that it should not have."""
        distributed: Any = importlib.import_module("distributed")
        with suppress(TimeoutError, distributed.CancelledError):  # what was lost is looked at below, too
            distributed.wait(list(self.under_way), timeout=1.0, return_when="FIRST_COMPLETED")
        if self._client.status not in ("running", "connecting"):
            raise OSError("it does not answer any more")
        for future in [f for f in self.under_way if f.done()]:
            task, tries, digests = self.under_way.pop(future)
            answer: Answer | None = None
            if future.status == "finished":
                with suppress(distributed.CancelledError, TimeoutError):  # its worker went with what came of it
                    answer = future.result(timeout=60)
            elif future.status == "error":
                error = future.exception()
                if not isinstance(error, distributed.scheduler.KilledWorker | distributed.CancelledError | OSError):
                    raise error
            future.release()
            self._let_go(digests)
            yield task, tries, answer

    def _let_go(self, digests: Iterable[str]) -> None:
        self._needed.subtract(digests)
        for digest in digests:
            if self._needed[digest] <= 0 and len(self._scattered) > _KEPT:
                self._scattered.pop(digest, None)

    def give_up(self) -> None:
        """Nobody waits for them any more."""
        with suppress(Exception):
            self._client.cancel(list(self.under_way), force=True)
        self.under_way.clear()
        self._scattered.clear()


# So many bundles stay on the cluster for tasks to come.
_KEPT = 32


def _local(address: str) -> Any:
    text = address.removeprefix(LOCAL)
    if not text.isdigit() or not 1 <= int(text) <= 1024:
        raise ClusterError(f"{address!r} is not a number of workers", place="--cluster", advice="For example local:4.")
    os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")
    distributed: Any = importlib.import_module("distributed")
    return distributed.LocalCluster(
        n_workers=int(text), threads_per_worker=1, host="127.0.0.1", dashboard_address=None, memory_limit=0,
        silence_logs=40,
    )  # fmt: skip


def _client(distributed: Any, address: str) -> Any:
    try:
        return distributed.Client(address, timeout=_ANSWERS, set_as_default=False)
    except (OSError, TimeoutError, ValueError) as e:
        why = "no scheduler answers there" if not isinstance(e, ValueError) else "is not the address of a scheduler"
        raise ClusterError(
            why, address, advice="Start one with dask scheduler, or use local:N for workers on this machine."
        ) from None


def _other(own: Any, theirs: Any) -> str:
    return (
        f"another version of Reflexa ({theirs.computation})"
        if theirs.computation != own.computation
        else theirs.libraries
    )


def _given_up(tries: int) -> WorkerLost:
    return WorkerLost(
        f"{tries} workers were lost while working on it", advice="It may need more memory than they have."
    )


def _taken_in(task: Travelling, answer: Answer) -> Any:
    """Write what came back as one; what came of it, with the paths that it has here."""
    known = {os.path.abspath(p): p for paths in task.reads() for p in paths}
    files = {task.out / name: data for name, (_, data) in answer.files.items()}
    try:
        for path in files:
            free(path, task.overwrite, task.kept())
        write_together(files, task.overwrite)
    except ReflexaError as e:
        return task.failed(e)
    return moved(answer.result, lambda p: known.get(str(p), p))


def _is_whole(answer: Answer) -> bool:
    return all(hashlib.sha256(data).hexdigest() == digest for digest, data in answer.files.values())
