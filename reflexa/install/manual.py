"""The manual page, made of what the commands say of themselves."""

from __future__ import annotations

import click

from reflexa import __version__

_SECTION = 1


def page() -> str:
    """``reflexa(1)`` as roff."""
    from reflexa.cli import main

    assert isinstance(main, click.Group)
    ctx = click.Context(main, info_name="reflexa")
    out = [
        f'.TH REFLEXA {_SECTION} "" "Reflexa {_plain(__version__)}" "User Commands"',
        ".SH NAME", "reflexa \\- revise skeletal animation clips",
        ".SH SYNOPSIS", ".B reflexa", "[PROJECT]", ".br", ".B reflexa", "COMMAND [ARGUMENTS]",
        ".SH DESCRIPTION", _plain(main.help or ""),
        "Without a command, the window is opened: with a project, with a copy of the demo (--demo), or with an empty one.",
        ".SH COMMANDS",
    ]  # fmt: skip
    for name in main.list_commands(ctx):
        command = main.get_command(ctx, name)
        if command is None or command.hidden:
            continue
        own = click.Context(command, info_name=name, parent=ctx)
        out += [
            f".SS {_plain(name)}",
            f".B reflexa {_plain(name)}",
            _plain(" ".join(command.collect_usage_pieces(own))),
            ".PP",
        ]
        out.append(_plain(command.help or ""))
        for param in command.get_params(own):
            record = param.get_help_record(own)
            if record is not None and record[1]:
                out += [".TP", f".B {_plain(record[0])}", _plain(record[1])]
        if command.epilog:
            out += [".PP", "Examples:", ".PP", ".nf", *(_plain(e) for e in examples(command.epilog)), ".fi"]
    out += [
        ".SH EXIT STATUS",
        "0 done; 1 something was found (check) or differs (diff); 2 wrong use; 3 unreadable or damaged input; 4 could not write.",
    ]
    return "\n".join(out) + "\n"


def examples(epilog: str) -> list[str]:
    """The lines of an epilog that are examples."""
    return [line.strip() for line in epilog.splitlines() if line.strip().startswith("reflexa")]


def _plain(text: str) -> str:
    """Text as roff has it: hyphens, backslashes, and lines that would begin a request."""
    lines = (" ".join(text.split()).replace("\\", "\\e").replace("-", "\\-")).splitlines() or [""]
    return "\n".join(f"\\&{line}" if line[:1] in (".", "'") else line for line in lines)
