"""The Stage menu: props put in and taken away, stage files."""

from __future__ import annotations

from functools import partial

from reflexa.desktop.actions import conditions as needs
from reflexa.desktop.actions.desk import Command, Desk
from reflexa.session import props
from reflexa.stage.presets import PRESETS


def _put(name: str, d: Desk) -> None:
    props.put(d.session, PRESETS[name]())
    d.tabs.setCurrentWidget(d.stage)


def _has_props(d: Desk) -> str:
    return needs.take(d) or ("" if d.session.stage.props else "the stage has no props")


COMMANDS = (
    *(Command(f"put_{name}", f"Add {name}", "Stage/1", partial(_put, name), "", needs.take) for name in PRESETS),
    Command("stage_open", "Add props from a file…", "Stage/2", lambda d: d.stage.open_dialog(), "", needs.take),
    Command("stage_save", "Save the stage as a file…", "Stage/2", lambda d: d.stage.save_dialog(), "", _has_props),
    Command("remove_prop", "Remove the prop", "Stage/3", lambda d: props.remove(d.session), "Shift+Delete", needs.prop),
)
