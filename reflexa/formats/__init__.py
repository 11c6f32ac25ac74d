"""Files in and out: one module a format, a registry, the import frame. Errors are typed and name the place."""

from reflexa.formats.imported import Imported, ReadOptions
from reflexa.formats.registry import FORMATS, SUFFIXES, WriteOptions, encode, read

__all__ = ["FORMATS", "SUFFIXES", "Imported", "ReadOptions", "WriteOptions", "encode", "read"]
