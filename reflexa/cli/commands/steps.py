"""``reflexa steps``: the kinds of steps."""

from __future__ import annotations

import json

import click

from reflexa.cli.options import Talk, stops, talking_json
from reflexa.steps import KINDS, describe, kind_of

EXAMPLES = (
    "reflexa steps",
    "reflexa steps mirror",
    "reflexa steps --json",
)


@click.command("steps")
@click.argument("kind", required=False)
@talking_json
@stops
def COMMAND(kind: str | None, talk: Talk) -> None:
    """Every kind of step with its settings, units, ranges and defaults."""
    described = [describe(k) for k in ([kind_of(kind)] if kind else KINDS.values())]
    if talk.as_json:
        click.echo(json.dumps({"steps": described}, indent=2))
        return
    for k in described:
        click.echo(f"{k['kind']}: {k['help']}")
        for s in k["settings"]:
            limits = " to ".join(str(s[b]) for b in ("least", "most") if b in s)
            kind_text = " | ".join(s["choices"]) if "choices" in s else s["type"]
            unit = f" {s['unit']}" if "unit" in s else ""
            between = f" {limits}" if limits else ""
            click.echo(f"  {s['name']}: {kind_text}{between}{unit}, default {json.dumps(s['default'])}")
            click.echo(f"      {s['help']}")
