"""Press random keys in the workbench for a while: whatever is pressed, it must not end.

    ./dev fuzz keys --minutes 60 --seed 1

The keys are the same for the same seed. When the workbench ends or stops answering, the last keys
are printed and the status is 1. The course is a copy of the shipped one, in a folder of its own.
"""

from __future__ import annotations

import argparse
import asyncio
import os
import random
import shutil
import sys
import tempfile
import time
from pathlib import Path

KEYS_A_SECOND = 50
LAST = 60
"""Keys that are printed when something goes wrong."""
PATIENCE = 30.0
"""Seconds in which the workbench must come to rest between two lots of keys."""
LOT = 25

SPECIAL = [
    *(f"f{number}" for number in range(1, 10)), "f12", "enter", "enter", "escape", "escape",
    "up", "down", "left", "right", "home", "end", "pageup", "pagedown", "backspace", "delete",
    "tab", "shift+tab", "space",
    *(f"ctrl+{letter}" for letter in "abdefgklnoprstuwxyz"),
    "ctrl+home", "ctrl+end", "shift+down", "shift+right", "shift+up",
]  # fmt: skip
TYPED = [*"abcdefghijklmnopqrstuvwxyz0123456789", *"()+-*/=.,:;<>[]{}~?!#%&|'\"\\²µλ→船"]


async def press(seed: int, minutes: float, folder: Path) -> list[str]:
    """Press keys until the time is over; the last ones when something went wrong, else none."""
    from embrix.tui.app import WorkbenchApp

    chance = random.Random(seed)
    pressed: list[str] = []
    begun = time.monotonic()
    while time.monotonic() - begun < minutes * 60:
        app = WorkbenchApp(folder)
        async with app.run_test(size=chance.choice([(140, 44), (80, 24), (200, 60)])) as pilot:
            while time.monotonic() - begun < minutes * 60:
                for _ in range(LOT):
                    key = chance.choice(SPECIAL if chance.random() < 0.6 else TYPED)
                    if key == "ctrl+q":
                        continue
                    pressed.append(key)
                    await asyncio.wait_for(pilot.press(key), PATIENCE)
                    if not app.is_running:
                        return pressed[-LAST:]
                    await asyncio.sleep(1 / KEYS_A_SECOND)
                del pressed[:-LAST]
        if app.return_code:
            return pressed[-LAST:]
    return []


def main() -> int:
    reader = argparse.ArgumentParser(description=__doc__, allow_abbrev=False)
    reader.add_argument("--minutes", type=float, default=1.0)
    reader.add_argument("--seed", type=int, default=1)
    chosen = reader.parse_args()
    with tempfile.TemporaryDirectory(prefix="embrix-keys-") as place:
        home = Path(place)
        for name in ("DATA", "STATE", "CONFIG", "CACHE"):
            os.environ[f"XDG_{name}_HOME"] = str(home / name.lower())
        from embrix.course.shipped import shipped_course

        course = home / "lockside"
        shutil.copytree(shipped_course(), course)
        os.chdir(home)
        try:
            last = asyncio.run(press(chosen.seed, chosen.minutes, course))
        except BaseException as fault:
            print(f"seed {chosen.seed}: {type(fault).__name__}: {fault}", file=sys.stderr)
            raise
    if last:
        print(f"seed {chosen.seed}: the workbench has ended after: {' '.join(last)}")
        return 1
    print(f"seed {chosen.seed}: {chosen.minutes:g} minutes of keys, and it still answers")
    return 0


if __name__ == "__main__":
    sys.exit(main())
