"""``reflexa relink``: sources of a project that were moved or renamed, found again."""

from __future__ import annotations

import json
import sys
from pathlib import Path
from typing import Any

import click

from reflexa.cli.options import Talk, shown_progress, stops, talking_json
from reflexa.errors import WriteError
from reflexa.library.folder_list import load_folders
from reflexa.project import lock, store
from reflexa.project.lock import Holder
from reflexa.project.moved import Elsewhere, gone, look_for
from reflexa.project.relink import relinked, said_to_differ, taken_in
from reflexa.project.store import Project, SourceFile

EXAMPLES = (
    "reflexa relink .",
    "reflexa relink . --look-in clips --use",
)


@click.command("relink")
@click.argument("project", type=click.Path(exists=True, file_okay=False, path_type=Path))
@click.option(
    "--look-in", "folders", metavar="DIR", multiple=True, type=click.Path(exists=True, file_okay=False, path_type=Path),
    help="Also look in this folder and below it (repeatable). The project's own folder and the library are always looked in.",
)  # fmt: skip
@click.option("--use", is_flag=True, help="Copy what was found, byte for byte, into the project, and save it.")
@talking_json
@stops
def COMMAND(project: Path, folders: tuple[Path, ...], use: bool, talk: Talk) -> None:
    """Look for missing sources of a project by their bytes and by their names. Exit status 1 where some stay missing.

    A file with the very same bytes can be used at once (--use). Of another file of the same name it is said what differs."""
    now = store.load(project)
    missing = gone(now, project)
    places = [project, *folders, *(f.folder for f in load_folders().folders)]
    with shown_progress("Looking for sources", talk) as progress:
        found = look_for(missing, places, progress) if missing else {}
    rows = [_row(now, s, found[s.file]) for s in missing]
    again = [s for s in missing if found[s.file].same is not None]
    if use and again:
        _use(project, now, again, found)
    if talk.as_json:
        click.echo(json.dumps({"missing": rows, "used": [s.file for s in again] if use else []}, ensure_ascii=False))
    else:
        for row in rows:
            click.echo(_said(row, use))
        if not rows:
            click.echo("Every source is there.")
    sys.exit(1 if len(again) < len(missing) or (again and not use) else 0)


def _row(project: Project, s: SourceFile, there: Elsewhere) -> dict[str, Any]:
    row: dict[str, Any] = {"file": s.file, "same": str(there.same or ""), "named": str(there.named or "")}
    if there.named is not None and there.same is None:
        row["differs"] = said_to_differ(project, s, there.named)
    return row


def _said(row: dict[str, Any], used: bool) -> str:
    if row["same"]:
        how = "was copied into the project" if used else "can be used with --use"
        return f"{row['file']}: the same file, byte for byte, is at {row['same']}; it {how}."
    if row["named"]:
        return f"{row['file']}: another file of this name is at {row['named']}. {row['differs']}"
    return f"{row['file']}: it is in none of the folders."


def _use(folder: Path, project: Project, again: list[SourceFile], found: dict[str, Elsewhere]) -> None:
    """Copy what was found into the project, and save it. Raises WriteError where somebody else has it open."""
    held = lock.take(folder)
    if isinstance(held, Holder):
        raise WriteError(f"is open already: {held.text}", folder, advice="Close it first.")
    try:
        before = store.state(folder)
        for s in again:
            path = found[s.file].same
            if path is not None:
                entry, document = taken_in(folder, s, path)
                project = relinked(project, s.file, entry, document)
        store.save(project, folder, before)
    finally:
        held.release()
