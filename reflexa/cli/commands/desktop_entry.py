"""``reflexa desktop-entry``: Reflexa among the programs of the desktop."""

from __future__ import annotations

import shutil
import subprocess
from pathlib import Path

import click

from reflexa.cli.options import Talk, stops, talking
from reflexa.errors import WriteError
from reflexa.formats.files import write_bytes

EXAMPLES = (
    "reflexa desktop-entry --install",
    "reflexa desktop-entry --remove",
    "reflexa desktop-entry --install --to /usr/share",
)
# Tools that tell the desktop of what is new, where they are there, each with the folder that it looks at.
_TOLD = (("update-desktop-database", "applications"), ("update-mime-database", "mime"))


@click.command("desktop-entry")
@click.option("--install", "what", flag_value="install", help="Install the desktop entry.")
@click.option("--remove", "what", flag_value="remove", help="Remove the desktop entry.")
@click.option(
    "--to",
    "to",
    metavar="DIR",
    type=click.Path(path_type=Path),
    help="The data folder. Default: ~/.local/share.",
)
@talking
@stops
def COMMAND(what: str | None, to: Path | None, talk: Talk) -> None:
    """Put Reflexa among the programs of the desktop, for this user: its entry, icon, metainfo, the kinds of its documents, the
    manual page, and completion for bash, zsh and fish. Without --install or --remove, says what would be written."""
    from platformdirs import user_data_path

    from reflexa.install.files import all_files, own_command

    root = to if to is not None else user_data_path()
    files = all_files(own_command())
    for name, text in files.items():
        path = root / name
        if what == "install":
            write_bytes(path, text.encode(), overwrite=True)
        elif what == "remove":
            try:
                path.unlink(missing_ok=True)
            except OSError as e:
                raise WriteError(f"cannot be removed: {e.strerror}", path) from None
        if not talk.quiet:
            click.echo(str(path), err=what is not None)
    if what is not None:
        _tell(root)


def _tell(root: Path) -> None:
    """Let the desktop know; where its tools are not there, it finds out by itself in time."""
    for tool, folder in _TOLD:
        if (found := shutil.which(tool)) and (root / folder).is_dir():
            subprocess.run([found, str(root / folder)], check=False, capture_output=True, timeout=60)
