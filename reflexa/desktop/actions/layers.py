"""Layers made of layers and of motion, in the Take menu."""

from __future__ import annotations

from PySide6.QtWidgets import QInputDialog

from reflexa.desktop.actions import conditions as needs
from reflexa.desktop.actions.desk import Command, Desk
from reflexa.session import keys, layers
from reflexa.session.layers import StepSpan
from reflexa.steps.correction import all_keys, layer_of
from reflexa.steps.correction.layers import Merged
from reflexa.words import counted


def _ask_stretch(d: Desk) -> None:
    layer = d.session.layer
    at = sorted(f for _, f in all_keys(layer)) if layer is not None else []
    if not at or at[0] == at[-1]:
        d.say("This layer has keys on one frame only: there is nothing to stretch.")
        return
    length = at[-1] - at[0]
    said = f"Its keys go from frame {at[0]} to {at[-1]}: {counted(length, 'frame')}. New length in frames"
    frames, good = QInputDialog.getInt(d.window, "Stretch the whole layer", said, length, 1, 100_000)
    if good:
        keys.stretch_layer(d.session, frames)


def _ask(d: Desk, span: StepSpan | None) -> None:
    """Find the layer in the background, then say what would come out, and do it only when told."""
    if span is not None:
        layers.find(d.session, span, False, lambda found: _show(d, span, found))


def _show(d: Desk, span: StepSpan, found: Merged) -> None:
    one = span.first == span.last
    title = "Convert the step to a layer" if one else "Merge onto the layer below"
    said = (
        f"One layer with {counted(found.keys, 'key')} does what {'the step does' if one else 'both do'}, with an "
        f"error of at most {found.degrees:.2f}° and {found.mm:.2f} mm at any frame. It includes weights, "
        "envelopes and masks."
    )
    good, none = ("Convert to a layer", "Cancel") if one else ("Merge", "Cancel")
    answer = d.ask(title, said, good, "A key on every frame", none)
    if answer == 0:
        layers.put(d.session, span, found)
    elif answer == 1:
        layers.find(d.session, span, True, lambda exact: layers.put(d.session, span, exact))


def _has_keyed_joint(d: Desk) -> str:
    layer = d.session.layer
    keyed = layer is not None and layer.track(d.session.selection.joint).keys
    return needs.layer(d) or ("" if keyed else "select a joint that has keys first")


def _has_layer_below(d: Desk) -> str:
    take, at = d.session.take, d.session.index
    below = layer_of(take.steps[at - 1]) if take is not None and at > 0 else None
    good = d.session.layer is not None and below is not None and d.session.computed.settled is not None
    return "" if good else "select a correction that follows another one"


def _has_change(d: Desk) -> str:
    """The selected step can be put as keys."""
    span = layers.span_of(d.session, 1)
    if span is None:
        return "select a step in the step list first"
    same = span.below.frames == span.above.frames and span.below.skeleton.names == span.above.skeleton.names
    return "" if same else "the step changes the rig or the length of the clip"


def _has_motion(d: Desk) -> str:
    return "" if layers.spot_for(d.session) is not None else "select a joint of the figure first"


_MENU = "Take/6/Layers"
COMMANDS = (
    Command("rescale_layer", "Stretch the whole layer to a length…", _MENU, _ask_stretch, "", needs.layer),
    Command("split_layer", "Move the selected joint into its own layer", _MENU, lambda d: layers.split(d.session), "",
            _has_keyed_joint),
    Command("extract", "Extract the motion of the selected joint into a layer", _MENU,
            lambda d: layers.extract(d.session), "", _has_motion),
    Command("extract_below", "Extract the motion from the selected joint down into a layer", _MENU,
            lambda d: layers.extract(d.session, below=True), "", _has_motion),
    Command("turn_into_layer", "Convert the step to a layer…", _MENU, lambda d: _ask(d, layers.span_of(d.session, 1)), "",
            _has_change),
    Command("merge_down", "Merge onto the layer below…", _MENU, lambda d: _ask(d, layers.span_of(d.session, 2)),
            "Ctrl+Shift+D", _has_layer_below),
)  # fmt: skip
