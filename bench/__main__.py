"""``./janoglot bench``: run the benchmarks (or those named) and say whether each reaches its mark."""

from __future__ import annotations

import sys
from collections.abc import Callable, Iterable

from bench import adapting, casting, directing, edition, mixing, packages, placing, rich, script, sound_world, voicing
from bench.result import Result

BENCHES: dict[str, Callable[[], Iterable[Result]]] = {
    "voicing": voicing.run,
    "mixing": mixing.run,
    "sounds": sound_world.run,
    "placing": placing.run,
    "rich": rich.run,
    "script": script.run,
    "casting": casting.run,
    "adapting": adapting.run,
    "edition": edition.run,
    "directing": directing.run,
    "packages": packages.run,
}


def main(names: list[str]) -> int:
    unknown = set(names) - set(BENCHES)
    if unknown:
        print(f"There is no benchmark “{', '.join(sorted(unknown))}”. Choose from: {' '.join(BENCHES)}.",
              file=sys.stderr)
        return 2
    missed = 0
    for name, bench in BENCHES.items():
        if names and name not in names:
            continue
        for result in bench():
            missed += not result.reached
            print(result, flush=True)
    return 1 if missed else 0


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
