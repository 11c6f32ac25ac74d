"""More than one context in a process, and more than one thread that draws."""

from __future__ import annotations

from concurrent.futures import ThreadPoolExecutor

import moderngl
import numpy as np

from reflexa.draw import Camera, Figure, OwnContext, Scene
from reflexa.draw.scene import matrices_at
from reflexa.formats import read
from tests.helpers.files import DECKHAND


def test_each_context_draws_its_own_whoever_made_the_last_one() -> None:
    # A context is current on its thread until somebody asks for another, and what is drawn into another's holds other meshes:
    # wrong pictures, or the end of the process.
    document = read(DECKHAND)
    figure = Figure(document.rig.meshes, matrices_at(document.clips[0], 0))
    scenes = Scene(), Scene((0.2, 0.3, 0.4), figures=(figure,))
    camera = Camera().framed(np.zeros(3), np.array([0.5, 1.8, 0.5]))

    def drawn(own: OwnContext, scene: Scene) -> bytes:
        with own.current() as renderer:
            return bytes(renderer.render(scene, camera, 64, 48))

    with ThreadPoolExecutor(1) as elsewhere, ThreadPoolExecutor(1) as another:
        one, other = OwnContext(), elsewhere.submit(OwnContext).result()
        alone = [drawn(one, s) for s in scenes]
        assert alone[0] != alone[1]
        backend: dict = {"backend": "egl"}
        stranger = moderngl.create_context(standalone=True, require=330, **backend)
        for own in (one, other):
            assert [drawn(own, s) for s in scenes] == alone
            assert [another.submit(drawn, own, s).result() for s in scenes] == alone
        stranger.release()
        assert [drawn(one, s) for s in scenes] == alone
        one.release()
        assert another.submit(drawn, other, scenes[1]).result() == alone[1]
        other.release()
