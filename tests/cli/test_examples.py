"""Every example that a command's help shows does what it says, in a copy of the demo."""

from __future__ import annotations

import glob
import importlib
import json
import pkgutil
import shlex
from pathlib import Path

import pytest

from reflexa.cli import commands
from tests.helpers.commands import run

# They change the user's desktop, or open a window.
_NOT_HERE = {"desktop_entry", "open"}
EXAMPLES = [
    example
    for module in pkgutil.iter_modules(commands.__path__)
    if module.name not in _NOT_HERE
    for example in importlib.import_module(f"{commands.__name__}.{module.name}").EXAMPLES
]


@pytest.fixture(scope="module")
def ferry(tmp_path_factory: pytest.TempPathFactory) -> Path:
    folder = tmp_path_factory.mktemp("try") / "ferry"
    status, out, _ = run("demo", "--copy", folder, "--json")
    assert status == 0 and "lean.recipe.json" in json.loads(out)["holds"]
    assert run("demo", "--copy", folder)[0] == 4, "nothing is written over"
    return folder


@pytest.mark.parametrize("example", EXAMPLES)
def test_an_example_runs_as_printed(example: str, ferry: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.chdir(ferry)
    words = shlex.split(example.partition(" > ")[0])
    given = [f for w in words[1:] for f in (sorted(glob.glob(w)) if "*" in w else [w])]
    status, out, err = run(*given)
    assert status in ((0, 1) if words[1] in ("check", "diff") else (0,)), err
    if "--json" in words:
        assert json.loads(out) is not None
    elif words[1] not in ("diff", "check") and "search" not in words:  # there may be nothing to say
        assert out.strip(), "what came of it stands on standard output"
