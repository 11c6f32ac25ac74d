"""The group of commands. A command is a module of ``commands`` that has a ``COMMAND``; it is imported when it is run."""

from __future__ import annotations

import contextlib
import difflib
import errno
import importlib
import io
import os
import pkgutil
import signal
import sys
import threading
from typing import Any

import click

from reflexa import __version__, plugins
from reflexa.cli import commands
from reflexa.errors import os_message


def _called(module: str) -> str:
    """The command of a module: a name that Python keeps for itself has an underscore behind it."""
    return module.rstrip("_").replace("_", "-")


# Names that commands had in older versions → those of today.
_OLDER = {"mend": "fix"}
# What the extra "window" brings: everything but windows and pictures works without.
_WINDOW = {"PySide6", "shiboken6", "moderngl", "pyqtgraph"}


class _Commands(click.Group):
    """A first word that is no command is a project to open; no word at all opens the window."""

    def list_commands(self, ctx: click.Context) -> list[str]:
        return sorted(_called(m.name) for m in pkgutil.iter_modules(commands.__path__))

    def get_command(self, ctx: click.Context, cmd_name: str) -> click.Command | None:
        if cmd_name not in self.list_commands(ctx):
            return None
        names = [m.name for m in pkgutil.iter_modules(commands.__path__) if _called(m.name) == cmd_name]
        module = importlib.import_module(f"{commands.__name__}.{names[0]}")
        found = module.COMMAND
        assert isinstance(found, click.Command)
        # Examples stand below the help of each.
        examples = "\n".join(f"  {e}" for e in getattr(module, "EXAMPLES", ()))
        found.epilog = f"\b\nExamples:\n{examples}"
        return found

    def parse_args(self, ctx: click.Context, args: list[str]) -> list[str]:
        if ctx.resilient_parsing:  # a shell asks how a line may go on
            return super().parse_args(ctx, args)
        if args and args[0] in _OLDER and not _is_there(args[0]):
            click.echo(
                f"note: the command {args[0]!r} is called {_OLDER[args[0]]!r} now; the older name still works", err=True
            )
            args = [_OLDER[args[0]], *args[1:]]
        known = self.list_commands(ctx)
        if args and args[0] not in known and not args[0].startswith("-") and not _is_there(args[0]):
            near = difflib.get_close_matches(args[0], known, 2)
            said = f" Did you mean {' or '.join(near)}?" if near else f" There are {', '.join(known)}."
            raise click.UsageError(f"{args[0]!r} is neither a command nor a project.{said}", ctx)
        if not args or args[0] == "--demo" or (args[0] not in known and not args[0].startswith("-")):
            args = ["open", *args]
        return super().parse_args(ctx, args)

    def main(self, *args: Any, **given: Any) -> Any:
        for stream in (sys.stdout, sys.stderr):
            # File names may hold bytes that are no text: they are written as they are.
            if isinstance(stream, io.TextIOWrapper):
                stream.reconfigure(errors="surrogateescape")
        return super().main(*args, **given)

    def invoke(self, ctx: click.Context) -> Any:
        _end_by_exceptions()
        try:
            out = super().invoke(ctx)
            for who, why in plugins.FAILED.items():
                click.echo(f"note: {who} is installed and cannot be used: {why}", err=True)
            sys.stdout.flush()
            return out
        except KeyboardInterrupt:
            click.echo("stopped: finished results are complete", err=True)
            sys.exit(130)
        except ValueError as e:
            if "null byte" not in str(e) and "null character" not in str(e):
                raise
            click.echo("error: a path contains a character that paths cannot contain", err=True)
            sys.exit(2)
        except OSError as e:
            if e.errno != errno.EPIPE:  # whoever reads no further knows that
                where = f"{e.filename}: " if e.filename is not None else ""
                click.echo(f"error: {where}{os_message(e)}", err=True)
            _give_up_output()
            sys.exit(4)
        except ModuleNotFoundError as e:
            package = (e.name or "").split(".")[0]
            if package not in _WINDOW:
                raise
            click.echo(
                f'error: this needs the package {package}, which is not installed: pip install "reflexa[window]"',
                err=True,
            )
            sys.exit(2)
        except RecursionError:
            click.echo("error: a value is nested too deeply to be read", err=True)
            sys.exit(2)


def _give_up_output() -> None:
    """What could not be written is not tried again at the end."""
    with contextlib.suppress(OSError, ValueError, io.UnsupportedOperation):
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())
    with contextlib.suppress(OSError):
        sys.stdout.close()


def _end_by_exceptions() -> None:
    """Let whoever ends the process from outside leave nothing half done: files that are being written are cleared away."""

    def end(number: int, _: object) -> None:
        sys.exit(128 + number)

    if threading.current_thread() is threading.main_thread():
        for number in (signal.SIGTERM, signal.SIGHUP):
            if signal.getsignal(number) is signal.SIG_DFL:
                signal.signal(number, end)


def _is_there(path: str) -> bool:
    try:
        return os.path.exists(path)
    except (OSError, ValueError):
        return False


@click.group(cls=_Commands, context_settings={"help_option_names": ["-h", "--help"]})
@click.version_option(__version__, prog_name="reflexa")
def main() -> None:
    """Reflexa revises skeletal animation clips: mirror, correct, export; the source is never changed.

    `reflexa [PROJECT]` opens the window, `reflexa --demo` opens it with the demo project. Examples in the help of each
    command work in a copy of the demo: `reflexa demo --copy ferry`, then `cd ferry`.
    """
