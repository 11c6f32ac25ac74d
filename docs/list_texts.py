"""``python docs/list_texts.py [FOLDER …]``: every text that a person may come to read, by file, to be read from top to bottom.

Doc comments are left out, and so are words that only programs read: one word in small letters, names with underscores,
what stands for a column or key.
"""

from __future__ import annotations

import ast
import re
import sys
from collections.abc import Iterator
from pathlib import Path

ROOT = Path(__file__).parents[1]
# Places in menus, shortcuts, identifiers, and filters of file dialogs.
_NOT_READ = re.compile(r"^[A-Z]\w+/\w+|^(Ctrl|Alt|Shift)\+|^F\d+$|^\S*_\S*$|^[A-Z]{2,}$|^\{…\}\S*$")
FOLDERS = (
    "desktop",
    "checks",
    "steps",
    "cli",
    "review",
    "stage",
    "rig",
    "formats",
    "take",
    "project",
    "batch",
    "library",
)


def texts(code: str) -> Iterator[tuple[int, str]]:
    """Line and text of what people read in a module; gaps that are filled in later stand as ``{…}``."""
    tree = ast.parse(code)
    inside = {id(v) for n in ast.walk(tree) if isinstance(n, ast.JoinedStr) for v in n.values}
    for node in ast.walk(tree):
        if isinstance(node, ast.Expr) and isinstance(node.value, ast.Constant):
            inside.add(id(node.value))  # a doc comment
    for node in ast.walk(tree):
        if id(node) in inside:
            continue
        if isinstance(node, ast.Constant) and isinstance(node.value, str):
            text = node.value
        elif isinstance(node, ast.JoinedStr):
            text = "".join(v.value if isinstance(v, ast.Constant) else "{…}" for v in node.values)
        else:
            continue
        if is_read(text):
            yield node.lineno, text


def is_read(text: str) -> bool:
    """Does a text look like something that people read?"""
    words = text.strip()
    if (
        len(words) < 2
        or not any(c.isalpha() for c in words)
        or any(w in words for w in ("://", "::", "{{", "#version"))
    ):
        return False
    if _NOT_READ.search(words):
        return False
    return " " in words or words[0].isupper() or "…" in words


def main() -> None:
    """Print them."""
    for folder in sys.argv[1:] or FOLDERS:
        for path in sorted((ROOT / "reflexa" / folder).rglob("*.py")):
            found = sorted(set(texts(path.read_text())))
            if found:
                print(f"\n{path.relative_to(ROOT)}")
            for line, text in found:
                print(f"  {line}: {text.strip()!r}")


if __name__ == "__main__":
    main()
