"""Documents say what is: examples run, what is made is current, links lead somewhere."""

from __future__ import annotations

import doctest
import importlib
import json
import re
import shutil
from pathlib import Path

import numpy as np
import pytest

from reflexa import api_pages
from reflexa.demo import FOLDER
from reflexa.reference import reference
from reflexa.steps import KINDS, apply, make
from reflexa.steps import registry as steps
from reflexa.take.schema import schema
from tests.helpers import rigs
from tests.helpers.files import ROOT

DOCS = sorted([*ROOT.glob("*.md"), *(ROOT / "docs").rglob("*.md")])


def test_the_kind_of_step_in_the_documents_works_as_it_stands_there(tmp_path: Path, monkeypatch) -> None:
    text = (ROOT / "docs" / "extending.md").read_text()
    (code,) = re.findall(r"```python\n(.*?)```", text, re.DOTALL)
    assert len(code.splitlines()) < 60
    (tmp_path / "bob.py").write_text(code)
    monkeypatch.syspath_prepend(tmp_path)
    kept = dict(KINDS)
    try:
        steps.register(importlib.import_module("bob").KIND)
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
