"""Make docs/screenshots anew from the shipped course, in a real terminal window.

Needs Xvfb, kitty, xdotool, fonts and ImageMagick (Debian: xvfb kitty xdotool imagemagick
libgl1-mesa-dri fonts-dejavu-core); says what is missing. Pictures are 1280 by 800 points.
"""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
import tempfile
import time
from pathlib import Path

ROOT = Path(__file__).resolve().parent.parent
TARGET = ROOT / "docs" / "screenshots"
TOOLS = ("Xvfb", "kitty", "xdotool", "import")

Scene = tuple[str, str, list[str]]
SCENES: list[Scene] = [
    ("workbench", "shadow.drip", ["F4", *["F8"] * 20]),
    ("steps", "toll.drip", ["F4", "F4", *["F8"] * 3]),
    ("tally", "rill/programs/rates.rill", ["CALLER", "F5", "WAIT", "F5"]),
    ("notes", "chamber.drip", ["MISSPELL"]),
    (
        "writing",
        "toll.drip",
        ["MISSPELL", "WAIT", "WAIT", "F2", "WAIT", "text:drip/environment", "Return", "WAIT"],
    ),
    ("grammar", "toll.drip", ["AMBIGUOUS", "F3", "F3"]),
    (
        "drafting",
        "toll.drip",
        [
            "ctrl+g",
            "F6",
            *["shift+Down"] * 25,
            "BackSpace",
            "text:let x = 8 in x - 2 - 1 + 4",
            "shift+Tab",
            "ctrl+Home",
            *["Down"] * 31,
            "End",
            *["BackSpace"] * 14,
            "Return",
            'text:right "-" makes Sub',
            "WAIT",
            "F5",
            "WAIT",
            "WAIT",
        ],
    ),
    ("suspensions", "rill/programs/costly.rill", ["F4", "alt+h", *["F8"] * 42]),
    ("statements", "weir/programs/chamber.weir", ["F4", "F4", *["F8"] * 32]),
    ("compare", "rill/programs/rates.rill", ["WAIT", "F4", "F4", "F4", "WAIT", "ctrl+k", "WAIT"]),
    (
        "derivation",
        "toll.drip",
        [
            "F4",
            "ctrl+Home",
            *["shift+Down"] * 25,
            "BackSpace",
            "text:let x = 1 + 2 in x * x - 4",
            "WAIT",
            "ctrl+d",
            "WAIT",
            "Up",
            "Right",
        ],
    ),
    (
        "ways",
        "race/programs/level.race",
        [*["WAIT"] * 4, "alt+y", "WAIT", "WAIT", "Down", "Down", "F6", *["BackSpace"] * 4, "WAIT"],
    ),
    (
        "lesson",
        "rill/programs/rates.rill",
        [
            *["WAIT"] * 4,
            "alt+k",
            "WAIT",
            "text:rates",
            "Return",
            *["WAIT"] * 4,
            "Right",
            "Right",
            "Right",
            "u",
            "n",
            "WAIT",
        ],
    ),
    (
        "hunt",
        "rill/programs/rates.rill",
        ["WAIT", "F4", "F4", "F4", "WAIT", "ctrl+f", "WAIT", "o", "o", *["WAIT"] * 4],
    ),
    (
        "residual",
        "rill/programs/costly.rill",
        ["WAIT", *["F4"] * 3, "WAIT", "alt+a", "WAIT", "WAIT", *["Down"] * 18],
    ),
    ("growth", "rill/programs/ways.rill", ["WAIT", "ctrl+u", "Return", *["WAIT"] * 3]),
    (
        "decisions",
        "rill/programs/rates.rill",
        ["WAIT", "ctrl+y", "WAIT", *["Down"] * 5, "Return", "Down", "Return", "WAIT"],
    ),
    (
        "outline",
        "rill/programs/rates.rill",
        ["LACKING", "WAIT", "F4", "F4", "F4", "WAIT", "alt+o", *["WAIT"] * 3, *["Down"] * 6],
    ),
    ("light", "unused.drip", ["F12", "F4", "F4", "F8", "F8"]),
]
"""File name, program, keys. Words in CHANGES change a definition before the workbench opens."""

