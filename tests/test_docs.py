"""Documents say what is: examples run, what is made is current, links lead somewhere."""

from __future__ import annotations

import doctest
import importlib
import json
import re
import shutil
from dataclasses import replace
from pathlib import Path
from types import ModuleType

import numpy as np
import pytest

from reflexa import api_pages
from reflexa.checks import Subject
from reflexa.demo import FOLDER
from reflexa.errors import ReadError
from reflexa.formats import WriteOptions
from reflexa.reference import reference
from reflexa.steps import KINDS, apply, from_plain, make
from reflexa.steps import registry as steps
from reflexa.take.schema import schema
from tests.helpers import rigs
from tests.helpers.files import ROOT

DOCS = sorted([*ROOT.glob("*.md"), *(ROOT / "docs").rglob("*.md")])


def written(n: int, name: str, folder: Path, monkeypatch) -> ModuleType:
    """A code block of the page on extending, as the module that it would be."""
    text = (ROOT / "docs" / "extending.md").read_text()
    code = re.findall(r"```python\n(.*?)```", text, re.DOTALL)[n]
    assert len(code.splitlines()) <= 60
    (folder / f"{name}.py").write_text(code)
    monkeypatch.syspath_prepend(folder)
    return importlib.import_module(name)


def test_the_finding_in_the_documents_works_as_it_stands_there(tmp_path: Path, monkeypatch) -> None:
    check = written(1, "adrift", tmp_path, monkeypatch).CHECK
    rig = rigs.rig(1)
    clip = rigs.clip(rig, 1, frames=61)
    far = np.array(clip.translations)
    far[30:, clip.skeleton.root_of(rig.travel_joint), 0] += 60.0
    (found,) = check.run(Subject(replace(clip, translations=far), rig))
    assert found.size > 59 and found.repair.kind == "root-motion" and not check.run(Subject(clip, rig))


def test_the_format_in_the_documents_works_as_it_stands_there(tmp_path: Path, monkeypatch) -> None:
    form = written(2, "sway", tmp_path, monkeypatch).FORMAT
    rig = rigs.rig(1)
    clip = rigs.clip(rig, 1, frames=5)
    file = tmp_path / "a.sway"
    file.write_bytes(form.encode([clip], rig, None, WriteOptions()))
    back = form.read(file)
    assert np.allclose(back.clips[0].model[1], form.read(file).clips[0].model[1]) and back.clips[0].rate == clip.rate
    assert np.allclose(back.clips[0].translations, clip.translations) and back.rig.skeleton.names == rig.skeleton.names
    for damage in (
        b"{",
        b"[]",
        b'{"rate": 30, "joints": [["a", -1, [0, 0, 0]]], "rotations": [], "translations": [[[0]]]}',
    ):
        file.write_bytes(damage)
        with pytest.raises(ReadError, match="sway"):
            form.read(file)


def test_every_example_of_a_list_setting_is_what_its_step_takes() -> None:
    text = (ROOT / "docs/guide/list-settings.md").read_text()
    rows = [line.strip("| ").split("|") for line in text.splitlines() if line.startswith("| `")]
    assert len(rows) >= 10
    for head, _, example in rows:
        for kinds, setting in re.findall(r"((?:`[a-z-]+`(?:, )?)+): `(\w+)`", head):
            for kind in re.findall(r"`([a-z-]+)`", kinds):
                assert from_plain({"kind": kind, "settings": {setting: json.loads(example.strip(" `"))}}).kind == kind


def test_the_kind_of_step_in_the_documents_works_as_it_stands_there(tmp_path: Path, monkeypatch) -> None:
    kept = dict(KINDS)
    try:
        steps.register(written(0, "bob", tmp_path, monkeypatch).KIND)
        rig = rigs.rig(1)
        clip = rigs.clip(rig, 1, frames=61)
        out = apply(make("bob", height=10.0, seconds=2.0), clip, rig)
        risen = out.model[1][:, 0, 1] - clip.model[1][:, 0, 1]
        assert np.ptp(risen) == pytest.approx(0.10, abs=1e-3)
    finally:
        KINDS.clear()
        KINDS.update(kept)


def test_what_is_made_of_the_code_is_current() -> None:
    assert (ROOT / "docs" / "reference.md").read_text() == reference(), "./run docs"
    assert json.loads((ROOT / "docs" / "recipe.schema.json").read_text()) == json.loads(json.dumps(schema())), (
        "./run docs"
    )


def test_pages_about_the_library_are_current_and_say_something_of_all_of_it() -> None:
    for name, text in api_pages.pages().items():
        assert (ROOT / "docs/api" / name).read_text() == text, "./run docs"
    for house in api_pages.PUBLIC:
        for module in api_pages.modules(house):
            bare = [n for n, thing in api_pages.members(module) if not (thing.__doc__ or "").strip()]
            assert bare == [], f"{module.__name__} does not say what {', '.join(bare)} is"


@pytest.mark.parametrize(
    "module", [m for h in api_pages.PUBLIC for m in api_pages.modules(h)], ids=lambda m: m.__name__
)
def test_examples_in_docstrings_come_to_what_they_say(module) -> None:
    assert doctest.testmod(module).failed == 0


def test_examples_of_the_library_run_from_top_to_bottom(tmp_path: Path, monkeypatch) -> None:
    for name in ("deckhand.glb", "ferrykeeper.glb"):
        shutil.copy(FOLDER / "sources" / name, tmp_path)
    monkeypatch.chdir(tmp_path)
    blocks = re.findall(r"```python\n(.*?)```", (ROOT / "docs/api/examples.md").read_text(), re.DOTALL)
    known: dict[str, object] = {}
    exec("\n".join(blocks), known)
    assert len(blocks) == 6 and known["there"].left_out == () and (tmp_path / "walk over.glb").exists()


@pytest.mark.parametrize("path", DOCS, ids=lambda p: p.name)
def test_links_lead_somewhere(path: Path) -> None:
    for target in re.findall(r"\]\(([^)#]+)\)", path.read_text()):
        if "://" not in target:
            assert (path.parent / target).exists(), target


def test_every_command_of_run_is_told_of() -> None:
    said = re.search(r"usage: \./run ([^\"]*)", (ROOT / "run").read_text())[1].replace("…", "").split(" | ")
    told = "".join(p.read_text() for p in DOCS)
    assert [w for w in (s.strip() for s in said) if f"./run {w}" not in told] == []
