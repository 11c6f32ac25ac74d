"""Work on other machines: a real scheduler and workers on loopback, and what becomes of it when they are killed."""

from __future__ import annotations

import contextlib
import os
import shutil
import signal
import socket
import subprocess
import sys
from collections.abc import Callable, Iterator
from pathlib import Path

import pytest

import reflexa
from reflexa.batch import travel
from reflexa.batch.build import build, plan
from reflexa.batch.cluster import Cluster, ClusterError
from reflexa.batch.pool import Processes, WorkerLost
from reflexa.batch.run import Done, FileJob, How
from reflexa.demo import FOLDER
from reflexa.errors import ReadError
from reflexa.formats import ReadOptions, WriteOptions
from reflexa.take.recipe import Recipe
from tests.helpers.commands import run
from tests.helpers.files import DATA

ROOT = Path(reflexa.__file__).parents[1]
Started = Callable[..., subprocess.Popen[bytes]]


def _start(*command: str, path: Path = ROOT) -> subprocess.Popen[bytes]:
    env = {**os.environ, "PYTHONPATH": str(path), "OPENBLAS_NUM_THREADS": "1"}
    quiet = subprocess.DEVNULL
    return subprocess.Popen(
        [sys.executable, "-m", "dask", *command], env=env, cwd=path, stdout=quiet, stderr=quiet, start_new_session=True
    )


def _free_port() -> int:
    with socket.socket() as s:
        s.bind(("127.0.0.1", 0))
        return int(s.getsockname()[1])


class Farm:
    """A scheduler, and workers that can be killed."""

    def __init__(self, folder: Path) -> None:
        port = _free_port()
        self.address, self._folder = f"tcp://127.0.0.1:{port}", folder
        self.scheduler = _start("scheduler", "--host", "127.0.0.1", "--port", str(port), "--no-dashboard")
        self.workers: list[subprocess.Popen[bytes]] = []

    def worker(self, path: Path = ROOT) -> subprocess.Popen[bytes]:
        local = self._folder / f"worker {len(self.workers)}"
        out = _start(
            "worker", self.address, "--nthreads", "1", "--no-dashboard", "--no-nanny", "--memory-limit", "0",
            "--local-directory", str(local), path=path,
        )  # fmt: skip
        self.workers.append(out)
        return out

    def ready(self, count: int) -> None:
        import distributed

        while True:  # the scheduler needs a second to listen
            with contextlib.suppress(OSError, TimeoutError), distributed.Client(self.address, timeout=5) as client:
                client.wait_for_workers(count, timeout=60)
                return

    def close(self) -> None:
        for process in (*self.workers, self.scheduler):
            kill(process)


def kill(process: subprocess.Popen[bytes]) -> None:
    with contextlib.suppress(ProcessLookupError):
        os.killpg(process.pid, signal.SIGKILL)
    process.wait()


@pytest.fixture
def farm(tmp_path: Path) -> Iterator[Farm]:
    out = Farm(tmp_path / "farm")
    try:
        yield out
    finally:
        out.close()


def bits(folder: Path) -> dict[str, bytes]:
    return {str(p.relative_to(folder)): p.read_bytes() for p in sorted(folder.rglob("*")) if p.is_file()}


def _demo(folder: Path) -> Path:
    return Path(shutil.copytree(FOLDER, folder / "ferry"))


@pytest.mark.long
def test_the_same_bits_on_a_cluster_and_one_of_its_workers_may_be_killed(farm: Farm, tmp_path: Path) -> None:
    for _ in range(2):
        farm.worker()
    files = [DATA / n for n in ("humanoid3d_walk.bvh", "humanoid3d_run.bvh", "RiggedSimple.gltf", "interp_mix.glb")]
    said = ["--step", "mirror", "--format", "glb", "--quiet"]
    assert run("apply", *files, *said, "--jobs", 1, "--out", tmp_path / "one")[0] == 0
    assert run("apply", *files, *said, "--jobs", 2, "--out", tmp_path / "two")[0] == 0
    project = _demo(tmp_path)
    assert run("build", project, "--out", tmp_path / "here", "--quiet")[0] == 0
    farm.ready(2)
    status, _, err = run("apply", *files, *said, "--cluster", farm.address, "--out", tmp_path / "far")
    assert status == 0 and bits(tmp_path / "one") == bits(tmp_path / "two") == bits(tmp_path / "far"), err
    # What is there is refused here as everywhere, and the sources are never written over.
    status, _, err = run("apply", *files, *said, "--cluster", farm.address, "--out", tmp_path / "far")
    assert status == 4 and "exists already" in err
    shutil.copy(files[0], tmp_path)
    inside = tmp_path / files[0].name
    status, _, err = run(
        "apply", inside, "--step", "mirror", "--cluster", farm.address, "--out", tmp_path, "--force", "--quiet"
    )
    assert status == 4 and "sources are never overwritten" in err and inside.read_bytes() == files[0].read_bytes()
    todo, killed = plan(project, tmp_path / "there"), False
    with Cluster(farm.address, print) as share:
        for _, made in build(todo, share):
            assert made.error is None
            if not killed:
                kill(farm.workers[0])
                killed = True
    assert bits(tmp_path / "there") == bits(tmp_path / "here") and len(bits(tmp_path / "there")) == 2 * 25 + 1


