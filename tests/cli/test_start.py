"""What the command line does without: a question about a small file is answered before a compiler has started."""

from __future__ import annotations

import subprocess
import sys
from pathlib import Path

import pytest

ROOT = Path(__file__).parents[2]
_ASKED = """
import sys
from reflexa.cli.main import main
try:
    main(sys.argv[1:])
except SystemExit as e:
    assert not e.code, e.code
heavy = {"numba", "scipy", "pxr", "PySide6"} & set(sys.modules)
sys.exit(f"{heavy} loaded" if heavy else 0)
"""


@pytest.mark.parametrize("file", ["boxing_cut.bvh", "01_01_cut.bvh", "hand_left.glb", "simple_skin.gltf"])
def test_a_small_file_is_told_without_the_compiler(file: str) -> None:
    asked = [sys.executable, "-c", _ASKED, "info", str(ROOT / "tests" / "data" / file)]
    answer = subprocess.run(asked, capture_output=True, text=True, cwd=ROOT, check=False)
    assert answer.returncode == 0, answer.stderr
    assert "joints" in answer.stdout
