"""Two versions of a project in sentences: what was added, taken away, moved, and set otherwise."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from typing import Any

from reflexa.project.store import Project, SourceFile
from reflexa.review.words import plain, shown, title
from reflexa.rig.notes import Notes
from reflexa.stage import Stage
from reflexa.steps import Step, kind_of
from reflexa.take import Take
from reflexa.take.recipe import Recipe
from reflexa.words import counted


def project_changes(a: Project, b: Project) -> list[str]:
    """What has to be said of b by who knows a; nothing where they are alike."""
    out = [f"The project is called {b.name!r}, not {a.name!r}."] if a.name != b.name else []
    out += _sources(a.sources, b.sources)
    before, after = {t.name: t for t in a.takes}, {t.name: t for t in b.takes}
    renamed = _renamed(before, after)
    for old, new in renamed.items():
        out.append(f"Take {old!r} is called {new!r}.")
    for name in before:
        if name not in after and name not in renamed:
            out.append(f"Take {name!r} removed.")
    for name, take in after.items():
        was = before.get(name) or next((before[o] for o, n in renamed.items() if n == name), None)
        if was is None:
            steps = ", ".join(s.name or s.kind for s in take.steps) or "none"
            out.append(f"Take {name!r} added, of {take.source.clip!r} in {take.source.file}; steps: {steps}.")
        else:
            out += [f"Take {name!r}: {said}." for said in take_changes(was, take)]
    kept_a, kept_b = ([n for n in names if n in before and n in after] for names in (before, after))
    out += [f"Take {name!r} moved within the list of takes." for name in _moved(kept_a, kept_b)]
    out += _rigs({d.name: d.notes for d in a.rigs}, {d.name: d.notes for d in b.rigs})
    out += [f"{said[:1].upper()}{said[1:]}." for said in _named("recipe", _by_name(a.recipes), _by_name(b.recipes))]
    kept = [[r.name for r in p.recipes if {r.name} <= _by_name(o.recipes).keys()] for p, o in ((a, b), (b, a))]
    out += ["The order of the recipes changed."] if kept[0] != kept[1] else []
    for name in sorted({*a.limits, *b.limits}):
        if a.limits.get(name) != b.limits.get(name):
            out.append(
                f"Threshold {name}: {_or_as_it_comes(a.limits.get(name))} → {_or_as_it_comes(b.limits.get(name))}."
            )
    return out


def _by_name(recipes: Iterable[Recipe]) -> dict[str, Recipe]:
    return {r.name: r for r in recipes}


def _or_as_it_comes(value: float | None) -> str:
    return "default" if value is None else f"{value:g}"


def _sources(a: Iterable[SourceFile], b: Iterable[SourceFile]) -> list[str]:
    before, after = {s.file: s for s in a}, {s.file: s for s in b}
    out = [f"Source {n} removed." for n in before if n not in after]
    out += [f"Source {n} added." for n in after if n not in before]
    for name in after:
        was = before.get(name, after[name])
        if was != after[name]:
            other = was.digest and was.digest != after[name].digest
            out.append(f"Source {name} is {'another file' if other else 'read otherwise'}.")
    return out


def _rigs(a: Mapping[str, Notes], b: Mapping[str, Notes]) -> list[str]:
    out = [f"Changes to the rig {n} were reset." for n in a if n not in b]
    return out + [f"The rig {n} was changed." for n in b if a.get(n) != b[n]]


def _renamed(before: Mapping[str, Take], after: Mapping[str, Take]) -> dict[str, str]:
    """Takes that are gone and came back under another name: those that share steps, or are all the same."""
    out: dict[str, str] = {}
    new = [n for n in after if n not in before]
    for name, take in before.items():
        if name in after:
            continue
        ids = {s.id for s in take.steps}
        for other in new:
            b = after[other]
            same = take.source == b.source and (ids & {s.id for s in b.steps} or (not ids and not b.steps))
            if same and other not in out.values():
                out[name] = other
                break
    return out


def take_changes(a: Take, b: Take) -> list[str]:
    """The same of a take: sentences without their ends."""
    out = []
    if a.source != b.source:
        if (a.source.file, a.source.clip) == (b.source.file, b.source.clip):
            out.append("its segments changed")
        else:
            out.append(f"source {a.source.clip!r} in {a.source.file} → {b.source.clip!r} in {b.source.file}")
    if a.folder != b.folder:
        out.append(f"moved into the folder {b.folder!r}" if b.folder else f"moved out of the folder {a.folder!r}")
    if a.note != b.note:
        out.append(f"note {a.note!r} → {b.note!r}")
    if a.varies != b.varies:
        alone = "stands alone, and is no variation any more"
        same = a.varies is not None and b.varies is not None and a.varies.of == b.varies.of
        out.append(
            alone if b.varies is None else "other values of its own" if same else "is a variation of another take"
        )
    before, after = {s.id: s for s in a.steps}, {s.id: s for s in b.steps}
    out += [f"step {_name(s)} removed" for i, s in before.items() if i not in after]
    for place, (id_, step) in enumerate(after.items()):
        if id_ not in before:
            out.append(f"step {_name(step)} added as number {place + 1}")
    kept_a, kept_b = [i for i in before if i in after], [i for i in after if i in before]
    for id_ in _moved(kept_a, kept_b):
        out.append(f"step {_name(after[id_])} moved from number {a.index(id_) + 1} to {b.index(id_) + 1}")
    for id_ in kept_b:
        out += [f"step {_name(after[id_])}: {said}" for said in step_changes(before[id_], after[id_])]
    out += _named("range", {r.name: r for r in a.ranges}, {r.name: r for r in b.ranges})
    out += _named("view", {v.name: v for v in a.views}, {v.name: v for v in b.views})
    out += _props(a.stage, b.stage)
    if a.accepted != b.accepted:
        out.append(f"{counted(len(b.accepted), 'finding')} accepted, not {len(a.accepted)}")
    plain_a, plain_b = plain(a.export), plain(b.export)
    out += [f"export, {title(k)} {shown(plain_a[k])} → {shown(v)}" for k, v in plain_b.items() if plain_a[k] != v]
    return out


def _name(step: Step) -> str:
    return repr(step.name or kind_of(step.kind).title)


def _moved(a: list[str], b: list[str]) -> list[str]:
    """The fewest that have to be moved to get from one order to the other: those outside the longest row that both have."""
    rows: list[list[str]] = [[]]
    rank = {x: i for i, x in enumerate(a)}
    for x in b:
        fits = [row for row in rows if not row or rank[row[-1]] < rank[x]]
        rows.append([*_longest(fits), x])
    stays = set(_longest(rows))
    return [x for x in b if x not in stays]


def _longest(rows: list[list[str]]) -> list[str]:
    return max(rows, key=len)


def _named(what: str, a: Mapping[str, Any], b: Mapping[str, Any]) -> list[str]:
    out = [f"{what} {n!r} removed" for n in a if n not in b]
    out += [f"{what} {n!r} added" for n in b if n not in a]
    return out + [f"{what} {n!r} changed" for n in b if n in a and a[n] != b[n]]


def _props(a: Stage, b: Stage) -> list[str]:
    return _named("prop", {p.name: p for p in a.props}, {p.name: p for p in b.props})


def step_changes(a: Step, b: Step) -> list[str]:
    """What is other of one step."""
    out = []
    if a.kind != b.kind:
        return [f"it is {kind_of(b.kind).title}, not {kind_of(a.kind).title}"]
    if a.name != b.name:
        out.append(f"called {b.name!r}, not {a.name!r}")
    if a.on != b.on:
        out.append("switched on" if b.on else "switched off")
    if a.weight != b.weight:
        out.append(f"weight {a.weight:g} → {b.weight:g}")
    if a.envelope != b.envelope:
        out.append(f"envelope {_points(a.envelope)} → {_points(b.envelope)}")
    if a.mask != b.mask:
        out.append(f"mask {_mask(a)} → {_mask(b)}")
    if a.locked != b.locked:
        out.append("locked" if b.locked else "unlocked")
    if a.tied != b.tied:
        out.append(f"tied to {b.tied.event!r}" if b.tied is not None else "not tied to an event")
    before, after = plain(a.settings), plain(b.settings)
    for name in after:
        if before.get(name) != after[name]:
            out += _setting(name, before.get(name), after[name])
    return out


def _points(envelope: tuple[tuple[float, float], ...]) -> str:
    return (
        "full"
        if not envelope
        else ", ".join(f"{f:g}: {w:g}" for f, w in envelope[:6]) + ("…" if len(envelope) > 6 else "")
    )


def _mask(step: Step) -> str:
    if step.mask is None:
        return "the whole body"
    return ", ".join([*step.mask.parts, *(f"{j} {w:g}" for j, w in step.mask.joints.items())][:6]) or "nothing"


def _setting(name: str, a: Any, b: Any) -> list[str]:
    """A setting that is other; of rows of keys, key by key."""
    if isinstance(a, list) and isinstance(b, list):
        if _is_tracks(a) and _is_tracks(b):
            before, after = ({t["joint"]: t.get("keys", []) for t in x} for x in (a, b))
            joints = list(dict.fromkeys([*before, *after]))
            return [s for j in joints for s in _keys(j, before.get(j, []), after.get(j, []))]
        if all(isinstance(k, dict) and "frame" in k for k in (*a, *b)):
            return _keys(title(name), a, b)
    return [f"{title(name)} {shown(a)} → {shown(b)}"]


def _is_tracks(rows: list[Any]) -> bool:
    return all(isinstance(t, dict) and "joint" in t for t in rows)


def _keys(whose: str, a: list[dict[str, Any]], b: list[dict[str, Any]]) -> list[str]:
    """Keys added, removed, moved in time, and of other values."""
    before, after = {k["frame"]: k for k in a}, {k["frame"]: k for k in b}
    gone, new = [f for f in before if f not in after], [f for f in after if f not in before]
    out = []
    for f in list(gone):
        same = [n for n in new if not _differs(before[f], after[n])]
        if same:
            to = min(same, key=lambda n: abs(n - f))
            out.append(f"key of {whose} moved from frame {f} to {to}")
            gone.remove(f)
            new.remove(to)
    out += [f"key of {whose} at frame {f} removed" for f in gone]
    out += [f"key of {whose} at frame {f} added" for f in new]
    for f in after:
        if f in before and _differs(before[f], after[f]):
            parts = _differs(before[f], after[f])
            said = ", ".join(f"{title(k)} {shown(before[f].get(k, 0))} → {shown(after[f].get(k, 0))}" for k in parts)
            out.append(f"key of {whose} at frame {f}: {said}")
    return out


def _differs(a: dict[str, Any], b: dict[str, Any]) -> list[str]:
    """What two keys say otherwise, but for their frames; what is not said is nothing."""
    nothing = (None, 0, [0, 0, 0])
    fields = [k for k in {**a, **b} if k != "frame" and a.get(k) != b.get(k)]
    return [k for k in fields if not (a.get(k) in nothing and b.get(k) in nothing)]
