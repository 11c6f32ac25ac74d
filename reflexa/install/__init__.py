"""Reflexa among the programs of a desktop: desktop entry, icon, metainfo, MIME types, man page, and completion in shells."""
