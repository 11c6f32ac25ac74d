"""The house itself: files of a size that can be read, no circles, functions that can be called, nothing that is exempted."""

from __future__ import annotations

import ast
import re
import tomllib
from functools import cache
from pathlib import Path

import pytest

from tests.helpers.files import ROOT

FILES = sorted(p for room in ("reflexa", "tests", "benchmarks", "docs") for p in (ROOT / room).rglob("*.py"))
CODE = [p for p in FILES if p.is_relative_to(ROOT / "reflexa")]
MOST_LINES, MOST_PARAMETERS = 400, 6


def name_of(path: Path) -> str:
    """The dotted name of a module."""
    parts = path.relative_to(ROOT).with_suffix("").parts
    return ".".join(parts[:-1] if parts[-1] == "__init__" else parts)


@cache
def parsed(path: Path) -> ast.Module:
    return ast.parse(path.read_text())


def test_no_file_is_longer_than_can_be_read() -> None:
    long = {str(p.relative_to(ROOT)): n for p in FILES if (n := len(p.read_text().splitlines())) > MOST_LINES}
    assert long == {}


def test_no_two_files_import_each_other_not_even_for_their_types() -> None:
    modules = {name_of(p): p for p in CODE}
    arrows: dict[str, set[str]] = {}
    for name, path in modules.items():
        arrows[name] = set()
        for node in ast.walk(parsed(path)):
            if isinstance(node, ast.ImportFrom) and node.module and node.level == 0:
                inside = {f"{node.module}.{a.name}" for a in node.names}
                found = {m for m in inside if m in modules}
                # A package's face is imported by those within it only for its own sake.
                arrows[name] |= found or ({node.module} if node.module in modules else set())
            elif isinstance(node, ast.Import):
                arrows[name] |= {a.name for a in node.names if a.name in modules}
        arrows[name].discard(name)
    done: set[str] = set()

    def visit(at: str, way: tuple[str, ...]) -> None:
        assert at not in way, " → ".join((*way[way.index(at) :], at))
        if at not in done:
            for other in sorted(arrows[at]):
                visit(other, (*way, at))
            done.add(at)

    for name in modules:
        visit(name, ())


@pytest.mark.parametrize("room", sorted({p.relative_to(ROOT / "reflexa").parts[0] for p in CODE}))
def test_no_function_takes_more_than_can_be_kept_in_mind(room: str) -> None:
    """More become values. (A command of the command line takes one parameter an option: click calls it, nobody else.)"""
    found = []
    for path in CODE:
        if path.relative_to(ROOT / "reflexa").parts[0] != room:
            continue
        for node in ast.walk(parsed(path)):
            if isinstance(node, ast.FunctionDef | ast.AsyncFunctionDef):
                args = [a.arg for a in (*node.args.posonlyargs, *node.args.args, *node.args.kwonlyargs)]
                count = len([a for a in args if a not in ("self", "cls")])
                if count > MOST_PARAMETERS and node.name != "COMMAND":
                    found.append(f"{path.relative_to(ROOT)}: {node.name} ({count})")
    assert found == []


def test_menus_do_not_hold_the_window() -> None:
    """A menu that runs a loop of its own stops whatever waits for the line behind it: `widgets.menus.show` does not."""
    held = [p.name for p in CODE if re.search(r"\bmenu\w*(\(.*\))?\.exec\(", p.read_text())]
    assert not held


def test_types_are_strict_and_no_module_is_exempted_as_a_whole() -> None:
    said = tomllib.loads((ROOT / "pyproject.toml").read_text())["tool"]["mypy"]
    assert said["strict"] is True and "exclude" not in said
    assert not any(o.get("ignore_errors") for o in said["overrides"])
    assert not [p for p in CODE if "# mypy: ignore-errors" in p.read_text()]
