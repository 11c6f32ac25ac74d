"""Building from the window: what is due and why, built with progress, stopped, and gone on with."""

from __future__ import annotations

import shutil
from pathlib import Path

import pytest
from PySide6.QtWidgets import QApplication

from reflexa.desktop.dialogs.build import BuildDialog
from reflexa.desktop.window import MainWindow
from reflexa.project import store
from reflexa.project.store import Project, SourceFile
from reflexa.steps import make
from reflexa.take import Source, Take
from tests.helpers.files import DATA
from tests.helpers.hands import click
from tests.helpers.windows import dialog_of, ready

WALK = "humanoid3d_walk.bvh"


@pytest.fixture
def opened(empty: MainWindow, qtbot, tmp_path: Path) -> MainWindow:
    folder = tmp_path / "ferry"
    (folder / "sources").mkdir(parents=True)
    shutil.copy(DATA / WALK, folder / "sources" / WALK)
    source = Source(WALK, WALK[:-4])
    takes = (Take("Plain", source, id="p"), Take("Swapped", source, (make("mirror", "Swap"),), id="s"))
    store.save(Project("Ferry", (SourceFile(WALK),), takes), folder)
    empty.session.load(folder)
    ready(qtbot, empty)
    return empty


def texts(dialog: BuildDialog) -> list[str]:
    return [dialog.list.item(i).text() for i in range(dialog.list.count())]


def begun(window: MainWindow, qtbot) -> BuildDialog:
    window.commands.run("build")
    dialog = dialog_of(qtbot, window, BuildDialog)
    qtbot.waitUntil(lambda: dialog.todo is not None)
    return dialog


def test_what_is_due_is_built_and_then_it_is_not(opened: MainWindow, qtbot) -> None:
    dialog = begun(opened, qtbot)
    assert texts(dialog) == ["Plain — it has not been built yet", "Swapped — it has not been built yet"]
    click(dialog.go)
    qtbot.waitUntil(lambda: dialog.todo is None and not opened.session.work.busy)
    assert "2 of 2 built" in dialog.said.text() and all("built in" in t for t in texts(dialog))
    out = opened.session.folder / "build"
    assert {p.name for p in out.glob("*.glb")} == {"Plain.glb", "Swapped.glb"}
    dialog.look()
    qtbot.waitUntil(lambda: dialog.todo is not None)
    assert all("up to date" in t for t in texts(dialog)) and not dialog.go.isEnabled()
    (out / "Plain.glb").write_bytes(b"mine")
    dialog.look()
    qtbot.waitUntil(lambda: "not touched" in dialog.said.text())
    assert texts(dialog)[0] == "Plain — not touched: Plain.glb was changed by someone else"
    dialog.reject()


def test_a_build_that_is_stopped_is_gone_on_with(opened: MainWindow, qtbot) -> None:
    dialog = begun(opened, qtbot)
    dialog.start()
    dialog.reject()  # stops it
    qtbot.waitUntil(lambda: not opened.session.work.busy)
    assert dialog.isVisible() and "Stopped" in dialog.said.text()
    dialog.look()
    qtbot.waitUntil(lambda: dialog.todo is not None)
    if dialog.go.isEnabled():
        click(dialog.go)
        qtbot.waitUntil(lambda: dialog.todo is None and not opened.session.work.busy)
    assert len(list((opened.session.folder / "build").glob("*.glb"))) == 2
    dialog.reject()


def test_one_that_is_closed_at_once_is_told_nothing(opened: MainWindow, qtbot, raised: list[str]) -> None:
    opened.commands.run("build")
    opened.desk.dialog.close()
    qtbot.waitUntil(lambda: not opened.session.work.busy)
    QApplication.processEvents()
    assert not raised
