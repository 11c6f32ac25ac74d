"""Light figures as bytes, to be kept in the index, and back."""

from __future__ import annotations

import msgspec
import numpy as np

from reflexa.library.light import Light, Strokes


def strokes_packed(strokes: Strokes) -> bytes:
    """The strokes of a rig as bytes."""
    return msgspec.json.encode(strokes)


def strokes_unpacked(data: bytes) -> Strokes:
    """And back. Raises msgspec's errors."""
    return msgspec.json.decode(data, type=Strokes)


def light_packed(light: Light) -> bytes:
    """Poses as bytes; where they stand and how large they are is kept beside."""
    return light.points.astype("<u2").tobytes()


def light_unpacked(data: bytes, points: int, low: float, size: float) -> Light:
    """And back, for a rig of so many points. Raises ValueError where the bytes are no poses of it."""
    return Light(np.frombuffer(data, "<u2").reshape(-1, points, 3), low, size)
