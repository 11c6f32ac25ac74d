"""Where the picture is taken from: a value that orbits, pans and zooms about a target."""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np

from reflexa.motion.arrays import Array, vector

STANDARD: dict[str, tuple[float, float]] = {
    "front": (0.0, 0.0),
    "left side": (90.0, 0.0),
    "right side": (-90.0, 0.0),
    "back": (180.0, 0.0),
    "top": (0.0, 89.9),
    "three-quarter": (32.0, 12.0),
}


# How much of the picture's height a framed figure fills.
_FILLS = 0.8


@dataclass(frozen=True)
class Camera:
    """yaw: degrees about up, 0 looks at the figure's front, 90 at its left side; pitch: degrees above the ground.

    distance in metres from the target; field: vertical field of view in degrees (perspective), and in parallel views
    the height of the picture at the target is the same.
    """

    target: tuple[float, float, float] = (0.0, 0.95, 0.0)
    yaw: float = 32.0
    pitch: float = 12.0
    distance: float = 4.2
    perspective: bool = True
    field: float = 34.0

    @cached_property
    def axes(self) -> tuple[Array, Array, Array]:
        """Right, up and backward (towards the viewer) unit vectors."""
        a, b = np.radians(self.yaw), np.radians(self.pitch)
        back = np.array([np.sin(a) * np.cos(b), np.sin(b), np.cos(a) * np.cos(b)])
        right = np.array([np.cos(a), 0.0, -np.sin(a)])
        return right, np.cross(back, right), back

    @cached_property
    def eye(self) -> Array:
        return np.asarray(np.array(self.target) + self.axes[2] * self.distance)

    @property
    def horizon(self) -> float:
        """How high the horizon is in the picture, -1 its lower edge and 1 its upper one; beyond them it is not in it."""
        half = np.tan(np.radians(self.field) / 2)
        return float(np.tan(np.radians(np.clip(self.pitch, -80, 80))) / (half if self.perspective else 0.2 * half))

    def view(self) -> Array:
        """World to camera, ``(4, 4)``."""
        out = np.eye(4)
        out[:3, :3] = np.stack(self.axes)
        out[:3, 3] = -out[:3, :3] @ self.eye
        return out

    def projection(self, aspect: float) -> Array:
        """Camera to clip space, ``(4, 4)``."""
        near, far = max(0.02, self.distance * 0.02), self.distance * 4 + 60
        half = np.tan(np.radians(self.field) / 2)
        out = np.zeros((4, 4))
        if self.perspective:
            out[0, 0], out[1, 1] = 1 / (half * aspect), 1 / half
            out[2, 2], out[2, 3] = (far + near) / (near - far), 2 * far * near / (near - far)
            out[3, 2] = -1
        else:
            h = half * self.distance
            out[0, 0], out[1, 1] = 1 / (h * aspect), 1 / h
            out[2, 2], out[2, 3] = -1 / far, 0.0
            out[3, 3] = 1
        return out

    def matrix(self, aspect: float) -> Array:
        return np.asarray(self.projection(aspect) @ self.view())

    def project(self, points: Array, width: int, height: int) -> Array:
        """Pixels ``(…, 2)`` (y down) and depth ``(…, 1)`` of world points, as ``(…, 3)``; points behind get depth inf."""
        p = np.asarray(points, dtype=np.float64)
        clip = np.concatenate([p, np.ones((*p.shape[:-1], 1))], axis=-1) @ self.matrix(width / height).T
        w = clip[..., 3:]
        behind = w <= 1e-6
        ndc = clip[..., :3] / np.where(behind, 1.0, w)
        out = np.stack(
            [
                (ndc[..., 0] + 1) * width / 2,
                (1 - ndc[..., 1]) * height / 2,
                np.where(behind[..., 0], np.inf, ndc[..., 2]),
            ],
            axis=-1,
        )
        return out

    def ray(self, x: float, y: float, width: int, height: int) -> tuple[Array, Array]:
        """Origin and unit direction of the line through a pixel."""
        right, up, back = self.axes
        half = np.tan(np.radians(self.field) / 2)
        u, v = (2 * x / width - 1) * half * width / height, (1 - 2 * y / height) * half
        if self.perspective:
            d = u * right + v * up - back
            return self.eye, d / np.linalg.norm(d)
        return self.eye + (u * right + v * up) * self.distance, -back

    def pixel_size(self, point: Array, height: int) -> float:
        """Metres that one pixel covers at a world point."""
        depth = float((self.eye - point) @ self.axes[2]) if self.perspective else self.distance
        return float(2 * np.tan(np.radians(self.field) / 2) * max(depth, 1e-3) / height)

    def orbited(self, dx: float, dy: float) -> Camera:
        """Turned about the target by a drag in pixels."""
        return replace(self, yaw=self.yaw - dx * 0.4, pitch=float(np.clip(self.pitch + dy * 0.4, -89.9, 89.9)))

    def panned(self, dx: float, dy: float, height: int) -> Camera:
        """Moved sideways so that what is under the pointer follows a drag in pixels."""
        right, up, _ = self.axes
        size = self.pixel_size(np.array(self.target), height)
        x, y, z = np.array(self.target) - right * dx * size + up * dy * size
        return replace(self, target=(float(x), float(y), float(z)))

    def zoomed(self, factor: float) -> Camera:
        return replace(self, distance=float(np.clip(self.distance * factor, 0.05, 500.0)))

    def framed(self, low: Array, high: Array, aspect: float = 1.0) -> Camera:
        """Looking at a box from the same side, filling four fifths of the picture's height, or as much as its width lets it.
        aspect: width to height of the picture."""
        centre = (low + high) / 2
        corners = np.array([[x, y, z] for x in (low[0], high[0]) for y in (low[1], high[1]) for z in (low[2], high[2])])
        right, up, back = self.axes
        half = np.tan(np.radians(self.field) / 2) * _FILLS
        x, y, nearer = ((corners - centre) @ axis for axis in (right, up, back))
        reach = np.maximum(np.abs(y) / half, np.abs(x) / (half * aspect))
        distance = float(np.max(reach + nearer)) if self.perspective else float(np.max(reach))
        return replace(self, target=vector(centre), distance=max(distance, 0.15))

    def shows(self, low: Array, high: Array, aspect: float = 1.0) -> bool:
        """True if the middle of a box is visible, and the box is neither tiny nor around the camera."""
        centre, size = (low + high) / 2, float(np.linalg.norm(high - low))
        at = self.project(centre, 1000, round(1000 / aspect))
        inside = 0 <= at[0] <= 1000 and 0 <= at[1] * aspect <= 1000 and bool(np.isfinite(at[2]))
        return inside and 0.4 * size < self.distance < 20 * size

    def standard(self, name: str) -> Camera:
        """One of the standard views about the same target."""
        yaw, pitch = STANDARD[name]
        return replace(self, yaw=yaw, pitch=pitch)
