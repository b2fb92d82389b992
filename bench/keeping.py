"""Commands that find what another process has kept, beside the same with nothing kept: from the
start of a process to its end."""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
import tempfile
from functools import partial
from pathlib import Path

from bench.measuring import compare

ROOT = Path(__file__).resolve().parent.parent
COMMANDS = {
    "  run, one lane": ("run", "-e", "1 + 2", "--language", "Rill", "--with", "environment"),
    "  run, all lanes": ("run", "-e", "1 + 2", "--language", "Rill"),
    "  check": ("check",),
    "  test": ("test",),
    "  hunt, 300 programs": ("hunt", "--language", "Rill", "--with", "environment", "--with",
                            "store_passing", "--most", "300"),
}  # fmt: skip


def run_keeping(folder: Path) -> None:
    """The shipped course; with nothing kept includes keeping it."""
    print("Found again beside made anew")
    with tempfile.TemporaryDirectory() as scratch:
        for label, words in COMMANDS.items():
            warm, cold = Path(scratch, "warm"), Path(scratch, "cold")
            compare(label, partial(_carried_out, words, folder, warm),
                    partial(_anew, words, folder, cold), rounds=7)  # fmt: skip


def _anew(words: tuple[str, ...], folder: Path, home: Path) -> None:
    shutil.rmtree(home, ignore_errors=True)
    _carried_out(words, folder, home)


def _carried_out(words: tuple[str, ...], folder: Path, home: Path) -> None:
    env = {**os.environ, "XDG_CACHE_HOME": str(home / "cache"), "XDG_STATE_HOME": str(home)}
    command = [sys.executable, "-m", "embrix", *words, "--course", str(folder)]
    done = subprocess.run(command, cwd=ROOT, env=env, capture_output=True, check=False)
    assert done.returncode == 0, done.stderr.decode()[-2000:]
