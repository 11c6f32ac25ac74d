"""Every command, menu after menu."""

from __future__ import annotations

from collections.abc import Callable

from reflexa.desktop.actions import (
    edit,
    figure,
    help,
    judge,
    keys,
    layers,
    library,
    project,
    recipes,
    stage,
    take,
    time,
    view,
)
from reflexa.desktop.actions.desk import Command, Desk
from reflexa.desktop.actions.registry import Registry


def all_commands(every: Callable[[], Registry]) -> tuple[Command, ...]:
    """In the order in which menus stand, and commands in them. every: gives the list that they will be part of."""
    return (
        *project.commands(), *library.COMMANDS, *edit.COMMANDS, *keys.COMMANDS, *take.commands(), *recipes.COMMANDS,
        *layers.COMMANDS, *figure.COMMANDS, *stage.COMMANDS, *time.COMMANDS, *judge.COMMANDS, *view.COMMANDS,
        *help.commands(every),
    )  # fmt: skip


def commands_for(desk: Desk) -> Registry:
    """The list of commands that work on a desk."""

    def every() -> Registry:
        return registry

    registry = Registry(desk, all_commands(every))
    return registry
