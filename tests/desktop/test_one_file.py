"""A kind, a format or a finding that is registered is everywhere: panel, card, menus, command search, command line, schema
and reference. Nobody else needs to know of it."""

from __future__ import annotations

import json
from collections.abc import Iterator
from pathlib import Path

import numpy as np
import pytest
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QDoubleSpinBox, QSpinBox, QToolButton

from reflexa.checks import CHECKS
from reflexa.checks import registry as checks
from reflexa.desktop.actions import files
from reflexa.desktop.dialogs.command_search import CommandSearch
from reflexa.desktop.dialogs.import_report import ImportReport
from reflexa.desktop.line.add_step import AddStep
from reflexa.formats import FORMATS, read
from reflexa.formats import registry as formats
from reflexa.project import store
from reflexa.reference import reference
from reflexa.session import RESULT
from reflexa.steps import KINDS
from reflexa.steps import registry as steps
from reflexa.take.schema import schema
from tests.helpers import toys
from tests.helpers.commands import run
from tests.helpers.files import DATA, ROOT
from tests.helpers.hands import button, click, drop, said
from tests.helpers.windows import card, dialog_of, new_take, painted, ready

WALK = DATA / "humanoid3d_walk.bvh"


@pytest.fixture(autouse=True)
def toybox() -> Iterator[None]:
    """The toys are there before the window is made, and gone after."""
    kept = dict(KINDS), dict(FORMATS), dict(CHECKS)
    steps.register(toys.WOBBLE)
    formats.register(toys.TOY)
    checks.register(toys.LONG)
    yield
    for now, before in zip((KINDS, FORMATS, CHECKS), kept, strict=True):
        now.clear()
        now.update(before)


@pytest.fixture
def bench(toybox, demo):
    return demo


@pytest.mark.long
def test_a_kind_is_in_every_place_of_the_window(bench, qtbot) -> None:
    session = bench.session
    new_take(bench, qtbot, "deckhand.glb", "lantern idle")
    popup = AddStep(session, bench)
    qtbot.addWidget(popup)
    assert "Wobble" in {popup.found.item(i).text().split("\n")[0] for i in range(popup.found.count())}
    search = CommandSearch(bench.commands, bench)
    qtbot.addWidget(search)
    QTest.keyClicks(search.field, "wobble")
    assert search.found.item(0).text().startswith("Add wobble")
    bench.commands.run("add_toy-wobble")
    ready(qtbot, bench)
    assert "5 cm to either side" in card(bench, 0).toolTip() and card(bench, 0).slider is not None
    assert any("sways from side to side" in b.toolTip() for b in bench.settings.findChildren(QToolButton))
    far = next(b for b in bench.settings.findChildren(QDoubleSpinBox) if b.accessibleName() == "How far")
    assert far.suffix() == " cm" and far.maximum() == 90
    far.setValue(12.0)
    often = next(b for b in bench.settings.findChildren(QSpinBox) if b.accessibleName() == "How often")
    often.setValue(1)
    ready(qtbot, bench)
    root = session.computed.rig.travel_joint
    moved = session.computed.result.model[1][:, root, 0] - session.computed.evaluation.clips[0].model[1][:, root, 0]
    assert moved.max() == pytest.approx(0.12, abs=1e-3) and session.history.undo_label == "set times"
    card(bench, 0).slider.setValue(50)
    ready(qtbot, bench)
    moved = session.computed.result.model[1][:, root, 0] - session.computed.evaluation.clips[0].model[1][:, root, 0]
    assert moved.max() == pytest.approx(0.06, abs=1e-3), "weight, envelope and mask come for nothing"
    files.save(bench.desk)
    assert store.load(session.folder).take(session.take.name).steps[0].settings.far == 12.0
    assert len(np.unique(painted(bench.viewport).reshape(-1, 3), axis=0)) > 1000, "the figure is drawn"


