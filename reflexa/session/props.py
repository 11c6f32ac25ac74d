"""Edits of the open take's stage."""

from __future__ import annotations

from dataclasses import replace as with_fields

from msgspec.structs import replace

from reflexa.names import free_name
from reflexa.session import line
from reflexa.session.session import Session
from reflexa.stage import Prop, Stage
from reflexa.take import edits


def edit_stage(session: Session, label: str, stage: Stage, merge: str = "") -> None:
    """Another stage for the open take."""
    if session.take is not None:
        session.edit_take(label, with_fields(session.take, stage=stage), merge)


def put(session: Session, prop: Prop) -> None:
    """Put a prop on the stage, under a name that is free, and select it."""
    prop = replace(prop, name=free_name(prop.name, (p.name for p in session.stage.props)))
    edit_stage(session, f"add {prop.name}", session.stage.with_prop(prop.name, prop))
    session.selection.select_prop(prop.name)


def edit(session: Session, label: str, prop: Prop, merge: str = "") -> None:
    """Replace the selected prop; steps that refer to it follow a new name."""
    take, old = session.take, session.selection.prop
    if take is None or session.stage.prop(old) is None:
        return
    if prop.name != old:
        taken = (p.name for p in session.stage.props if p.name != old)
        prop = replace(prop, name=free_name(prop.name.strip() or "prop", taken))
    renamed = prop
    new = line.attempted(session, lambda: edits.with_prop(take, old, renamed))
    if new is None:
        return
    place = with_fields(session.selection.place, prop=prop.name)
    session.edit(label, session.project.with_take(take.name, new), merge, place)


def remove(session: Session) -> None:
    """Take the selected prop off the stage."""
    name = session.selection.prop
    if session.stage.prop(name) is not None:
        edit_stage(session, f"remove {name}", session.stage.without(name))
