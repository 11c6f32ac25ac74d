"""Finding what a folder holds (the modules of a package that export one thing under an agreed name), and lists of it."""

from __future__ import annotations

import importlib
import pkgutil
from collections.abc import Callable, Iterator
from typing import TypeVar

T = TypeVar("T")


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
