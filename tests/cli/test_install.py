"""Installed like any program: what is put among the programs of a desktop, the manual page, and completion."""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
from configparser import ConfigParser
from pathlib import Path
from xml.etree import ElementTree as Xml

import click
import pytest

from reflexa.cli import main
from reflexa.install.completion import script
from reflexa.install.files import DOCUMENTS, ID
from tests.helpers.commands import run
from tests.helpers.files import DATA, ROOT


def test_everything_is_put_in_its_place_and_taken_away(tmp_path: Path) -> None:
    status, out, _ = run("desktop-entry", "--to", tmp_path)
    assert status == 0 and len(out.split()) >= 8 and not list(tmp_path.iterdir()), "without a word nothing is written"
    assert run("desktop-entry", "--install", "--to", tmp_path, "--quiet")[0] == 0
    entry = ConfigParser(interpolation=None, strict=False)
    entry.read(tmp_path / f"applications/{ID}.desktop")
    told = entry["Desktop Entry"]
    assert told["type"] == "Application" and "reflexa" in told["exec"] and told["exec"].endswith("%f")
    assert told["icon"] == ID and (tmp_path / f"icons/hicolor/scalable/apps/{ID}.svg").read_text().startswith("<svg")
    globs = [
        g.get("pattern") for g in Xml.parse(tmp_path / f"mime/packages/{ID}.xml").iter() if g.tag.endswith("}glob")
    ]
    assert globs == [f"*{suffix}" for _, _, suffix in DOCUMENTS]
    assert run("desktop-entry", "--remove", "--to", tmp_path, "--quiet")[0] == 0
    assert not [p for p in tmp_path.rglob("*") if p.is_file() and "reflexa" in p.name.lower()]


@pytest.mark.skipif(not shutil.which("appstreamcli"), reason="needs appstreamcli (Debian: appstream)")
def test_the_metainfo_is_valid(tmp_path: Path) -> None:
    run("desktop-entry", "--install", "--to", tmp_path, "--quiet")
    done = subprocess.run(
        ["appstreamcli", "validate", "--no-net", str(tmp_path / f"metainfo/{ID}.metainfo.xml")],
        capture_output=True,
        text=True,
    )
    assert done.returncode == 0, done.stdout


@pytest.mark.skipif(not shutil.which("desktop-file-validate"), reason="needs desktop-file-validate")
def test_the_desktop_entry_is_valid(tmp_path: Path) -> None:
    run("desktop-entry", "--install", "--to", tmp_path, "--quiet")
    done = subprocess.run(
        ["desktop-file-validate", str(tmp_path / f"applications/{ID}.desktop")], capture_output=True, text=True
    )
    assert done.returncode == 0, done.stdout


def test_the_manual_page_speaks_of_every_command_with_examples(tmp_path: Path) -> None:
    run("desktop-entry", "--install", "--to", tmp_path, "--quiet")
    page = (tmp_path / "man/man1/reflexa.1").read_text()
    assert isinstance(main, click.Group)
    ctx = click.Context(main, info_name="reflexa")
    for name in main.list_commands(ctx):
        command = main.get_command(ctx, name)
        assert command is not None and "Examples:" in (command.epilog or "") and "reflexa " in (command.epilog or ""), (
            name
        )
        if not command.hidden:
            assert f".SS {name.replace('-', chr(92) + '-')}" in page
    if shutil.which("man"):
        shown = subprocess.run(["man", "-l", str(tmp_path / "man/man1/reflexa.1")], capture_output=True, text=True, env={
            **os.environ, "MANWIDTH": "100", "LC_ALL": "C.UTF-8",
        })  # fmt: skip
        assert "revise skeletal animation clips" in shown.stdout and "warning" not in shown.stderr.lower()


def _completed(*words: str) -> list[str]:
    env = {
        **os.environ, "PYTHONPATH": str(ROOT), "_REFLEXA_COMPLETE": "bash_complete",
        "COMP_WORDS": " ".join(("reflexa", *words)), "COMP_CWORD": str(len(words)),
    }  # fmt: skip
    code = "from reflexa.cli import main; main(prog_name='reflexa')"
    done = subprocess.run([sys.executable, "-c", code], env=env, capture_output=True, text=True)
    return [line.partition(",")[2] for line in done.stdout.splitlines()]