CHANGES = {
    "BREAK": ("drip.brix", 'left    "+"', 'right   "+"'),
    "AMBIGUOUS": (
        "drip.brix",
        "    | Sum\n",
        '    | Sum\n    | left:Expr "and" right:Expr  makes Add\n',
    ),
    "CALLER": (
        "../rill/environment.brix",
        "eval(body, saved with param = eval(arg, env))",
        "eval(body, env with param = eval(arg, env))",
    ),
    "LACKING": ("environment.brix", "  Neg(arg)          => Num(-number(eval(arg, env)))\n", ""),
    "MISSPELL": ("environment.brix", "eval(bound, env)", "eval(env, bond)"),
}


def picture(display: str, name: str, program: str, keys: list[str]) -> None:
    """Open the workbench on a copy of the course, press keys, take the picture."""
    with tempfile.TemporaryDirectory() as home:
        course = Path(home) / "lockside"
        shutil.copytree(ROOT / "src" / "embrix" / "demo" / "lockside", course)
        for key in [key for key in keys if key in CHANGES]:
            file, right, wrong = CHANGES[key]
            path = course / "drip" / file
            path.write_text(path.read_text().replace(right, wrong, 1))
        environment = {
            **os.environ, "DISPLAY": display, "HOME": home, "LIBGL_ALWAYS_SOFTWARE": "1",
            "XDG_STATE_HOME": home, "XDG_DATA_HOME": home, "LANG": "C.UTF-8",
        }  # fmt: skip
        environment.pop("COLUMNS", None)
        environment.pop("LINES", None)
        options = [
            "font_family=DejaVu Sans Mono", "font_size=10.5", "remember_window_size=no",
            "initial_window_width=1280", "initial_window_height=800", "window_padding_width=0",
            "update_check_interval=0", "cursor_blink_interval=0", "hide_window_decorations=yes",
            "placement_strategy=top-left",
        ]  # fmt: skip
        command = ["kitty", "--config", "NONE", *(w for o in options for w in ("-o", o))]
        program_path = course / (program if "/" in program else f"drip/programs/{program}")
        window = subprocess.Popen(
            [*command, sys.executable, "-m", "embrix", "open", str(program_path)],
            env=environment, cwd=course, stderr=subprocess.DEVNULL,
        )  # fmt: skip
        try:
            time.sleep(9)  # until the course has been read and its suite has run
            for key in keys:
                if key == "WAIT":
                    time.sleep(3)
                elif key not in CHANGES:
                    typed = key.startswith("text:")
                    word = ["type", key.removeprefix("text:")] if typed else ["key", key]
                    subprocess.run(["xdotool", *word], env=environment, check=True)
                    time.sleep(0.25)
            time.sleep(1.5)
            out = TARGET / f"{name}.png"
            grab = ["import", "-window", "root", "-depth", "8", "-colors", "64", str(out)]
            subprocess.run(grab, env=environment, check=True)
            print(f"{out.relative_to(ROOT)}")
        finally:
            window.terminate()
            window.wait()


def main() -> int:
    missing = [tool for tool in TOOLS if shutil.which(tool) is None]
    if missing:
        print(f"pictures: missing {', '.join(missing)}; see {Path(__file__).name}", file=sys.stderr)
        return 1
    TARGET.mkdir(parents=True, exist_ok=True)
    wanted = sys.argv[1:]
    display = f":{90 + os.getpid() % 100}"
    server = subprocess.Popen(
        ["Xvfb", display, "-screen", "0", "1280x800x24"], stderr=subprocess.DEVNULL
    )
    try:
        time.sleep(2)
        for name, program, keys in SCENES:
            if not wanted or name in wanted:
                picture(display, name, program, keys)
    finally:
        server.terminate()
        server.wait()
    return 0


if __name__ == "__main__":
    raise SystemExit(main())
