"""The command line, run as a function."""

from __future__ import annotations

from click.testing import CliRunner

from reflexa.cli import main


def run(*args: object) -> tuple[int, str, str]:
    """Exit status, standard output and standard error."""
    result = CliRunner().invoke(main, [str(a) for a in args])
    assert result.exception is None or isinstance(result.exception, SystemExit), result.exception
    return result.exit_code, result.stdout, result.stderr
