"""Every kind of step, and steps to and from plain data. Adding a kind is one file and one line here."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

import msgspec

from reflexa.errors import RecipeError
from reflexa.rig.bodymap import PARTS, PRESETS
from reflexa.steps.blend import BLEND
from reflexa.steps.correction import CORRECTION
from reflexa.steps.follow_through import FOLLOW_THROUGH
from reflexa.steps.goal import GOAL
from reflexa.steps.helper_joints import HELPER_JOINTS
from reflexa.steps.keep import KEEP
from reflexa.steps.mirror import MIRROR
from reflexa.steps.model import Mask, Settings, Step, StepKind
from reflexa.steps.plants import PLANTS
from reflexa.steps.rename import RENAME
from reflexa.steps.retarget import RETARGET
from reflexa.steps.root_joint import ROOT_JOINT
from reflexa.steps.root_motion import ROOT_MOTION

KINDS: dict[str, StepKind] = {
    k.kind: k for k in (
        MIRROR, RETARGET, ROOT_MOTION, ROOT_JOINT, PLANTS, CORRECTION, BLEND, GOAL, KEEP, FOLLOW_THROUGH, HELPER_JOINTS, RENAME,
    )
}  # fmt: skip


def kind_of(name: str, place: str = "") -> StepKind:
    """The kind of that name; raises RecipeError with the known ones."""
    if name not in KINDS:
        raise RecipeError(f"there is no step {name!r}", place=place, advice=f"Known: {', '.join(KINDS)}.")
    return KINDS[name]


def make(kind: str, name: str = "", **settings: Any) -> Step:
    """A step of a kind with its defaults, and the settings given."""
    chosen = kind_of(kind)
    return Step(kind, settings_from(chosen, settings), name or chosen.title)


def settings_from(kind: StepKind, data: Mapping[str, Any], place: str = "settings") -> Settings:
    """Typed settings of plain data; raises RecipeError that names the place of what does not fit."""
    settings: Settings = _convert(dict(data), kind.settings, place)
    return settings


def _convert(data: Any, to: type[Any], place: str) -> Any:
    try:
        return msgspec.convert(data, to)
    except msgspec.ValidationError as e:
        text, _, inner = str(e).partition(" - at ")
        where = inner.strip("`").removeprefix("$")
        raise RecipeError(text[:1].lower() + text[1:], place=place + where) from None


def to_plain(step: Step) -> dict[str, Any]:
    """A step as plain data, in the order of the recipe file; full weight, envelope and mask are left out."""
    out: dict[str, Any] = {"kind": step.kind, "name": step.name, "on": step.on}
    if step.weight != 1:
        out["weight"] = step.weight
    if step.envelope:
        out["envelope"] = [list(p) for p in step.envelope]
    if step.mask is not None:
        out["mask"] = msgspec.to_builtins(step.mask)
    if step.locked:
        out["locked"] = True
    out["settings"] = msgspec.to_builtins(step.settings)
    return out


_FIELDS = {"kind", "name", "on", "weight", "envelope", "mask", "locked", "settings"}


def from_plain(data: Any, place: str = "step") -> Step:
    """A step of plain data. Raises RecipeError for unknown kinds, fields and settings, and values out of range."""
    if not isinstance(data, dict):
        raise RecipeError("is not an object", place=place)
    if "kind" not in data:
        raise RecipeError("has no kind", place=place)
    kind = kind_of(str(data["kind"]), f"{place}.kind")
    for field in data:
        if field not in _FIELDS:
            raise RecipeError(f"unknown field {field!r}", place=place, advice=f"Known: {', '.join(sorted(_FIELDS))}.")
    weight = _convert(data.get("weight", 1.0), float, f"{place}.weight")
    if not 0 <= weight <= 1:
        raise RecipeError(f"{weight} lies outside 0 to 1", place=f"{place}.weight")
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
    return Step(
        kind.kind, settings,
        _convert(data.get("name", kind.title), str, f"{place}.name"),
        _convert(data.get("on", True), bool, f"{place}.on"),
        weight, envelope,
        None if mask is None else _mask(_convert(mask, Mask, f"{place}.mask"), f"{place}.mask"),
        _convert(data.get("locked", False), bool, f"{place}.locked"),
    )  # fmt: skip


def _mask(mask: Mask, place: str) -> Mask:
    for i, part in enumerate(mask.parts):
        if part not in PARTS and part not in PRESETS:
            raise RecipeError(f"there is no body part {part!r}", place=f"{place}.parts[{i}]")
    if mask.edge < 0:
        raise RecipeError(f"{mask.edge} is no number of joints", place=f"{place}.edge")
    for joint, weight in mask.joints.items():
        if not 0 <= weight <= 1:
            raise RecipeError(f"{weight} lies outside 0 to 1", place=f"{place}.joints[{joint!r}]")
    return mask


def describe(kind: StepKind) -> dict[str, Any]:
    """A kind with its settings, units, ranges and defaults, as plain data."""
    defaults = msgspec.to_builtins(kind.settings())
    return {
        "kind": kind.kind,
        "title": kind.title,
        "help": kind.help,
        "settings": [{**describe_field(f), "default": defaults[f.name]} for f in fields(kind.settings)],
    }


def fields(settings: type[Settings]) -> tuple[msgspec.inspect.Field, ...]:
    """The typed fields of a settings type, with their metadata, for panels and descriptions made from them."""
    info = msgspec.inspect.type_info(settings)
    assert isinstance(info, msgspec.inspect.StructType)
    return info.fields


def describe_field(field: msgspec.inspect.Field) -> dict[str, Any]:
    """Name, type, title, help, unit, range and choices of one setting."""
    t: Any = field.type
    out: dict[str, Any] = {"name": field.name}
    meta: dict[str, Any] = {}
    if isinstance(t, msgspec.inspect.Metadata):
        meta = {**(t.extra_json_schema or {}), **(t.extra or {})}
        t = t.type
    kind = type(t).__name__.removesuffix("Type").lower()
    out["type"] = {"tuple": "numbers", "vartuple": "list", "str": "text"}.get(kind, kind)
    if isinstance(t, msgspec.inspect.LiteralType):
        out["type"], out["choices"] = "choice", list(t.values)
    for bound in ("ge", "le"):
        if getattr(t, bound, None) is not None:
            out[{"ge": "least", "le": "most"}[bound]] = getattr(t, bound)
    out["title"] = meta.get("title", field.name.replace("_", " "))
    out["help"] = meta.get("description", "")
    for extra in ("unit", "file", "choose", "when", "zero"):
        if extra in meta:
            out[extra] = meta[extra]
    return out
