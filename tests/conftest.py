"""Shared pieces. Everything runs without network and without a monitor."""

from __future__ import annotations

import os
import shutil
import signal
import tempfile
from collections.abc import Iterator
from pathlib import Path

# What the application keeps for itself is kept for the tests alone, and cleared away at the end. The compiled loops, which cost
# the most, are in the user's cache already.
os.environ["REFLEXA_TESTS"] = tempfile.mkdtemp(prefix="reflexa-tests-")
os.environ["XDG_STATE_HOME"] = os.environ["REFLEXA_TESTS"] + "/state"
os.environ["XDG_CONFIG_HOME"] = os.environ["REFLEXA_TESTS"] + "/settings"
os.environ["XDG_DATA_HOME"] = os.environ["REFLEXA_TESTS"] + "/data"
os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")

import pytest

from reflexa.batch import digests
from reflexa.demo import clips, deckhand
from reflexa.draw import OwnContext, Renderer
from reflexa.library import folder_list, index, readers, worker
from reflexa.motion.clip import Clip
from reflexa.rig import Rig, analyse

# Whoever runs the tests in the background may have them ignore Ctrl-C, and what they start would as well.
signal.signal(signal.SIGINT, signal.default_int_handler)


def pytest_addoption(parser: pytest.Parser) -> None:
    parser.addoption("--long", action="store_true", help="Also what takes long: many seeds, kills, clusters.")


def pytest_collection_modifyitems(config: pytest.Config, items: list[pytest.Item]) -> None:
    if config.getoption("--long"):
        return
    long = [i for i in items if i.get_closest_marker("long")]
    config.hook.pytest_deselected(items=long)
    items[:] = [i for i in items if not i.get_closest_marker("long")]


def pytest_unconfigure() -> None:
    shutil.rmtree(os.environ["REFLEXA_TESTS"], ignore_errors=True)


@pytest.fixture(scope="session", autouse=True)
def _laid_down(tmp_path_factory: pytest.TempPathFactory) -> None:
    """What is laid down for a while, copies of the demo too, is cleared away with what else the tests write."""
    os.environ["TMPDIR"] = tempfile.tempdir = str(tmp_path_factory.mktemp("laid down"))


@pytest.fixture(autouse=True)
def _index(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """The index of the library, the list of them, and what is known of builds, are each test's own."""
    monkeypatch.setattr(digests, "kept_in", lambda: tmp_path / "own cache/digests")
    monkeypatch.setattr(index, "index_path", lambda: tmp_path / "own cache/library.sqlite")
    monkeypatch.setattr(folder_list, "folders_path", lambda: tmp_path / "own settings/shelves.json")


class _Here:
    """In the place of a process that reads files of library folders: the same, here."""

    def __init__(self, _module: str) -> None: ...

    def ask(self, path: Path, _patience: float) -> object:
        return worker.answer(path)

    def end(self) -> None: ...


@pytest.fixture(autouse=True)
def _library_read_here(request: pytest.FixtureRequest, monkeypatch: pytest.MonkeyPatch) -> None:
    """A process for every scan would cost more than all that it reads. Tests of these processes ask for ``apart``."""
    if "apart" not in request.fixturenames:
        monkeypatch.setattr(readers, "Process", _Here)


@pytest.fixture
def apart() -> None:
    """Library are read by processes of their own, as in use."""


@pytest.fixture(scope="session")
def deckhand_rig() -> Rig:
    return analyse(deckhand.skeleton())


@pytest.fixture(scope="session")
def deckhand_clips(deckhand_rig: Rig) -> dict[str, Clip]:
    return {c.name: c for c in clips.all_clips(deckhand_rig.skeleton)}


@pytest.fixture
def renderer() -> Iterator[Renderer]:
    """One with a context of its own, which is current."""
    own = OwnContext()
    with own.current() as made:
        yield made
    own.release()
