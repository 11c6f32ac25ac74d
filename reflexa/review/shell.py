"""A page that is one file: its style, font, script and data in it, and nothing fetched."""

from __future__ import annotations

import base64
import hashlib
import html
import json
from dataclasses import fields
from importlib.resources import files
from typing import Any

from reflexa.draw import palette as palettes
from reflexa.draw.palette import Palette


def assembled(name: str, kind: str, title: str, data: str) -> bytes:
    """The page of a template (NAME.html, NAME.js, page.css) with its title and blocks of data; kind: what it calls itself. Only
    its own script may run."""
    script = resource(f"{name}.js")
    said = {
        "head": resource("head.html").rstrip(),
        "kind": kind,
        "title": html.escape(title),
        "script_hash": "sha256-" + base64.b64encode(hashlib.sha256(script.encode()).digest()).decode(),
        "font": _font(),
        "style": _style(),
        "data": data,
        "script": script,
    }
    out = resource(f"{name}.html")
    for part, text in said.items():
        out = out.replace("{{" + part + "}}", text, 1)
    return out.encode()


def resource(name: str) -> str:
    """The text of a file of the page."""
    return files("reflexa.review").joinpath(f"page/{name}").read_text(encoding="utf-8")


def block(id_: str, data: Any) -> str:
    """Data in the page that is never run, whatever it says: no character that could end it is left as it is."""
    said = json.dumps(data, ensure_ascii=False, separators=(",", ":"), allow_nan=False)
    for sign in "<>&\u2028\u2029":
        said = said.replace(sign, f"\\u{ord(sign):04x}")
    return f'<script type="application/json" id="{id_}">{said}</script>'


def _font() -> str:
    data = base64.b64encode(palettes.font()).decode()
    return f"@font-face {{ font-family: {palettes.FAMILY}; src: url(data:font/ttf;base64,{data}); }}"


def _style() -> str:
    out = resource("page.css")
    for prefix, p in (("LIGHT", palettes.DAYLIGHT), ("DARK", palettes.NIGHT)):
        # The longer names first: "on_accent" ends as "accent" does.
        for field in sorted(fields(Palette), key=lambda f: -len(f.name)):
            value = getattr(p, field.name)
            if isinstance(value, str):
                out = out.replace(f"{prefix}_{field.name}", value)
    return out
