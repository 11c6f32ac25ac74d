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


def test_a_build_server_needs_no_toolkit_and_is_told_where_one_is_needed(tmp_path: Path) -> None:
    """Blocked as if the extra had not been installed: commands work, and what draws says which extra it needs."""
    blocker = (
        "import sys\n"
        "class Blocked:\n"
        "    def find_spec(self, name, path=None, target=None):\n"
        "        if name.split('.')[0] in ('PySide6', 'shiboken6', 'moderngl', 'pyqtgraph'):\n"
        "            raise ModuleNotFoundError(f'No module named {name!r}', name=name)\n"
        "sys.meta_path.insert(0, Blocked())\n"
        "from reflexa.cli import main\n"
        "main(sys.argv[1:])\n"
    )
    walk, out = ROOT / "tests/data/humanoid3d_walk.bvh", tmp_path / "out"

    def ran(*args: object) -> subprocess.CompletedProcess[str]:
        return subprocess.run(
            [sys.executable, "-c", blocker, *map(str, args)], capture_output=True, text=True, cwd=ROOT, timeout=120
        )

    for args in (
        ("info", walk),
        ("check", walk),
        ("apply", walk, "--step", "mirror", "--out", out),
        ("library", "list"),
    ):
        done = ran(*args)
        assert done.returncode in (0, 1) and "Traceback" not in done.stderr, (args, done.stderr)
    told = ran("picture", walk, "--out", tmp_path / "a.png")
    assert told.returncode == 2 and 'pip install "reflexa[window]"' in told.stderr and "Traceback" not in told.stderr
