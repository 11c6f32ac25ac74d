"""The names of results, planned from what is read: for every command and the window, in one place."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from pathlib import Path
from types import MappingProxyType

from reflexa.errors import RecipeError
from reflexa.formats import FORMATS, STANDARD, Format
from reflexa.motion.clip import Clip
from reflexa.names import Names, file_name
from reflexa.rig.sides import swap_in_text

# What a pattern of names may hold.
FIELDS = ("file", "clip", "recipe", "swapped")


def written_as(format: Format) -> Format:
    """The format that results of a file are written in, where nobody asks for another: its own, or the standard one where that
    is only read."""
    return format if format.encode is not None else FORMATS[STANDARD]


def result_name(
    pattern: str, file: str, clip: str, recipe: str, several: bool, varied: Mapping[str, str] = MappingProxyType({})
) -> str:  # fmt: skip
    """The name of a result, from a pattern with {file}, {clip}, {recipe}, {swapped} (the name with its side words exchanged) and
    the settings that vary. several: the file holds several clips, so the clip's name is part of it. varied: setting → value,
    which stand at the end of the name where the pattern does not place them."""
    base = f"{file} {clip}" if several else file
    known = {**dict(zip(FIELDS, (file, clip, recipe, swap_in_text(base)), strict=True)), **varied}
    name = re.sub(r"\{([^{}]+)\}", lambda m: known.get(m[1], m[0]), pattern) if pattern else base
    unplaced = [
        f"{setting.rpartition('.')[2]} {value}" for setting, value in varied.items() if f"{{{setting}}}" not in pattern
    ]
    return " ".join((name, *unplaced))


def file_names(name: str, clips: list[str], format: Format, apart: bool) -> list[str]:
    """The names of the files that clips go into: one for all of them, or one each, beside whose name their own then stands."""
    if not apart and (format.several_clips or len(clips) == 1):
        return [f"{file_name(name)}{format.suffix}"]
    return [f"{file_name(f'{name} {c}')}{format.suffix}" for c in clips]


def clips_by_file(name: str, clips: list[Clip], format: Format, apart: bool) -> dict[str, list[Clip]]:
    """Which clips go into which file. Raises RecipeError where two of them would go into one that is not meant for both."""
    names = file_names(name, [c.name for c in clips], format, apart)
    twice = [n for n, count in Counter(n.lower() for n in names).items() if count > 1]
    if twice:
        raise RecipeError(f"two clips would be written to {twice[0]}", advice="Rename one of the ranges.")
    return {names[0]: clips} if len(names) == 1 else {n: [c] for n, c in zip(names, clips, strict=True)}


def numbered(names: Iterable[str], formats: Iterable[Format]) -> list[str]:
    """A file name for each, told apart by numbers where several would have the same."""
    taken = {format.suffix: Names(cased=False) for format in FORMATS.values()}
    return [f"{taken[f.suffix].give(file_name(n))}{f.suffix}" for n, f in zip(names, formats, strict=True)]


def changed_name(name: str) -> str:
    """Said where a name cannot be a file's as it is; else an empty text."""
    safe = file_name(name)
    return "" if safe == name else f"{name!r} is not a valid file name: {safe!r} is used"


@dataclass(frozen=True)
class Results:
    """What a file would give: for every format that it may come out in (one, but where a step decides the rig), the names of
    its files."""

    path: Path
    names: tuple[tuple[str, ...], ...] = ()

    @property
    def all_names(self) -> set[str]:
        """Every name that one of its results may have."""
        return {n for names in self.names for n in names}

    @property
    def clashing(self) -> list[str]:
        """Names that two of its own results would have."""
        counts = [Counter(n.lower() for n in names) for names in self.names]
        return sorted({name for count in counts for name, times in count.items() if times > 1})


def refuse_clashes(plans: Iterable[Results]) -> None:
    """Raises RecipeError where two results would have one name; case does not tell files apart everywhere."""
    found: list[str] = []
    by: dict[str, list[Path]] = {}
    for plan in plans:
        found += [f"{name} would be written twice for {plan.path}" for name in plan.clashing]
        for name in sorted(plan.all_names):
            by.setdefault(name.lower(), []).append(plan.path)
    found += [
        f"{name} would be written for "
        f"{', '.join(str(p) for p in dict.fromkeys(paths))}{' twice' if len(set(paths)) == 1 else ''}"
        for name, paths in by.items()
        if len(paths) > 1
    ]
    if found:
        raise RecipeError(
            f"two results would have the same name: {'; '.join(found)}",
            advice="Give different names with --name, or run them one by one.",
        )
