"""``./run fuzz``: damaged files for every reader, and what was not answered by an error of ours."""

from __future__ import annotations

import argparse
import collections
import os

from fuzz.running import fuzz
from fuzz.targets import TARGETS


def main() -> int:
    a = argparse.ArgumentParser(prog="./run fuzz", description=__doc__)
    a.add_argument(
        "--format", choices=list(TARGETS), action="append", help="only this reader; may be given several times"
    )
    a.add_argument("--seconds", type=float, default=60.0, help="for all of them together")
    a.add_argument("--seed", type=int, default=1)
    a.add_argument("--jobs", type=int, default=os.cpu_count() or 1)
    said = a.parse_args()
    wrong = 0
    for name, (count, bad) in fuzz(said.format or list(TARGETS), said.seconds, said.seed, said.jobs).items():
        kinds = collections.Counter(text.split(":")[0] for _, text in bad)
        print(f"{name:<11} {count:>7} inputs, {len(bad)} wrong" + (f" ({dict(kinds)})" if bad else ""))
        seen: set[str] = set()
        for at, text in bad:
            if text[:60] not in seen and len(seen) < 12:
                seen.add(text[:60])
                print(f"    seed {at}: {text}")
        wrong += len(bad)
    return 1 if wrong else 0


if __name__ == "__main__":
    raise SystemExit(main())
