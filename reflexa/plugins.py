"""Finding what a folder holds (the modules of a package that export one thing under an agreed name), what installed packages
bring (by entry points), and lists of it."""

from __future__ import annotations

import importlib
import pkgutil
from collections.abc import Callable, Iterator
from dataclasses import dataclass, field
from functools import partial
from importlib import metadata
from typing import TypeVar

from reflexa.log import write_down_error

T = TypeVar("T")
# Installed extensions that cannot be used: package and name → why. They cost themselves alone.
FAILED: dict[str, str] = {}


def exported(package: str, name: str, of: type[T]) -> Iterator[T]:
    """What the modules and packages right inside a package export as ``name``, in the order of their file names.

    Modules that have no such name are passed over: they are shared pieces. Raises TypeError where it is no ``of``.
    """
    at = importlib.import_module(package)
    for found in sorted(pkgutil.iter_modules(at.__path__), key=lambda m: m.name):
        module = importlib.import_module(f"{package}.{found.name}")
        thing = getattr(module, name, None)
        if thing is None:
            continue
        # A family (text and binary of one format, say) is exported as a tuple.
        for one in thing if isinstance(thing, tuple) else (thing,):
            if not isinstance(one, of):
                raise TypeError(f"{module.__name__}.{name} is no {of.__name__}")
            yield one


def put(into: dict[str, T], name: str, thing: T, place: Callable[[T], int]) -> None:
    """Put a thing into a list under its name, in its place: the lowest first, then by name. Raises ValueError where the name
    is taken."""
    if name in into:
        raise ValueError(f"there is a {name!r} already")
    into[name] = thing
    in_order = sorted(into.items(), key=lambda pair: (place(pair[1]), pair[0]))
    into.clear()
    into.update(in_order)


@dataclass
class _Coming:
    """What is left to be taken in: tried anew with every house, for it may need a later one. busy: one is being taken
    in, and may itself import a house."""

    busy: bool = False
    left: list[partial[None]] = field(default_factory=list)


_coming = _Coming()


def load_entry_points(group: str, of: type[T], register: Callable[[T], object]) -> None:
    """Register what installed packages bring under a group of entry points, in the order of their names. One that cannot be used
    is left out, and ``FAILED`` says why."""

    def one(entry: metadata.EntryPoint) -> None:
        thing = entry.load()
        for each in thing if isinstance(thing, tuple) else (thing,):
            if not isinstance(each, of):
                raise TypeError(f"{entry.value} is no {of.__name__}")
            register(each)
            _BROUGHT[id(each)] = f"{entry.name} of {entry.dist.name if entry.dist is not None else '?'}"

    _coming.left += [partial(one, e) for e in sorted(metadata.entry_points(group=group), key=lambda e: e.name)]
    if _coming.busy:
        return
    _coming.busy, failed = True, []
    while _coming.left:  # one may bring others
        call = _coming.left.pop(0)
        entry = call.args[0]
        who = f"{entry.dist.name if entry.dist is not None else '?'}: {entry.name}"
        try:
            call()
            FAILED.pop(who, None)
        except Exception as e:  # whatever somebody else's code does; or it needs a house that is still being built
            FAILED[who] = f"{type(e).__name__}: {e}"
            failed.append(call)
    _coming.left = failed
    _coming.busy = False


# Who brought what: things are registered for as long as the process lives.
_BROUGHT: dict[int, str] = {}


def brought_by(thing: object) -> str:
    """The extension that a registered thing came with, and its package; empty for what is our own."""
    return _BROUGHT.get(id(thing), "")


def failed(thing: object, error: Exception) -> str:
    """In words, that an extension failed at work, for whoever gave it work; the way to it is written down in the log."""
    who = brought_by(thing)
    said = f"the extension {who} failed ({type(error).__name__}: {error})"
    write_down_error(error, said)
    FAILED[who] = f"{type(error).__name__}: {error}"
    return said


def installed() -> list[str]:
    """The packages that bring something, with their versions: results may come of them."""
    groups = ("reflexa.steps", "reflexa.formats", "reflexa.checks")
    found = {e.dist for g in groups for e in metadata.entry_points(group=g) if e.dist is not None}
    return sorted({f"{d.name} {d.version}" for d in found})