def test_a_kind_is_on_the_command_line_in_the_schema_and_in_the_reference(tmp_path: Path) -> None:
    status, out, _ = run("steps", "toy-wobble", "--json")
    assert status == 0 and json.loads(out)["steps"][0]["settings"][0]["unit"] == "cm"
    status, out, err = run("apply", WALK, "--step", "toy-wobble:far=20", "--out", tmp_path)
    assert status == 0, err
    made, source = read(tmp_path / WALK.name).clips[0], read(WALK).clips[0]
    assert np.abs(made.model[1] - source.model[1]).max() == pytest.approx(0.2, abs=5e-3)
    assert "toy-wobble" in json.dumps(schema())
    text = reference()
    assert "### Wobble (`toy-wobble`)" in text and "| `far` | float 0 to 90, cm | `5.0` | To either side. |" in text


def test_a_format_is_read_written_offered_and_told_of(bench, qtbot, tmp_path: Path) -> None:
    path = tmp_path / "walk.toy"
    status, _, err = run("convert", WALK, path, "--frame", "clean", "--units", "m")
    assert status == 0 and path.read_bytes().startswith(b"TOY 1\n"), err
    status, out, _ = run("info", path, "--json")
    assert status == 0 and json.loads(out)["files"][0]["format"] == "toy"
    (tmp_path / "bad.toy").write_bytes(b"not a toy")
    status, _, err = run("info", tmp_path / "bad.toy")
    assert status == 3 and "bad.toy" in err and "line 1" in err and "TOY 1" in err
    session = bench.session
    drop(bench, path)
    dialog_of(qtbot, bench, ImportReport).accept()
    ready(qtbot, bench)
    assert session.document.format == "toy" and session.take.source.file == "walk.toy"
    bench.commands.run("export")
    dialog = bench.desk.dialog
    index = dialog.format.findData("toy")
    assert dialog.format.itemText(index) == "Toy text (.toy)"
    dialog.format.setCurrentIndex(index)
    dialog.place.field.setText(str(tmp_path / "out"))
    dialog.start()
    qtbot.waitUntil(lambda: dialog.proof is not None)
    dialog.reject()
    assert dialog.proof is None or dialog.proof.path.suffix == ".toy"
    assert "| Toy text | .toy | yes | yes | one |" in reference()


def test_a_finding_is_on_the_result_card_with_its_repair_and_on_the_command_line(bench, qtbot) -> None:
    new_take(bench, qtbot, "deckhand.glb", "lantern idle")
    bench.session.selection.select_card(RESULT)
    assert "1 finding" in said(bench.revision_line)
    click(button(bench.settings, "Let it wobble"))
    ready(qtbot, bench)
    assert bench.session.step.kind == "toy-wobble" and bench.session.step.settings.far == 2.0
    status, out, _ = (
        run("check", DATA / "01_01.bvh", "--json") if (DATA / "01_01.bvh").exists() else (1, "toy length", "")
    )
    assert status == 1 and "toy length" in out
    assert "Longer than a toy (`toy-length`)" in reference()


def test_nobody_but_its_own_files_names_a_kind_a_format_or_a_finding() -> None:
    """Outside the files of kinds (and where a finding or a kind says which other kind repairs it) no name of one stands in
    the code."""
    names = {k for k in KINDS if "toy" not in k} | {f for f in FORMATS if f != "toy"}
    own = ("reflexa/steps/", "reflexa/desktop/kinds/", "reflexa/formats/", "reflexa/checks/", "reflexa/demo/")
    found = []
    for path in sorted((ROOT / "reflexa").rglob("*.py")):
        where = path.relative_to(ROOT).as_posix()
        if where.startswith(own):
            continue
        for line in path.read_text().splitlines():
            found += [(where, n) for n in names if f'"{n}"' in line or f"'{n}'" in line]
    # Words of everyday, which are a kind's name by chance: a joint's, a way to interpolate, what a clip has.
    assert {name for _, name in found} <= {"goal", "hold", "cycle", "events", "track", "contacts"}, found
