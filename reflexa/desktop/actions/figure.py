"""The Figure menu: pairs, the neutral pose, rig documents."""

from __future__ import annotations

from pathlib import Path

from msgspec.structs import replace
from PySide6.QtWidgets import QFileDialog

from reflexa.desktop.actions import conditions as needs
from reflexa.desktop.actions.desk import Command, Desk
from reflexa.desktop.widgets.where import ask_where
from reflexa.errors import ReflexaError
from reflexa.formats.files import write_bytes
from reflexa.formats.rigfile import SUFFIX, RigDocument, read_rig
from reflexa.formats.text import pretty
from reflexa.rig.notes import notes_of, with_notes
from reflexa.session import rigs


def _import(d: Desk) -> None:
    chosen, _ = QFileDialog.getOpenFileName(d.window, "Import a rig document", "", f"Rig documents (*{SUFFIX})")
    if chosen:
        import_rig(d, Path(chosen))


def import_rig(d: Desk, path: Path) -> None:
    """Take what a document says of the rig shown; what it says of joints that this rig lacks is named."""
    rig = d.session.computed.rig
    if rig is None:
        d.show_error(f"Open a take first: {path.name} describes the rig that is shown.")
        return
    try:
        document = read_rig(path)
    except ReflexaError as e:
        d.show_error(str(e))
        return
    unused = with_notes(rig, document.notes)[1]
    if not set(document.notes.body_map) & set(rig.body_map) and unused:
        d.show_error(f"{path.name} is for another rig. {' '.join(unused)}")
        return
    rigs.edit(d.session, f"take {path.name}", rig, replace(document.notes, joints=()))
    if unused:
        d.show_error(f"{path.name} was imported, except for: {' '.join(unused)}")


def _export(d: Desk) -> None:
    document = d.session.sources.document_of(d.session.computed.rig)
    stem = document.path.stem if document is not None else "rig"
    path = ask_where(d.window, "Export the rig document", stem, SUFFIX)
    if path is not None:
        export_rig(d, path)


def export_rig(d: Desk, path: Path) -> None:
    """Write what is known of the rig shown, skeleton and all; a file that is there is written over: the dialog has asked."""
    rig = d.session.computed.rig
    if rig is None:
        return
    text = pretty(RigDocument(path.name.removesuffix(SUFFIX), rig.key, notes_of(rig, with_joints=True)).plain())
    try:
        write_bytes(path, text.encode(), overwrite=True)
    except ReflexaError as e:
        d.show_error(str(e))
    else:
        d.say(f"Written: {path}")


def _forget(d: Desk) -> None:
    if d.session.computed.rig is not None:
        rigs.forget(d.session, d.session.computed.rig)


def _shows_clip(d: Desk) -> str:
    return needs.rig(d) or ("the rest pose is shown" if d.session.selection.rest_shown else "")


def _has_reference(d: Desk) -> str:
    rig = d.session.computed.rig
    return needs.rig(d) or (
        "" if rig is not None and rig.reference is not None else "the rest pose is the neutral pose already"
    )


def _is_corrected(d: Desk) -> str:
    rig = d.session.computed.rig
    told = rig is not None and d.session.project.rig_document(rig.key) is not None
    return needs.rig(d) or ("" if told else "nothing was corrected by hand")


COMMANDS = (
    Command("pair", "Pair the joint with…", "Figure/1", lambda d: rigs.start_pairing(d.session, d.session.selection.joint),
            "Ctrl+J", needs.joint),
    Command("mark_centre", "Mark the joint as a centre joint", "Figure/1", lambda d: rigs.mark_centre(d.session),
            "Ctrl+Shift+J", needs.joint),
    Command("unpair", "Unpair the joint", "Figure/1", lambda d: rigs.unpair(d.session), "", needs.joint),
    Command("show_rest", "Show the rest pose", "Figure/2",
            lambda d: d.session.selection.show_rest(not d.session.selection.rest_shown), "Ctrl+R", needs.rig,
            lambda d: d.session.selection.rest_shown),
    Command("reference", "Use this frame as neutral pose", "Figure/2", lambda d: rigs.take_reference(d.session, True),
            "", _shows_clip),
    Command("no_reference", "Use the rest pose as neutral pose again", "Figure/2",
            lambda d: rigs.take_reference(d.session, False), "", _has_reference),
    Command("import_rig", "Import a rig document…", "Figure/3", _import, "", needs.rig),
    Command("export_rig", "Export the rig document…", "Figure/3", _export, "", needs.rig),
    Command("forget_rig", "Reset the rig to what was detected", "Figure/3", _forget, "", _is_corrected),
)  # fmt: skip

# What the button below the joint tree offers, group by group.
RIG_MENU = (("reference", "no_reference"), ("import_rig", "export_rig", "forget_rig"))
