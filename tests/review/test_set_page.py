"""The page of a build in a real browser, from disk: every clip moves, and what changed is told in numbers."""

from __future__ import annotations

import shutil
from dataclasses import replace
from pathlib import Path

import msgspec
import pytest

from reflexa.project import store
from reflexa.review.set_page import Outcome, set_page
from tests.helpers.browser import Browser
from tests.helpers.commands import run
from tests.helpers.files import DATA

DEMO = DATA.parents[1] / "reflexa/demo/project"


@pytest.fixture(scope="module")
def built(tmp_path_factory) -> tuple[Path, Path, Path]:
    """A project of three takes that was built, changed, and built again: its folder, and the two reports."""
    folder = tmp_path_factory.mktemp("ferry") / "project"
    shutil.copytree(DEMO, folder)
    project = store.load(folder)
    kept = tuple(project.take(n) for n in ("Walk, chin up", "Haul, port side", "Walk on the spot"))
    store.save(replace(project, takes=kept), folder)
    first, second = folder.parent / "first.html", folder.parent / "second.html"
    status, _, err = run("build", folder, "--jobs", 1, "--report", first)
    assert status == 0, err
    project = store.load(folder)
    haul = project.take("Haul, port side")
    step = haul.steps[0]
    changed = replace(haul, steps=(msgspec.structs.replace(step, on=False), *haul.steps[1:]))
    store.save(replace(project, takes=tuple(changed if t.name == haul.name else t for t in project.takes)), folder)
    status, _, err = run("build", folder, "--jobs", 1, "--report", second)
    assert status == 0, err
    return folder, first, second


def show(window: Browser, path: Path) -> None:
    window.log("browser"), window.log("performance")
    window.open(path)
    window.wait("document.body.dataset.ready === '0'")


def test_figures_move_and_nothing_is_fetched(window: Browser, built) -> None:
    _, first, _ = built
    show(window, first)
    assert window.run("return document.querySelectorAll('article').length") == 3
    picture = "report.goTo(%s); await new Promise(r => setTimeout(r, 300)); return report.cells[0].canvas.toDataURL()"
    assert window.run(picture % 0.1) != window.run(picture % 0.5)
    assert window.run("return document.querySelector('small.new').textContent") == "new"
    assert window.log("browser") == []
    assert not [r for r in map(str, window.log("performance")) if '"url":"http' in r.replace(" ", "").replace("'", '"')]


def test_what_changed_is_told_in_numbers(window: Browser, built) -> None:
    _, _, second = built
    show(window, second)
    told = window.run(
        "return report.book.takes.map(t => [t.name, t.status, t.clips[0].changed.how, t.clips[0].changed.mm ?? 0])"
    )
    by = {name: (status, how, mm) for name, status, how, mm in told}
    assert by["Walk, chin up"] == ("up to date", "same", 0) and by["Walk on the spot"][1] == "same"
    status, how, mm = by["Haul, port side"]
    assert (status, how) == ("built", "changed") and mm > 1
    window.run("[...document.querySelectorAll('#filters button')].find(b => b.dataset.name === 'Changed').click()")
    assert window.run("return [...document.querySelectorAll('article h2')].map(h => h.textContent)") == [
        "Haul, port side"
    ]
    assert " mm " in window.run("return document.querySelector('small.changed').textContent")


def test_only_an_older_report_is_written_over(built, tmp_path: Path) -> None:
    folder, first, _ = built
    other = tmp_path / "mine.html"
    other.write_text("<p>mine</p>")
    status, _, err = run("build", folder, "--report", other)
    assert status == 4 and "exists already" in err and other.read_text() == "<p>mine</p>"
    shutil.copy(first, tmp_path / "again.html")
    assert run("build", folder, "--report", tmp_path / "again.html")[0] == 0
    assert run("build", folder, "--report", tmp_path / "again.html", "--dry-run")[0] == 2


def test_two_hundred_clips_stay_under_five_megabytes(built) -> None:
    folder, _, _ = built
    files = sorted((folder / "build").glob("*.glb"))
    evil = "</script><b>"
    outcomes = [Outcome(f"{evil} {i}", "built", "", (files[i % 3],), ("finding",) * 3) for i in range(200)]
    page = set_page("large", outcomes, {})
    assert len(page) < 5_000_000 and evil.encode() not in page.split(b'id="book"')[1].split(b"</script>")[0]


def test_a_file_that_is_gone_or_damaged_is_told(built, tmp_path: Path) -> None:
    bad = tmp_path / "bad.glb"
    bad.write_bytes(b"glTF no")
    page = set_page("x", [Outcome("a", "built", "", (bad, tmp_path / "gone.glb"), ())], {}).decode()
    assert "bad.glb" in page
