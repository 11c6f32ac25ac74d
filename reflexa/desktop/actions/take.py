"""The Take menu: the take, its steps, and which card is selected."""

from __future__ import annotations

from functools import partial

from reflexa.desktop.actions import conditions as needs
from reflexa.desktop.actions.desk import Command, Desk
from reflexa.desktop.dialogs.between import Between
from reflexa.desktop.dialogs.variations import Variations
from reflexa.desktop.kinds import view_of
from reflexa.errors import ReflexaError
from reflexa.session import line, takes, variations
from reflexa.steps import KINDS
from reflexa.take import Take
from reflexa.take.families import between

_FAMILY = "Take/1/Variations"


def _add(kind: str, d: Desk) -> None:
    line.add(d.session, kind)


def _toggle(d: Desk) -> None:
    step = d.session.step
    if step is not None:
        line.switch(d.session, step.id, not step.on)


def _lock(d: Desk) -> None:
    step = d.session.step
    if step is not None:
        line.set_locked(d.session, step.id, not step.locked)


def _paint(d: Desk) -> None:
    d.session.selection.set_painting(not d.session.selection.painting)


def _move(d: Desk, by: int) -> None:
    line.move(d.session, d.session.selection.card, d.session.index + by)


def _select_card(d: Desk, by: int) -> None:
    order, card = line.cards(d.session), d.session.selection.card
    at = order.index(card) if card in order else 0
    d.session.selection.select_card(order[max(0, min(len(order) - 1, at + by))])


def _is_not_first(d: Desk) -> str:
    return needs.step(d) or ("" if d.session.index > 0 else "it is the first step")


def _is_not_last(d: Desk) -> str:
    take = d.session.take
    return needs.step(d) or ("" if take and d.session.index < len(take.steps) - 1 else "it is the last step")


def _are_several(d: Desk) -> str:
    return "" if len(d.clip_panel.chosen()) > 1 else "select at least two clips in the Clips view"


def _has_steps(d: Desk) -> str:
    take = d.session.take
    return needs.take(d) or ("" if take and take.steps else "the take has no step whose settings could vary")


def _variations(d: Desk) -> None:
    take, line_ = d.session.take, d.session.computed.settled
    if take is None or line_ is None:
        d.say("The take is still being computed. Try again in a moment.")
        return
    d.show(Variations(d.session, take, line_, d.window))


def _parent_of(d: Desk) -> str:
    """Why the open take cannot be detached: it follows none."""
    take = d.session.take
    return needs.take(d) or (
        "" if take is not None and take.varies is not None else "this take is not a variation of another"
    )


def _open_parent(d: Desk) -> None:
    parent = variations.parent_of(d.session, d.session.take) if d.session.take is not None else None
    if parent is not None:
        d.session.open_take(parent.name)


def _pair(d: Desk) -> tuple[Take, Take, Take] | None:
    return variations.pair_of(d.session, d.clip_panel.takes.chosen())


def _is_pair(d: Desk) -> str:
    return "" if _pair(d) is not None else "select two variations of one take in the list of takes"


def _between(d: Desk) -> None:
    """They are computed of the source that the open take begins with, so one of them is opened."""
    family, line_ = _pair(d), d.session.computed.settled
    if family is None:
        return
    if line_ is None or d.session.take is None or d.session.take.source != family[0].source:
        d.say("Open one of the two first: the variation is shown on its clip.")
        return
    try:
        between(*family, 0.5)
    except ReflexaError as e:
        d.say(f"{e.reason}. {e.advice}")
        return
    d.show(Between(d.session, family, line_, d.window))


def _is_alone(d: Desk) -> bool:
    return d.session.step is not None and d.session.selection.solo == d.session.step.id


def commands() -> tuple[Command, ...]:
    """One for adding each kind of step, too."""
    return (
        Command("rename_take", "Rename take…", "Take/1", lambda d: d.clip_panel.rename_take(d.session.selection.take), "F2",
                needs.take),
        Command("duplicate_take", "Duplicate take", "Take/1", lambda d: takes.duplicate(d.session, d.session.selection.take),
                "Ctrl+Alt+D", needs.take),
        Command("duplicate_bare", "Duplicate take without its steps", "Take/1",
                lambda d: takes.duplicate(d.session, d.session.selection.take, steps=False), "", needs.take),
        Command("variations", "Make variations…", _FAMILY, _variations, "", _has_steps),
        Command("between", "Variation in between…", _FAMILY, _between, "", _is_pair, also="mix interpolate in-between"),
        Command("open_parent", "Open the take that this one follows", _FAMILY, _open_parent, "", _parent_of),
        Command("detach", "Detach from the take that it follows", _FAMILY,
                lambda d: variations.detach(d.session, [d.session.selection.take]), "", _parent_of, also="loosen untie"),
        Command("make_take", "Make takes of the selected clips", "Take/1", lambda d: d.clip_panel.make_take(), "Ctrl+Shift+T",
                needs.chosen_clips, also="new begin"),
        Command("join", "Join the selected clips", "Take/1", lambda d: d.clip_panel.join(), "", _are_several),
        Command("delete_take", "Remove take", "Take/1", lambda d: takes.delete(d.session, d.session.selection.take), "",
                needs.take),
        *(Command(f"add_{k.kind}", f"Add {k.title.lower()}", "Take/2/Add a step", partial(_add, k.kind), view_of(k.kind).shortcut,
                  needs.take, also=" ".join([view_of(k.kind).also, k.kind, *k.was])) for k in KINDS.values()),
        Command("rename_step", "Rename step", "Take/3", lambda d: d.line.rename(d.session.selection.card), "", needs.step),
        Command("duplicate_step", "Duplicate step", "Take/3", lambda d: line.duplicate(d.session, d.session.selection.card),
                "Ctrl+D", needs.step),
        Command("remove_step", "Remove step", "Take/3", lambda d: line.remove(d.session, d.session.selection.card),
                "Ctrl+Backspace", needs.step),
        Command("toggle_step", "Switch step on or off", "Take/3", _toggle, "Ctrl+Return", needs.step),
        Command("solo_step", "Show only this step", "Take/3", lambda d: line.toggle_solo(d.session, d.session.selection.card),
                "Ctrl+Alt+Return", needs.step, _is_alone),
        Command("lock_step", "Lock the step", "Take/3", _lock, "", needs.step,
                lambda d: d.session.step is not None and d.session.step.locked),
        Command("paint_mask", "Paint the mask", "Take/3", _paint, "Ctrl+Alt+P", needs.step,
                lambda d: d.session.selection.painting, also="joints weights brush"),
        Command("earlier", "Move step earlier", "Take/3", lambda d: _move(d, -1), "Ctrl+Shift+Left", _is_not_first),
        Command("later", "Move step later", "Take/3", lambda d: _move(d, 1), "Ctrl+Shift+Right", _is_not_last),
        Command("next_card", "Select next card", "Take/4", lambda d: _select_card(d, 1), "Ctrl+Right", needs.take),
        Command("previous_card", "Select previous card", "Take/4", lambda d: _select_card(d, -1), "Ctrl+Left", needs.take),
    )  # fmt: skip
