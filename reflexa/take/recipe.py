"""Recipes: the steps alone, as a text file that can be used on other clips and other rigs; some of their settings stay open."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any, TypeVar

import msgspec
from msgspec.structs import replace

from reflexa.errors import ReadError, RecipeError, ReflexaError, misfit
from reflexa.formats.documents import read_document
from reflexa.names import free_name
from reflexa.rig import Rig
from reflexa.rig.joint_roles import JointRoles, joint_roles_of
from reflexa.steps import Step, from_plain, kind_of, new_id, settled, steps_from_plain, to_plain
from reflexa.steps.older import older_names
from reflexa.steps.references import fields_for
from reflexa.steps.registry import describe_field, fields
from reflexa.take.carrying import named

T = TypeVar("T")
VERSION = 1
SUFFIX = ".recipe.json"
_WEIGHT: dict[str, Any] = {
    "name": "weight",
    "type": "float",
    "title": "Weight",
    "help": "The weight of the step.",
    "least": 0,
    "most": 1,
}


class Parameter(msgspec.Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True):
    """A setting that stays open: its name, of which step (its id) and which setting it is ("weight": how much of the step).
    What the step has is what it is where nobody says otherwise; required: somebody has to."""

    name: str
    step: str
    setting: str
    help: str = ""
    required: bool = False


class Stood(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """Steps (their ids) with what the joints that they name play on the rig that they were made on."""

    steps: tuple[str, ...]
    roles: JointRoles = msgspec.field(name="cast")


@dataclass(frozen=True)
class Recipe:
    """Steps under a name, the settings that stay open, and what their joints play. ``unknown`` keeps fields of a saved recipe
    that this version does not know. older: sentences about names that have changed since the file was written."""

    name: str
    steps: tuple[Step, ...] = ()
    parameters: tuple[Parameter, ...] = ()
    made_on: tuple[Stood, ...] = ()
    unknown: dict[str, Any] = field(default_factory=dict)
    older: tuple[str, ...] = field(default=(), compare=False)

    def step(self, step_id: str) -> Step | None:
        """The step of that id."""
        return next((s for s in self.steps if s.id == step_id), None)

    def roles(self, step_id: str) -> JointRoles | None:
        """What the joints that a step names play; None where it names none."""
        return next((m.roles for m in self.made_on if step_id in m.steps), None)


def keep(name: str, steps: Iterable[tuple[Step, Rig]], parameters: Iterable[Parameter] = ()) -> Recipe:
    """A recipe of steps, each with the rig that it stands on."""
    given = list(steps)
    by: dict[str, tuple[Rig, list[Step]]] = {}
    for step, rig in given:
        if named([step]) & set(rig.skeleton.index):
            by.setdefault(rig.key, (rig, []))[1].append(step)
    stood = tuple(Stood(tuple(s.id for s in own), joint_roles_of(rig, sorted(named(own)))) for rig, own in by.values())
    plain = tuple(replace(s, locked=False) for s, _ in given)
    return Recipe(name, plain, tuple(parameters), stood)


# What stays open --------------------------------------------------------------------------------------------------


def about(recipe: Recipe, parameter: Parameter) -> dict[str, Any]:
    """Type, title, unit, range and choices of a parameter, as of the setting that it is. Raises RecipeError where the step or
    the setting is not there."""
    step = recipe.step(parameter.step)
    if step is None:
        raise RecipeError(f"there is no step {parameter.step!r}", place=f"parameter {parameter.name}")
    return _described(step, parameter)


def _described(step: Step, parameter: Parameter) -> dict[str, Any]:
    kind = kind_of(step.kind)
    setting = kind.settings_were.get(parameter.setting, parameter.setting)
    found = next((describe_field(f) for f in fields(kind.settings) if f.name == setting), None)
    if found is None and setting != _WEIGHT["name"]:
        raise RecipeError(
            f"{step.kind} has no setting {parameter.setting!r}", place=f"parameter {parameter.name}",
            advice=f"Known: {', '.join([*(f.name for f in fields(kind.settings)), 'weight'])}.",
        )  # fmt: skip
    return {**(found or _WEIGHT), "help": parameter.help or (found or _WEIGHT)["help"]}


def default(recipe: Recipe, parameter: Parameter) -> Any:
    """What a parameter is where nobody says otherwise, as plain data."""
    step = recipe.step(parameter.step)
    assert step is not None
    settings = msgspec.to_builtins(step.settings)
    return settings.get(parameter.setting, step.weight)


def with_values(recipe: Recipe, values: Mapping[str, Any]) -> Recipe:
    """The recipe with values for its parameters in place. Raises RecipeError for names that are none, values that do not fit,
    and parameters that have to be said and are not."""
    known = {p.name: p for p in recipe.parameters}
    for name in values:
        if name not in known:
            raise RecipeError(
                f"has no parameter {name!r}", place=f"recipe {recipe.name}",
                advice=f"Known: {', '.join(known)}." if known else "It has no parameters.",
            )  # fmt: skip
    missing = [p.name for p in recipe.parameters if p.required and p.name not in values]
    if missing:
        raise RecipeError(
            f"needs a value for {', '.join(missing)}",
            place=f"recipe {recipe.name}",
            advice="Give it with --set NAME=VALUE.",
        )
    steps = {s.id: s for s in recipe.steps}
    for name, value in values.items():
        p = known[name]
        if p.step not in steps:
            about(recipe, p)
        steps[p.step] = _set(steps[p.step], p, value)
    return Recipe(recipe.name, tuple(steps.values()), (), recipe.made_on, recipe.unknown, recipe.older)


def _set(step: Step, parameter: Parameter, value: Any) -> Step:
    _described(step, parameter)
    plain = to_plain(step)
    inside = parameter.setting in plain["settings"]
    (plain["settings"] if inside else plain)[parameter.setting] = value
    try:
        return from_plain(plain)
    except RecipeError as e:
        raise RecipeError(e.reason, place=f"parameter {parameter.name}", advice=e.advice) from None


def joined(name: str, recipes: Iterable[Recipe]) -> Recipe:
    """Several in a row as one. Ids tell steps apart within one recipe: where two have the same, the later steps get others."""
    steps: list[Step] = []
    parameters: list[Parameter] = []
    stood: list[Stood] = []
    parts = list(recipes)
    for r in parts:
        taken = {s.id for s in steps}
        new = {s.id: free_name(s.id, taken, "-") for s in r.steps}
        steps += [replace(_renamed(s, new), id=new[s.id]) for s in r.steps]
        parameters += [replace(p, step=new.get(p.step, p.step)) for p in r.parameters]
        stood += [replace(m, steps=tuple(new.get(i, i) for i in m.steps)) for m in r.made_on]
    older = tuple(o for r in parts for o in r.older)
    return Recipe(name, settled(tuple(steps)), tuple(parameters), tuple(stood), older=older)


def _renamed(step: Step, new: Mapping[str, str]) -> Step:
    """A step whose references to other steps follow those to their new ids."""
    changes = {}
    for name in fields_for(step.settings, "step"):
        value = getattr(step.settings, name)
        if value in new:
            changes[name] = new[value]
    return replace(step, settings=replace(step.settings, **changes)) if changes else step


def fresh(steps: Iterable[Step]) -> tuple[Step, ...]:
    """The steps under ids of their own, to be put into a take."""
    given = list(steps)
    new = {s.id: new_id() for s in given}
    return tuple(replace(_renamed(s, new), id=new[s.id]) for s in given)


# As a file --------------------------------------------------------------------------------------------------------


def recipe_plain(recipe: Recipe) -> dict[str, Any]:
    """A recipe as plain data, ready to be written as JSON."""
    more: dict[str, Any] = {}
    if recipe.parameters:
        more["parameters"] = msgspec.to_builtins(recipe.parameters)
    if recipe.made_on:
        more["made_on"] = msgspec.to_builtins(recipe.made_on)
    head = {"reflexa": "recipe", "version": VERSION, "name": recipe.name}
    return {**head, **more, "steps": [to_plain(s) for s in recipe.steps], **recipe.unknown}


_KNOWN = {"reflexa", "version", "name", "steps", "parameters", "made_on"}


def read_recipe(path: Path) -> Recipe:
    """A recipe file. Raises ReadError (no JSON, newer version) or RecipeError (what it says)."""
    data = read_document(path, "recipe", VERSION)
    steps = data.get("steps")
    if not isinstance(steps, list):
        raise RecipeError("has no list of steps", path, "steps")
    try:
        given = steps_from_plain(steps)
        parameters = _checked(_typed(data, "parameters", tuple[Parameter, ...]), given)
        stood = _typed(data, "made_on", tuple[Stood, ...])
    except RecipeError as e:
        raise RecipeError(e.reason, path, e.place, e.advice) from None
    unknown = {k: v for k, v in data.items() if k not in _KNOWN}
    name = str(data.get("name", path.name.split(".")[0]))
    return Recipe(name, given, parameters, stood, unknown, older_names(steps))


def read_kept(path: Path) -> Recipe:
    """The same, as part of a project. Raises ReadError whatever is wrong with it."""
    try:
        return read_recipe(path)
    except ReflexaError as e:
        raise ReadError(e.reason, path, e.place, e.advice) from None


def _typed(data: Mapping[str, Any], name: str, to: type[T]) -> T:
    """A list in a saved recipe; an empty one where there is none. Raises RecipeError."""
    try:
        return msgspec.convert(data.get(name, []), to)
    except msgspec.ValidationError as e:
        reason, where = misfit(e)
        raise RecipeError(reason, place=name + where) from None


def _checked(given: tuple[Parameter, ...], steps: tuple[Step, ...]) -> tuple[Parameter, ...]:
    """Parameters of those steps, each by the step's id. Raises RecipeError."""
    out: list[Parameter] = []
    for i, p in enumerate(given):
        place = f"parameters[{i}]"
        if not p.name or any(o.name == p.name for o in out):
            raise RecipeError(f"{p.name!r} is not a unique name", place=f"{place}.name")
        step = next((s for s in steps if s.id == p.step), None) or next((s for s in steps if s.name == p.step), None)
        if step is None:
            raise RecipeError(f"there is no step {p.step!r}", place=f"{place}.step")
        try:
            _described(step, p)
        except RecipeError as e:
            raise RecipeError(e.reason, place=f"{place}.setting", advice=e.advice) from None
        out.append(replace(p, step=step.id, setting=kind_of(step.kind).settings_were.get(p.setting, p.setting)))
    return tuple(out)
