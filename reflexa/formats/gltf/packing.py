"""A glTF file taken apart to be written again: only the data that something in it still names, in one buffer."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

from reflexa.errors import ReadError
from reflexa.formats.gltf.accessors import Bin
from reflexa.formats.gltf.container import GltfFile, Json, fetch

# Keys that name an accessor by its number, and those whose values all do (glTF 2.0 and its registered extensions).
_ACCESSOR, _ACCESSORS = ("indices", "inverseBindMatrices", "input", "output"), ("attributes", "targets")
# Extensions of the Khronos registry name data only by the keys above and by "bufferView".
_REGISTERED = ("KHR_", "EXT_")


def repacked(json: Json, file: GltfFile) -> Bin:
    """Rewrite ``json`` (parts of the file, changed in place) so that it holds nothing but what it names, and return the store
    that new data is added to. Images beside the file go in; one that is missing keeps its address.

    Where an extension that nobody knows may name data by number, every number stays what it is, and so does the data of all
    that it may name: any other entry that is not needed any more then repeats one that is.
    """
    views: list[Json] = json.setdefault("bufferViews", [])
    accessors: list[Json] = json.setdefault("accessors", [])
    rest = {k: v for k, v in json.items() if k not in ("bufferViews", "accessors")}
    others = _numbers_of_the_unknown(rest)
    free: list[list[int]] = []
    for items, places in (
        (accessors, lambda: _places_of_accessors(rest)),
        (views, lambda: (*_places_of_views(accessors), *_places_of_views(rest))),
    ):
        if others:
            free.insert(0, _blank(items, {holder[key] for holder, key in places()} | others))
        else:
            _drop(items, list(places()))
    store = Bin(views, accessors, free=(free[0], free[1]) if free else None)
    placed: dict[tuple[int, int, int], int] = {}
    for view in views:
        which = view["buffer"], view.get("byteOffset", 0), view["byteLength"]
        if which not in placed:
            placed[which] = store.place(file.buffers[which[0]][which[1] : which[1] + which[2]])
        view.update(buffer=0, byteOffset=placed[which])
    for i, image in enumerate(json.get("images", [])):
        uri = image.get("uri")
        if isinstance(uri, str) and not uri.startswith("data:"):
            try:
                data = fetch(file.path, uri, f"images[{i}]")
            except ReadError:
                continue  # the reader has said so
            del image["uri"]
            image["bufferView"] = store.add_view(data)
            image["mimeType"] = image_type(data, uri)
    return store


def image_type(data: bytes, name: str) -> str:
    """The media type of an image, by how its bytes begin; where they say nothing, by its name."""
    for begins, kind in (
        (b"\x89PNG\r\n\x1a\n", "image/png"),
        (b"\xff\xd8\xff", "image/jpeg"),
        (b"\xabKTX 20\xbb", "image/ktx2"),
    ):
        if data.startswith(begins):
            return kind
    if data[:4] == b"RIFF" and data[8:12] == b"WEBP":
        return "image/webp"
    endings = {".jpg": "image/jpeg", ".jpeg": "image/jpeg", ".webp": "image/webp", ".ktx2": "image/ktx2"}
    return endings.get(Path(name).suffix.lower(), "image/png")


def named_accessors(json: Json) -> set[int]:
    """The numbers of the accessors that something in a file names."""
    return {holder[key] for holder, key in _places_of_accessors(json)}


# A place in the JSON where a number stands: the object (or list) and its key.
_Place = tuple[Any, Any]


def _drop(items: list[Json], places: list[_Place]) -> None:
    """Take out the items that nothing names, and give the others' new numbers to whatever names them."""
    alive = sorted({holder[key] for holder, key in places if holder[key] < len(items)})
    number = {old: new for new, old in enumerate(alive)}
    items[:] = [items[i] for i in alive]
    for holder, key in places:
        holder[key] = number.get(holder[key], holder[key])


def _blank(items: list[Json], alive: set[int]) -> list[int]:
    """Let the items that nothing names repeat one that something does, and return their numbers."""
    used = [i for i in range(len(items)) if i in alive]
    gone = [i for i in range(len(items)) if i not in alive] if used else []
    for i in gone:
        items[i] = dict(items[used[0]])
    if not used:
        items.clear()
    return gone


def _walk(json: Any, found: Callable[[Any, Any], Iterator[_Place] | None]) -> Iterator[_Place]:
    """The places that ``found(object, key)`` gives; where it gives None, those inside the value."""
    entries = json.items() if isinstance(json, dict) else enumerate(json) if isinstance(json, list) else ()
    for key, value in entries:
        if key == "extras":  # anybody's own, whatever it is called
            continue
        own = found(json, key)
        if own is not None:
            yield from own
        else:
            yield from _walk(value, found)


def _is_number(value: Any) -> bool:
    return isinstance(value, int) and not isinstance(value, bool)


def _places_of_accessors(json: Any) -> Iterator[_Place]:
    def found(holder: Any, key: Any) -> Iterator[_Place] | None:
        value = holder[key]
        if key in _ACCESSOR and _is_number(value):
            return iter([(holder, key)])
        if key in _ACCESSORS:
            objects = value if isinstance(value, list) else [value]
            if all(isinstance(o, dict) for o in objects):
                return ((o, k) for o in objects for k in o if _is_number(o[k]))
        return None

    return _walk(json, found)


def _places_of_views(json: Any) -> Iterator[_Place]:
    def found(holder: Any, key: Any) -> Iterator[_Place] | None:
        return iter([(holder, key)]) if key == "bufferView" and _is_number(holder[key]) else None

    return _walk(json, found)


def _numbers_of_the_unknown(json: Any) -> set[int]:
    """Every whole number in extensions that are not registered: it may name an accessor or a view."""
    inner = list(json.values()) if isinstance(json, dict) else json if isinstance(json, list) else []
    out = set[int]().union(*map(_numbers_of_the_unknown, inner))
    own = json.get("extensions") if isinstance(json, dict) else None
    for name, value in own.items() if isinstance(own, dict) else ():
        if not name.startswith(_REGISTERED):
            out |= _whole_numbers(value)
    return out


def _whole_numbers(json: Any) -> set[int]:
    inner = list(json.values()) if isinstance(json, dict) else json if isinstance(json, list) else []
    return ({json} if _is_number(json) else set[int]()).union(*map(_whole_numbers, inner))