@pytest.mark.long
def test_a_scheduler_that_is_killed_costs_no_whole_file_and_the_next_run_ends_it(farm: Farm, tmp_path: Path) -> None:
    farm.worker()
    project = _demo(tmp_path)
    farm.ready(1)
    done = 0
    with pytest.raises(WorkerLost, match="Run it again") as lost, Cluster(farm.address, print) as share:
        for _ in build(plan(project, tmp_path / "out"), share):
            done += 1
            kill(farm.scheduler)
    assert lost.value.exit_status == 4 and 1 <= done < 25
    assert not list((tmp_path / "out").glob(".*")), "no part of a file is left"
    rest = plan(project, tmp_path / "out")
    assert len(rest.due) <= 25 - done
    assert all(made.error is None for _, made in build(rest, Processes(2)))
    assert run("build", project, "--out", tmp_path / "here", "--quiet")[0] == 0
    assert bits(tmp_path / "out") == bits(tmp_path / "here")


@pytest.mark.long
def test_workers_of_another_version_are_refused(farm: Farm, tmp_path: Path) -> None:
    other = tmp_path / "other/reflexa"
    shutil.copytree(ROOT / "reflexa", other, ignore=shutil.ignore_patterns("__pycache__", "demo"))
    (other / "batch/proof.py").write_text((other / "batch/proof.py").read_text() + "\n# another version\n")
    farm.worker(other.parent)
    farm.ready(1)
    with pytest.raises(ClusterError, match="no worker with this version"), Cluster(farm.address, print):
        pass
    farm.worker()
    farm.ready(2)
    walk = DATA / "humanoid3d_walk.bvh"
    status, _, err = run(
        "apply", walk, "--step", "mirror", "--cluster", farm.address, "--out", tmp_path / "out"
    )  # fmt: skip
    assert status == 0 and "is refused: it has another version" in err and (tmp_path / "out" / walk.name).exists()


@pytest.mark.long
def test_workers_started_here_and_schedulers_that_are_not_there(tmp_path: Path) -> None:
    walk = DATA / "humanoid3d_walk.bvh"
    said = ["apply", walk, tmp_path / "gone.bvh", "--step", "mirror", "--out", tmp_path / "out"]
    status, _, err = run(*said, "--cluster", "local:2")
    assert status == 3 and "gone.bvh" in err and (tmp_path / "out" / walk.name).exists()
    status, _, err = run(*said, "--cluster", f"tcp://127.0.0.1:{_free_port()}")
    assert status == 4 and "no scheduler answers there" in err and "dask scheduler" in err
    for bad, text in (("local:none", "not a number of workers"), ("nonsense://x", "not the address of a scheduler")):
        status, _, err = run(*said, "--cluster", bad)
        assert status == 4 and text in err, err


# What travels --------------------------------------------------------------------------------------------------


def test_a_task_done_in_a_strange_folder_is_the_task_at_home(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(travel.tempfile, "tempdir", str(tmp_path))
    walk, out = DATA / "humanoid3d_walk.bvh", tmp_path / "out"
    how = How(Recipe("none"), None, "", ReadOptions(), WriteOptions(), False)
    job = FileJob(walk, out, how)
    sent = [travel.bundle(paths) for paths in job.reads()]

    def send(call: Callable[[FileJob], Done], version: str = travel.fingerprint().version) -> travel.Answer:
        packed = travel.Sent(call, job, "run", tuple(b.digest for b in sent), version)
        return travel.do(packed, *(b.data for b in sent))

    def call(task: FileJob) -> Done:
        assert task.path != walk and task.path.read_bytes() == walk.read_bytes()
        (task.out / "a.txt").write_text("there")
        return Done(task.path, error=ReadError("is odd", task.path))

    answer = send(call)
    assert answer.result.path == walk and answer.result.error.path == str(walk) and not out.exists()
    assert [(n, data) for n, (_, data) in answer.files.items()] == [("a.txt", b"there")]
    assert send(call, "another").other == travel.fingerprint().version
    sent[0] = travel.Bundle("0" * 64, sent[0].data)
    with pytest.raises(ValueError, match="damaged"):
        send(call)
