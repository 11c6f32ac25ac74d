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


# Bash takes a colon and an equals sign for the end of a word, and replaces what stands behind the last of them: the words are
# told apart here, by spaces alone, and what stands before the last of these signs is left out of what is put in.
_BASH = """\
_reflexa_completion() {
    local line="${COMP_LINE:0:COMP_POINT}" words response kind value current before
    read -ra words <<< "$line"
    [[ $line == *[[:space:]] ]] && words+=("")
    current="${words[-1]}"
    before="${current%"${current##*[:=]}"}"
    response=$(COMP_WORDS="$line" COMP_CWORD=$((${#words[@]} - 1)) _REFLEXA_COMPLETE=bash_complete "$1")
    COMPREPLY=()
    while IFS=, read -r kind value; do
        case "$kind" in
            dir) compopt -o dirnames ;;
            file) compopt -o default ;;
            plain)
                [[ $value == *= ]] && compopt -o nospace
                COMPREPLY+=("${value#"$before"}") ;;
        esac
    done <<< "$response"
}
complete -o nosort -F _reflexa_completion reflexa
"""

# A setting goes on behind its equals sign: no space is put there, which the script that comes with click would do.
_ZSH = """\
#compdef reflexa
_reflexa_completion() {
    local -a response whole shown begun begun_shown
    local kind value help
    response=("${(@f)$(COMP_WORDS="${words[*]}" COMP_CWORD=$((CURRENT-1)) _REFLEXA_COMPLETE=zsh_complete $words[1])}")
    for kind value help in $response; do
        value="${value//\\\\:/:}"
        [[ $help == _ ]] && help="$value" || help="$value  $help"
        case "$kind" in
            dir) _path_files -/ ;;
            file) _path_files -f ;;
            plain)
                if [[ $value == *= ]]; then begun+=("$value"); begun_shown+=("$help")
                else whole+=("$value"); shown+=("$help"); fi ;;
        esac
    done
    (( $#whole )) && compadd -l -U -V words -d shown -a whole
    (( $#begun )) && compadd -l -U -V settings -S '' -d begun_shown -a begun
}
if [[ $zsh_eval_context[-1] == loadautofunc ]]; then
    _reflexa_completion "$@"
else
    compdef _reflexa_completion reflexa
fi
"""
_OWN = {"bash": _BASH, "zsh": _ZSH}


def script(shell: str) -> str:
    """The completion script of a shell."""
    if shell in _OWN:
        return _OWN[shell]
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
