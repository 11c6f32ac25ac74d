"""The cache of outcomes, shared by threads: whoever asks gets what they asked for, and it keeps to its size."""

from __future__ import annotations

import random
from concurrent.futures import ThreadPoolExecutor

import numpy as np

from reflexa.steps import make
from reflexa.take import Cache, Source, Surroundings, Take, evaluate


def test_many_threads_share_a_cache(deckhand_clips, deckhand_rig) -> None:
    cache, walk = Cache(most_bytes=2_000_000), deckhand_clips["walk"]  # so small that it forgets all the time
    takes = [
        Take(f"t{i}", Source("x", "walk"), (make("mirror", weight := f"m{i}"), make("correction", weight)))
        for i in range(4)
    ]
    alone = [evaluate(t, walk, deckhand_rig).result for t in takes]

    def work(seed: int) -> bool:
        rng = random.Random(seed)
        for _ in range(12):
            i = rng.randrange(len(takes))
            found = evaluate(takes[i], walk, deckhand_rig, Surroundings(cache=cache)).result
            if not np.array_equal(found.rotations, alone[i].rotations):
                return False
        return True

    with ThreadPoolExecutor(6) as pool:
        assert all(pool.map(work, range(12)))
