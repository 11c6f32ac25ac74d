"""Odd values in the cells of the index are damage: told, and the index is created again (found by ./run fuzz --format index)."""

from __future__ import annotations

import sqlite3
from pathlib import Path

import pytest

from fuzz import own
from reflexa.errors import ReflexaError

CELLS = [
    ("files", "size", "x"), ("files", "path", 7), ("files", "untidy", b"\xff"), ("files", "time", None),
    ("clips", "events", 3.5), ("clips", "points", b"\0" * 7), ("clips", "features", b"x"), ("clips", "frames", "x"),
    ("clips", "low", 1e308), ("rigs", "packed", b"\x80" * 99), ("rigs", "strokes", b""), ("clips", "faults", -1),
]  # fmt: skip


@pytest.mark.parametrize(("table", "column", "value"), CELLS)
def test_an_odd_cell_costs_the_index_at_most(table: str, column: str, value: object, tmp_path: Path) -> None:
    path = tmp_path / "a.sqlite"
    path.write_bytes(own.index_seeds()["a.sqlite"])
    db = sqlite3.connect(path, isolation_level=None)
    try:
        db.execute(f"update {table} set {column} = ?", [value])
    except sqlite3.IntegrityError:
        return  # the table takes no such value
    finally:
        db.close()
    try:
        own.use_index(path)
    except ReflexaError as e:
        assert "index of the library" in str(e) or "created again" in str(e)
    own.use_index(path)
