"""The reference: every kind of step with its settings, every format and every finding, as Markdown made from what they say of
themselves."""

from __future__ import annotations

from typing import Any

from reflexa.checks import CHECKS
from reflexa.formats import FORMATS
from reflexa.steps import KINDS, StepKind, describe


def reference() -> str:
    """The whole of it."""
    parts = [
        "# Reference\n\nMade by `./run docs` from the kinds of steps, formats and findings themselves.\n",
        "## Kinds of steps\n",
        *(_kind(k) for k in KINDS.values()),
        "## Formats\n",
        _formats(),
        "## Findings\n",
        _findings(),
    ]
    return "\n".join(parts)


def _kind(kind: StepKind) -> str:
    out = [f"### {kind.title} (`{kind.kind}`)\n", f"{kind.help}\n"]
    if not kind.weighed:
        out.append("It takes the clip over as a whole: it has no weight, envelope or mask.\n")
    rows = [_setting(s) for s in describe(kind)["settings"]]
    if rows:
        out += ["| Setting | Values | Begins as | What it does |", "|---|---|---|---|", *rows, ""]
    return "\n".join(out)


def _setting(s: dict[str, Any]) -> str:
    values = " or ".join(f"`{c}`" for c in s["choices"]) if "choices" in s else s["type"]
    if "least" in s or "most" in s:
        values += f" {s.get('least', '')} to {s.get('most', '')}".rstrip()
    if "unit" in s:
        values += f", {s['unit']}"
    default = s["default"]
    begins = "" if default in ("", None, [], {}) else f"`{default}`"
    return f"| `{s['name']}` | {_cell(values)} | {_cell(begins)} | {_cell(s['help'])} |"


def _cell(text: str) -> str:
    return text.replace("|", "\\|").replace("\n", " ")


def _formats() -> str:
    rows = ["| Format | Suffixes | Read | Written | Clips a file |", "|---|---|---|---|---|"]
    for f in FORMATS.values():
        several = "several" if f.several_clips else "one"
        written = "yes" if f.encode is not None else "no"
        rows.append(f"| {f.title} | {', '.join(f.suffixes)} | yes | {written} | {several} |")
    return "\n".join([*rows, ""])


def _findings() -> str:
    rows = ["| Finding | What it measures |", "|---|---|"]
    rows += [f"| {c.title} (`{c.name}`) | {_cell(c.help)} |" for c in CHECKS.values()]
    return "\n".join([*rows, ""])
