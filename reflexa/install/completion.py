"""Completion in shells: the scripts, and what stands for the values of options."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import click
from click.shell_completion import CompletionItem, get_completion_class

# Shell → where its script goes below a data folder.
SHELLS = {
    "bash": "bash-completion/completions/reflexa",
    "zsh": "zsh/site-functions/_reflexa",
    "fish": "fish/vendor_completions.d/reflexa.fish",
}


def script(shell: str) -> str:
    """The completion script of a shell."""
    from reflexa.cli import main

    kind = get_completion_class(shell)
    assert kind is not None
    return str(kind(main, {}, "reflexa", "_REFLEXA_COMPLETE").source())


class StepText(click.ParamType[str]):
    """``KIND[:setting=value,…]``; kinds, settings, choices, and joints of the first clip given are completed."""

    name = "step"

    def shell_complete(self, ctx: click.Context, param: click.Parameter, incomplete: str) -> list[CompletionItem]:
        from reflexa.steps import KINDS, describe

        kind, colon, rest = incomplete.partition(":")
        if not colon:
            return [CompletionItem(k, help=v.title) for k, v in KINDS.items() if k.startswith(kind)]
        if kind not in KINDS:
            return []
        before, _, last = rest.rpartition(",")
        front = f"{kind}:{before}," if before else f"{kind}:"
        settings = {s["name"]: s for s in describe(KINDS[kind])["settings"]}
        name, equals, value = last.partition("=")
        if not equals:
            return [
                CompletionItem(f"{front}{s}=", help=about["title"])
                for s, about in settings.items()
                if s.startswith(name)
            ]
        values = _values(settings.get(name, {}), ctx)
        return [CompletionItem(f"{front}{name}={v}") for v in values if v.startswith(value)]


def _values(about: dict[str, Any], ctx: click.Context) -> list[str]:
    if "choices" in about:
        return [str(c) for c in about["choices"]]
    if about.get("type") == "bool":
        return ["true", "false"]
    return _joints(ctx) if about.get("choose") in ("joint", "chain", "ends") else []


def _joints(ctx: click.Context) -> list[str]:
    """The joints of the first clip on the line, where it can be read."""
    from reflexa.errors import ReflexaError
    from reflexa.formats import read

    for given in (*(ctx.params.get("clips") or ()), *ctx.args):
        try:
            return list(read(Path(given)).rig.skeleton.names)
        except ReflexaError:
            continue
    return []
