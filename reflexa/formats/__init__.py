"""Files in and out: one module a format, found by being here; the import frame. Errors are typed and name the place."""

from reflexa import plugins
from reflexa.formats.from_memory import read_from
from reflexa.formats.imported import Imported, ReadOptions
from reflexa.formats.model import Format, WriteOptions
from reflexa.formats.registry import (
    FORMATS,
    STANDARD,
    by_suffix,
    encode,
    read,
    register,
    suffixes,
    with_meshes,
    writable,
)

__all__ = [
    "FORMATS",
    "STANDARD",
    "Format",
    "Imported",
    "ReadOptions",
    "WriteOptions",
    "by_suffix",
    "encode",
    "read",
    "read_from",
    "register",
    "suffixes",
    "with_meshes",
    "writable",
]

# What installed packages bring, once everything here has its name.
plugins.load_entry_points("reflexa.formats", Format, register)
