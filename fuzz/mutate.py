"""Ways to damage a file: bytes, numbers, words, and the structure of JSON."""

from __future__ import annotations

import json
import random
import re
import struct
from collections.abc import Callable
from typing import Any

Mutation = Callable[[bytes, random.Random], bytes]

_NUMBERS = (
    "0",
    "-1",
    "1e999",
    "-1e308",
    "1e-320",
    "nan",
    "4294967296",
    "99999999999999999999",
    "0x10",
    "x",
    "",
    "1,5",
    "--3",
    "1e6",
    "1e-9",
)
_VALUES: tuple[Any, ...] = (
    None, True, -1, 0, 3.5, 1e308, 2**31, 2**53, 10**30, "", "x", "\0", "é" * 200, "../../x",
    [], {}, [[]], {"a": {}}, [1e300] * 3,
)  # fmt: skip
_NUMBER = re.compile(rb"-?\d+(?:\.\d+)?(?:[eE][-+]?\d+)?")
_WORD = re.compile(rb"[A-Za-z_]{2,}")


def flipped(data: bytes, r: random.Random) -> bytes:
    out = bytearray(data)
    for _ in range(r.choice((1, 1, 2, 8)) if out else 0):  # there may be nothing left to be damaged
        out[r.randrange(len(out))] = r.randrange(256)
    return bytes(out)


def cut(data: bytes, r: random.Random) -> bytes:
    return data[: r.randrange(len(data))]


def piece_gone(data: bytes, r: random.Random) -> bytes:
    a = r.randrange(len(data))
    return data[:a] + data[a + r.choice((1, 2, 4, 16, 200)) :]


def piece_twice(data: bytes, r: random.Random) -> bytes:
    a = r.randrange(len(data))
    b = min(len(data), a + r.choice((1, 4, 40, 400)))
    return data[:b] + data[a:b] * r.choice((1, 1, 3)) + data[b:]


def put_in(data: bytes, r: random.Random) -> bytes:
    a = r.randrange(len(data))
    return data[:a] + r.choice((b"\0", b"\xff\xfe", b"\n", b"{", b"[" * 2000, b'"', b" " * 50, b"\xf0\x9f")) + data[a:]


def number(data: bytes, r: random.Random) -> bytes:
    """One number of a text is another."""
    found = [m.span() for m in _NUMBER.finditer(data[: 1 << 20])]
    if not found:
        return flipped(data, r)
    a, b = r.choice(found)
    return data[:a] + r.choice(_NUMBERS).encode() + data[b:]


def word(data: bytes, r: random.Random) -> bytes:
    """One word of a text is another of it, or none."""
    found = [m.span() for m in _WORD.finditer(data[: 1 << 20])]
    if not found:
        return flipped(data, r)
    (a, b), (c, d) = r.choice(found), r.choice(found)
    return data[:a] + (data[c:d] if r.random() < 0.7 else b"") + data[b:]


def words(data: bytes, r: random.Random) -> bytes:
    """Four bytes of a binary file are another whole number."""
    if len(data) < 8:
        return flipped(data, r)
    at = r.randrange(0, len(data) - 4, 4) if r.random() < 0.5 else r.randrange(min(len(data) - 4, 400))
    value = r.choice((0, 1, 0x7FFFFFFF, 0xFFFFFFFF, 0x80000000, 0x7FC00000, 0x7F800000, 65535, r.getrandbits(32)))
    return data[:at] + struct.pack("<I", value) + data[at + 4 :]


def structure(data: bytes, r: random.Random) -> bytes:
    """One value of JSON is another, gone, or twice there."""
    try:
        root = json.loads(data)
    except (ValueError, RecursionError):
        return flipped(data, r)
    places: list[tuple[Any, Any]] = []
    todo = [root]
    while todo and len(places) < 20_000:
        at = todo.pop()
        for key, value in at.items() if isinstance(at, dict) else enumerate(at) if isinstance(at, list) else ():
            places.append((at, key))
            if isinstance(value, dict | list):
                todo.append(value)
    for _ in range(r.choice((1, 1, 2))):
        if not places:
            break
        at, key = r.choice(places)
        try:
            roll = r.random()
            if roll < 0.2:
                del at[key]
            elif roll < 0.3 and isinstance(at, list):
                at.extend(at[:200])
            elif roll < 0.4:
                other, which = r.choice(places)
                at[key] = other[which]
            else:
                at[key] = r.choice(_VALUES)
        except (KeyError, IndexError):
            continue
    try:
        return json.dumps(root).encode()
    except (ValueError, RecursionError):
        return data


def chunk(data: bytes, r: random.Random) -> bytes:
    """The JSON of a GLB, with lengths put right; or its lengths alone."""
    if len(data) < 20 or data[:4] != b"glTF" or r.random() < 0.2:
        return words(data, r)
    length = int.from_bytes(data[12:16], "little")
    text, rest = structure(data[20 : 20 + length], r), data[20 + length :]
    text += b" " * (-len(text) % 4)
    return (
        data[:8]
        + struct.pack("<I", 20 + len(text) + len(rest))
        + struct.pack("<I", len(text))
        + data[16:20]
        + text
        + rest
    )


BYTES: tuple[Mutation, ...] = (flipped, cut, piece_gone, piece_twice, put_in)
TEXT: tuple[Mutation, ...] = (*BYTES, number, number, word)
JSON: tuple[Mutation, ...] = (*BYTES, structure, structure, structure, number)
BINARY: tuple[Mutation, ...] = (*BYTES, words, words)
GLB: tuple[Mutation, ...] = (*BYTES, chunk, chunk, chunk, words)
