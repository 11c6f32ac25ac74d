"""``reflexa thresholds``: the thresholds of findings, to be changed and given to ``check``."""

from __future__ import annotations

import click

from reflexa.checks.judging import thresholds

EXAMPLES = ("reflexa thresholds > thresholds.json",)


@click.command("thresholds")
def COMMAND() -> None:
    """Print the thresholds of all findings with their units and reasons, as a file that ``check --thresholds`` takes."""
    click.echo(thresholds.text({}), nl=False)
