"""Views of a take: places from which it is looked at, kept under names."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from reflexa.draw import Camera
from reflexa.motion.arrays import vector
from reflexa.names import free_name
from reflexa.session.session import Session
from reflexa.take import View


def of_camera(name: str, camera: Camera, follow: bool) -> View:
    """Where a camera stands, as it is saved: to the millimetre and the tenth of a degree."""
    x, y, z = vector(np.round(camera.target, 3))
    return View(
        name,
        (x, y, z),
        round(camera.yaw, 1),
        round(camera.pitch, 1),
        round(camera.distance, 3),
        camera.perspective,
        follow,
    )


def camera_of(view: View, now: Camera) -> Camera:
    """The camera of a view; its field is that of the one now."""
    return replace(
        now,
        target=view.target,
        yaw=view.yaw,
        pitch=view.pitch,
        distance=max(view.distance, 0.05),
        perspective=view.perspective,
    )


def keep(session: Session, name: str, camera: Camera, follow: bool) -> None:
    """Keep where the camera stands; a view of that name is put there."""
    take = session.take
    if take is None or not name.strip():
        return
    view = of_camera(name.strip(), camera, follow)
    others = tuple(v for v in take.views if v.name != view.name)
    session.edit_take(f"save view {view.name}", replace(take, views=(*others, view)))


def rename(session: Session, view: View, name: str) -> None:
    """Another name for a view."""
    take = session.take
    if take is None or view not in take.views or not name.strip() or name.strip() == view.name:
        return
    own = free_name(name.strip(), (v.name for v in take.views if v != view))
    views = tuple(replace(v, name=own) if v == view else v for v in take.views)
    session.edit_take(f"rename view {view.name}", replace(take, views=views))


def remove(session: Session, view: View) -> None:
    take = session.take
    if take is not None:
        session.edit_take(f"remove view {view.name}", replace(take, views=tuple(v for v in take.views if v != view)))
