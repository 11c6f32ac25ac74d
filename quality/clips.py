"""The clips of the matrix: the demo's, those of the tests and of any folder, and made ones."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from functools import cache
from importlib.resources import files
from pathlib import Path

from quality import made
from quality.figure import Figure
from reflexa.errors import ReflexaError
from reflexa.formats import read, suffixes

HERE = Path(__file__).parents[1]


def matrix(folders: Iterable[Path]) -> dict[str, Figure]:
    """All of them by name."""
    return dict([*demo(), *made_ones(), *found(folders)])


@cache
def demo() -> tuple[tuple[str, Figure], ...]:
    """The demo's clips by name, read once."""
    folder = Path(str(files("reflexa.demo").joinpath("project/sources")))
    return tuple(pair for path in sorted(folder.glob("*.glb")) for pair in _of(path))


def demo_rigs() -> dict[str, Figure]:
    """The demo's figures by name, each with its first clip."""
    return {name.split(":")[0]: figure for name, figure in reversed(demo())}


def found(folders: Iterable[Path]) -> Iterator[tuple[str, Figure]]:
    """Every clip with more than a frame of every file in folders, once."""
    known = set()
    for folder in folders:
        for path in sorted(p for p in folder.rglob("*") if p.suffix in suffixes()):
            for name, figure in _of(path):
                if figure.clip.digest not in known and figure.clip.frames > 2:
                    known.add(figure.clip.digest)
                    yield name, figure


def _of(path: Path) -> Iterator[tuple[str, Figure]]:
    try:
        document = read(path)
    except ReflexaError as e:
        print(f"  {path.name} is left out: {e}")
        return
    for clip in document.clips:
        yield f"{path.stem}: {clip.name}", Figure(clip, document.rig)


def made_ones() -> Iterator[tuple[str, Figure]]:
    deckhand = demo_rigs()["deckhand"]
    s = deckhand.rig.skeleton
    clips = [made.crawl(s), made.cartwheel(s), made.stiff(deckhand.clip, s), made.joined(deckhand)]
    for clip in clips:
        yield f"made: {clip.name}", Figure(clip, deckhand.rig)
    for clip in (deckhand.clip, clips[0], clips[2]):
        odd = made.odd(clip, deckhand.rig)
        yield f"made: {odd[0].name}", Figure(*odd)
