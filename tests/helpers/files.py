"""Where the test data, the demo's sources and the documents lie."""

from __future__ import annotations

from pathlib import Path

ROOT = Path(__file__).parents[2]
DATA = ROOT / "tests" / "data"
NODE = ROOT / "tests" / "node"
DEMO = ROOT / "reflexa" / "demo" / "project"
DECKHAND = DEMO / "sources" / "deckhand.glb"
KEEPER = DEMO / "sources" / "ferrykeeper.glb"