def test_shells_complete_commands_kinds_settings_and_joints() -> None:
    assert {"apply", "build", "desktop-entry"} <= set(_completed(""))
    assert "mirror" in _completed("apply", "--step", "mi")
    assert "mirror:plane=" in _completed("apply", "--step", "mirror:pl")
    assert _completed("apply", "--step", "mirror:plane=w") == ["mirror:plane=world"]
    walk = str(DATA / "humanoid3d_walk.bvh")
    joints = _completed("apply", walk, "--step", "reach:joint=left_")
    assert joints and all(j.startswith("reach:joint=left_") for j in joints)


LINES = [
    ("reflexa apply --step mirr", "mirror"),
    ("reflexa apply --step mirror:pl", "plane="),
    ("reflexa apply --step mirror:plane=w", "world"),
    ("reflexa desk", "desktop-entry"),
]


@pytest.fixture
def command(tmp_path: Path) -> Path:
    """The application as a command in the test's own folder, beside the completion scripts."""
    (tmp_path / "reflexa.bash").write_text(script("bash"))
    (tmp_path / "_reflexa").write_text(script("zsh"))
    command = tmp_path / "reflexa"
    called = "import sys; from reflexa.cli import main; main(prog_name='reflexa')"
    command.write_text(f'#!/bin/sh\nPYTHONPATH="{ROOT}" exec "{sys.executable}" -c "{called}" "$@"\n')
    command.chmod(0o755)
    return command


@pytest.mark.parametrize(
    ("line", "becomes"), [*LINES[:2], *(pytest.param(*x, marks=pytest.mark.long) for x in LINES[2:])]
)
def test_bash_completes_what_is_typed(line: str, becomes: str, command: Path) -> None:
    """Bash puts in what stands behind the last colon or equals sign (its manual, COMP_WORDBREAKS)."""
    said = f"source reflexa.bash; COMP_LINE='{line}'; COMP_POINT={len(line)}; _reflexa_completion {command}"
    done = subprocess.run(
        ["bash", "-c", said + """; printf '%s\\n' "${COMPREPLY[@]}" """],
        capture_output=True, text=True, cwd=command.parent,
    )  # fmt: skip
    assert done.stdout.split() == [becomes], done.stderr


# A zsh behind a terminal of its own (its manual, zsh/zpty): the line is typed, Tab pressed, and what stands there then printed.
_TYPED = r"""
zmodload zsh/zpty
zpty shell zsh -f -i
zpty -w shell "path=($1 \$path); fpath=($1 \$fpath); autoload -U compinit; compinit -u -D"
zpty -w shell 'shown() { print -r -- "<<$BUFFER>>"; zle kill-whole-line }; zle -N shown; bindkey "^X" shown; print rea""dy'
zpty -r -m shell out '*ready*'
zpty -w -n shell "$2"$'\t\x18'
zpty -r -m shell out '*\<\<*\>\>*'
print -r -- $out
zpty -d shell
"""


@pytest.mark.skipif(shutil.which("zsh") is None, reason="no zsh here")
@pytest.mark.parametrize(
    ("line", "becomes"), [LINES[1], *(pytest.param(*x, marks=pytest.mark.long) for x in (*LINES[:1], *LINES[2:]))]
)
def test_zsh_completes_what_is_typed(line: str, becomes: str, command: Path) -> None:
    done = subprocess.run(
        ["zsh", "-f", "-c", _TYPED, "-", command.parent, line], capture_output=True, text=True, cwd=command.parent
    )
    typed = done.stdout.rpartition("<<")[2].partition(">>")[0]
    whole = line[: max(line.rfind(c) for c in " :=") + 1] + becomes
    assert typed == (whole if whole.endswith("=") else whole + " "), done.stdout + done.stderr
