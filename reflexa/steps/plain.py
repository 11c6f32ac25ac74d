"""Steps made by name, and to and from plain data: what recipes, takes and the command line say."""

from __future__ import annotations

import difflib
from collections.abc import Iterable, Mapping
from typing import Any

import msgspec
import numpy as np
from msgspec.structs import replace

from reflexa.errors import RecipeError, misfit
from reflexa.rig.bodymap import PARTS, PRESETS
from reflexa.steps import references
from reflexa.steps.model import SOURCE, Mask, Settings, Step, StepKind, Tie
from reflexa.steps.registry import fields, kind_of

_LONGEST_ID = 64


def make(kind: str, name: str = "", **settings: Any) -> Step:
    """A step of a kind with its defaults, and the settings given. Raises RecipeError for settings that do not fit."""
    chosen = kind_of(kind)
    return Step(chosen.kind, settings_from(chosen, settings), name or chosen.title)


def settings_from(kind: StepKind, data: Mapping[str, Any], place: str = "settings") -> Settings:
    """Typed settings of plain data; raises RecipeError that names the place of what does not fit."""
    now = {kind.settings_were.get(name, name): value for name, value in data.items()}
    now = now if kind.upgraded is None else kind.upgraded(now)
    known = [f.name for f in fields(kind.settings)]
    for name in now:
        if name not in known:
            near = difflib.get_close_matches(name, known, 2, 0.5)
            advice = f"Did you mean {' or '.join(near)}?" if near else f"Known: {', '.join(known)}."
            raise RecipeError(f"{kind.kind} has no setting {name!r}", place=place, advice=advice)
    settings: Settings = _convert(now, kind.settings, place)
    return settings


def _convert(data: Any, to: type[Any], place: str) -> Any:
    try:
        return msgspec.convert(data, to)
    except msgspec.ValidationError as e:
        reason, where = misfit(e)
        raise RecipeError(reason, place=place + where) from None
    except UnicodeEncodeError:  # bytes of a command line that are no text
        raise RecipeError("contains characters that are not valid text", place=ascii(place)[1:-1]) from None


def to_plain(step: Step, identity: bool = True) -> dict[str, Any]:
    """A step as plain data, in the order of the recipe file; full weight, envelope and mask are left out.

    identity: off, without what only tells the step from others and does nothing: its id, and whether it is locked.
    """
    out: dict[str, Any] = {"kind": step.kind, "name": step.name, "on": step.on}
    if identity:
        out = {"id": step.id, **out}
    if step.weight != 1:
        out["weight"] = step.weight
    if step.envelope:
        out["envelope"] = [list(p) for p in step.envelope]
    if step.mask is not None:
        out["mask"] = msgspec.to_builtins(step.mask)
    if step.tied is not None:
        out["tied"] = msgspec.to_builtins(step.tied)
    if step.locked and identity:
        out["locked"] = True
    out["settings"] = msgspec.to_builtins(step.settings, enc_hook=_number)
    return out


def _number(value: Any) -> Any:
    """NumPy's numbers as Python's: whoever makes steps in a program need not know the difference. Raises TypeError."""
    if isinstance(value, np.generic):
        return value.item()
    raise TypeError(f"{type(value).__name__} is no plain data")


_FIELDS = {"id", "kind", "name", "on", "weight", "envelope", "mask", "locked", "tied", "settings"}


def from_plain(data: Any, place: str = "step") -> Step:
    """A step of plain data; its id is empty where the data have none (``settled`` gives it one).

    Raises RecipeError for unknown kinds, fields and settings, and values out of range.
    """
    if not isinstance(data, dict):
        raise RecipeError("is not a JSON object", place=place)
    if "kind" not in data:
        raise RecipeError("has no kind", place=place)
    kind = kind_of(str(data["kind"]), f"{place}.kind")
    for field in data:
        if field not in _FIELDS:
            raise RecipeError(f"unknown field {field!r}", place=place, advice=f"Known: {', '.join(sorted(_FIELDS))}.")
    weight = _convert(data.get("weight", 1.0), float, f"{place}.weight")
    if not 0 <= weight <= kind.most_weight:
        raise RecipeError(f"{weight:g} lies outside 0 to {kind.most_weight:g}", place=f"{place}.weight")
    envelope = _convert(data.get("envelope", []), tuple[tuple[float, float], ...], f"{place}.envelope")
    for i, (frame, value) in enumerate(envelope):
        if not 0 <= value <= 1:
            raise RecipeError(f"{value} lies outside 0 to 1", place=f"{place}.envelope[{i}]")
        if i and frame <= envelope[i - 1][0]:
            raise RecipeError("frames must rise from point to point", place=f"{place}.envelope[{i}]")
    settings = settings_from(
        kind, _convert(data.get("settings", {}), dict[str, Any], f"{place}.settings"), f"{place}.settings"
    )
    mask = data.get("mask")
    own_id = _convert(data.get("id", ""), str, f"{place}.id")
    if len(own_id) > _LONGEST_ID or own_id == SOURCE:
        raise RecipeError(
            "is not a valid id", place=f"{place}.id", advice=f"Up to {_LONGEST_ID} characters, not {SOURCE!r}."
        )
    return Step(
        kind.kind, settings,
        _convert(data.get("name", kind.title), str, f"{place}.name"),
        _convert(data.get("on", True), bool, f"{place}.on"),
        weight, envelope,
        None if mask is None else _mask(_convert(mask, Mask, f"{place}.mask"), f"{place}.mask"),
        _convert(data.get("locked", False), bool, f"{place}.locked"),
        _convert(data.get("tied"), Tie | None, f"{place}.tied"),  # type: ignore[arg-type]
        own_id,
    )  # fmt: skip


def _mask(mask: Mask, place: str) -> Mask:
    for i, part in enumerate(mask.parts):
        if part not in PARTS and part not in PRESETS:
            raise RecipeError(f"there is no body part {part!r}", place=f"{place}.parts[{i}]")
    if mask.edge < 0:
        raise RecipeError(f"{mask.edge} is not a number of joints", place=f"{place}.edge")
    for joint, weight in mask.joints.items():
        if not 0 <= weight <= 1:
            raise RecipeError(f"{weight} lies outside 0 to 1", place=f"{place}.joints[{joint!r}]")
    return mask


def steps_from_plain(data: Iterable[Any], place: str = "steps") -> tuple[Step, ...]:
    """The steps of a line, with ids, and with references that are ids. Raises RecipeError."""
    return settled(tuple(from_plain(s, f"{place}[{i}]") for i, s in enumerate(data)), place)


def settled(steps: tuple[Step, ...], place: str = "steps") -> tuple[Step, ...]:
    """The steps with an id each, given by their place in the line where they have none, so that the same recipe gives the
    same ids everywhere; what names an earlier step by its name, as people do, names it by its id then.

    Raises RecipeError where two have the same id.
    """
    taken = {s.id for s in steps if s.id}
    out: list[Step] = []
    for i, step in enumerate(steps):
        if not step.id:
            own = next(n for n in _ids(i + 1) if n not in taken)
            taken.add(own)
            step = replace(step, id=own)
        elif any(s.id == step.id for s in out):
            raise RecipeError(f"two steps have the id {step.id!r}", place=f"{place}[{i}].id")
        out.append(references.by_id(step, out))
    return tuple(out)


def _ids(place: int) -> Iterable[str]:
    yield f"s{place}"
    n = 2
    while True:
        yield f"s{place}-{n}"
        n += 1
