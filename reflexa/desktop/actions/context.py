"""Menus that come up where something is: in the picture, and of the rig."""

from __future__ import annotations

from functools import partial
from typing import Any

from PySide6.QtCore import QPoint, Qt
from PySide6.QtWidgets import QMenu, QWidget

from reflexa.desktop.actions.desk import Desk
from reflexa.desktop.actions.figure import RIG_MENU
from reflexa.desktop.actions.registry import Registry
from reflexa.desktop.kinds import by_hand
from reflexa.desktop.widgets import menus
from reflexa.session import RESULT, SOURCE, line, rigs
from reflexa.steps import KINDS
from reflexa.steps.references import fields_for

# Of the picture, group by group: about the joint that is selected, and about looking.
_JOINT = ("trail", "pair", "extract", "extract_below")
_LOOKING = ("frame", "show_rest", "keep_view", "save_picture")
_MOST = 8


# Rooms that have no menu of their own, or none where nothing lies, and the commands that are offered there, group by group.
_CURVES = (("copy_keys", "paste_keys", "paste_mirrored"), ("mirror_keys", "reduce_keys", "show_keys"), ("delete_keys",))
_TREE = (("pair", "unpair", "mark_centre"), ("trail", "extract", "extract_below"), ("show_rest",))
_EMPTY = (("import", "add_library_folder"), ("demo", "recent"))


def connect(d: Desk, commands: Registry) -> None:
    """Menus of those rooms."""
    props = tuple(c.id for c in commands if c.id.startswith("put_") and c.menu.startswith("Stage"))
    for widget, groups in (
        (d.time.curves, _CURVES), (d.figure.tree, _TREE), (d.stage.list, (props, ("stage_open", "stage_save"), ("remove_prop",))),
    ):  # fmt: skip
        widget.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
        widget.customContextMenuRequested.connect(partial(_show, d, commands, widget, groups))
    d.clip_panel.menu_wanted.connect(partial(_show, d, commands, d.clip_panel, _EMPTY))


def _show(d: Desk, commands: Registry, widget: QWidget, groups: tuple[tuple[str, ...], ...], at: QPoint) -> None:
    menu = menu_of(d, commands, groups)
    menus.show(menu, widget.mapToGlobal(at))


def menu_of(d: Desk, commands: Registry, groups: tuple[tuple[str, ...], ...]) -> QMenu:
    """A menu of commands; those that cannot run now say why."""
    commands.refresh()
    menu = _menu(d)
    for group in groups:
        for id_ in group:
            menu.addAction(commands.action(id_))
        menu.addSeparator()
    return menu


def show_rig_menu(d: Desk, commands: Registry, button: QWidget) -> None:
    """What can be done with the rig, below a button."""
    menus.show(menu_of(d, commands, RIG_MENU), button.mapToGlobal(button.rect().topLeft()))


def show_picture_menu(d: Desk, commands: Registry, at: QPoint) -> None:
    """Everything that lies at a pixel of the picture, and what can be done there."""
    fill_picture_menu(menu := _menu(d), d, commands, at)
    menus.show(menu, d.viewport.mapToGlobal(at))


def fill_picture_menu(menu: QMenu, d: Desk, commands: Registry, at: QPoint) -> None:
    """The entries of that menu."""
    session, seen = d.session, d.viewport.seen
    joints, prop = seen.joints_at(at.x(), at.y()), seen.prop_at(at.x(), at.y())
    for name in joints[:_MOST]:
        entry = menu.addAction(f"Select {name}", partial(rigs.pick, session, name))
        entry.setCheckable(True)
        entry.setChecked(name == session.selection.joint)
    if prop:
        menu.addAction(f"Select {prop}", partial(session.selection.select_prop, prop))
    menu.addSeparator()
    joint = session.selection.joint if session.selection.joint in joints or not joints else joints[0]
    if joint and session.take is not None:
        menu.addAction(f"Correct {joint}", partial(_correct, d, joint))
        end = session.computed.rig.part_of(joint) if session.computed.rig is not None else ""
        if session.computed.rig is not None and session.computed.rig.limb(end) is not None:
            for kind in KINDS.values():
                for setting in fields_for(kind.settings(), "limb"):
                    menu.addAction(f"Add {kind.title.lower()} for {joint}", partial(_add, d, kind.kind, {setting: end}))
        menu.addAction("Show it in the Figure view", partial(_show_in_figure, d, joint))
        menu.addSeparator()
    for group in (_JOINT, _LOOKING):
        for id_ in group:
            menu.addAction(commands.action(id_))
        menu.addSeparator()


def _correct(d: Desk, joint: str) -> None:
    """A step that is begun by hand, behind the selected one, with the joint selected: its handle is there."""
    d.session.selection.select_joint(joint)
    if d.session.layer is None:
        line.add(d.session, by_hand().kind)


def _add(d: Desk, kind: str, settings: dict[str, Any]) -> None:
    if d.session.selection.card == SOURCE:
        d.session.selection.select_card(RESULT)
    line.add(d.session, kind, **settings)


def _show_in_figure(d: Desk, joint: str) -> None:
    d.tabs.setCurrentWidget(d.figure)
    d.session.selection.select_joint(joint)


def _menu(d: Desk) -> QMenu:
    out = QMenu(d.window)
    out.setToolTipsVisible(True)
    return out
