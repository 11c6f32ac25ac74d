"""Documents say what is: examples run, what is made is current, links lead somewhere."""

from __future__ import annotations

import importlib
import json
import re
from pathlib import Path

import numpy as np
import pytest

from reflexa.reference import reference
from reflexa.steps import KINDS, apply, make
from reflexa.steps import registry as steps
from reflexa.take.schema import schema
from tests.helpers import rigs
from tests.helpers.files import ROOT

DOCS = sorted([*ROOT.glob("*.md"), *(ROOT / "docs").glob("*.md")])


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


@pytest.mark.parametrize("path", DOCS, ids=lambda p: p.name)
def test_links_lead_somewhere(path: Path) -> None:
    for target in re.findall(r"\]\(([^)#]+)\)", path.read_text()):
        if "://" not in target:
            assert (path.parent / target).exists(), target


def test_every_command_of_run_is_told_of() -> None:
    said = re.search(r"usage: \./run ([^\"]*)", (ROOT / "run").read_text())[1].replace("…", "").split(" | ")
    told = "".join(p.read_text() for p in DOCS)
    assert [w for w in (s.strip() for s in said) if f"./run {w}" not in told] == []
