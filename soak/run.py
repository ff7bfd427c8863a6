"""``./bouncy soak``: random trials for some minutes, the same for the same seed; exit code 1 when anything failed."""

from __future__ import annotations

import argparse
import os
import sys
import time

from soak import designs, hostile, kills, window

PARTS = {"designs": designs.run, "kills": kills.run, "files": hostile.run, "window": window.run}
MOST_SHOWN = 12


def main() -> int:
    parser = argparse.ArgumentParser(prog="bouncy soak", description=__doc__)
    parser.add_argument("--minutes", type=float, default=10.0, help="all parts together")
    parser.add_argument("--seed", type=int, default=int(time.time()), help="the same seed tries the same things")
    parser.add_argument("--part", choices=list(PARTS), action="append", help="only this part; may be repeated")
    options = parser.parse_args()
    chosen = options.part or list(PARTS)
    print(f"seed {options.seed}, {options.minutes:g} minutes: {', '.join(chosen)}", flush=True)
    failed = 0
    for part in chosen:
        begun = time.monotonic()
        tally, faults = PARTS[part](options.seed, 60 * options.minutes / len(chosen))
        failed += len(faults)
        counts = ", ".join(f"{what} {count}" for what, count in tally.items())
        print(f"{part}: {counts}; {len(faults)} faults in {time.monotonic() - begun:.0f} s", flush=True)
        for fault in faults[:MOST_SHOWN]:
            print(f"  {fault}", flush=True)
    return 1 if failed else 0


if __name__ == "__main__":
    code = main()
    sys.stdout.flush()
    os._exit(code)  # as the application does: nothing is left to say for libraries that are taken apart
