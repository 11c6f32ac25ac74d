"""``reflexa [PROJECT]``: the window."""

from __future__ import annotations

import signal
import sys
from pathlib import Path

import click

from reflexa.cli import display
from reflexa.cli.options import Talk, stops, talking

EXAMPLES = (
    "reflexa my-project",
    "reflexa --demo",
)


@click.command("open", hidden=True)
@click.argument("project", required=False, type=click.Path(path_type=Path))
@click.option("--demo", is_flag=True, help="Open a copy of the demo project.")
@talking
@stops
def COMMAND(project: Path | None, demo: bool, talk: Talk) -> None:
    """Open the window."""
    if not display.there():
        raise click.UsageError(
            "There is no display to open a window on. Every other command works without one; see --help."
        )
    from reflexa.desktop.app import run_window

    # What is edited is kept all along, and an exception would only come at the window's next turn.
    for number in (signal.SIGTERM, signal.SIGHUP):
        signal.signal(number, signal.SIG_DFL)
    sys.exit(run_window(project, demo))
