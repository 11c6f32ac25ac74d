"""The group of commands. A command is a module of ``commands`` that has a ``COMMAND``; it is imported when it is run."""

from __future__ import annotations

import importlib
import pkgutil

import click

from reflexa import __version__
from reflexa.cli import commands


class _Commands(click.Group):
    """A first word that is no command is a project to open; no word at all opens the window."""

    def list_commands(self, ctx: click.Context) -> list[str]:
        return sorted(m.name.rstrip("_") for m in pkgutil.iter_modules(commands.__path__))

    def get_command(self, ctx: click.Context, cmd_name: str) -> click.Command | None:
        if cmd_name not in self.list_commands(ctx):
            return None
        # A name that Python keeps for itself has an underscore behind it.
        names = [m.name for m in pkgutil.iter_modules(commands.__path__) if m.name.rstrip("_") == cmd_name]
        found = importlib.import_module(f"{commands.__name__}.{names[0]}").COMMAND
        assert isinstance(found, click.Command)
        return found

    def parse_args(self, ctx: click.Context, args: list[str]) -> list[str]:
        known = self.list_commands(ctx)
        if not args or args[0] == "--demo" or (args[0] not in known and not args[0].startswith("-")):
            args = ["open", *args]
        return super().parse_args(ctx, args)


@click.group(cls=_Commands, context_settings={"help_option_names": ["-h", "--help"]})
@click.version_option(__version__, prog_name="reflexa")
def main() -> None:
    """Reflexa revises skeletal animation clips: mirror, correct, export; the source is never changed.

    `reflexa [PROJECT]` opens the window, `reflexa --demo` opens it with the demo project.
    """
