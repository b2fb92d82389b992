"""`docs/first-language.md`, carried out from an empty folder: what its commands give, what fits."""

from __future__ import annotations

import os
import re
import shlex
from pathlib import Path

import pytest

from tests.interfaces.test_cli import run

PAGE = Path(__file__).parents[2] / "docs" / "first-language.md"
CHANGE = re.compile(r"^`([^`]+)`, in place of `([^`]+)`:\n\n```\w+\n(.*?)```", re.S | re.M)
COMMANDS = re.compile(r"^```sh\n(.*?)```", re.S | re.M)


def test_the_page_is_right(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]
) -> None:
    text = PAGE.read_text(encoding="utf-8")
    monkeypatch.chdir(tmp_path)
    blocks = [*CHANGE.finditer(text), *COMMANDS.finditer(text)]
    blocks.sort(key=lambda block: block.start())
    carried_out = 0
    for block in blocks:
        if block.re is CHANGE:
            path, old, new = block.groups()
            old = old.replace("\\n", "\n")
            before = Path(path).read_text(encoding="utf-8")
            assert before.count(old) == 1, (path, old)
            Path(path).write_text(before.replace(old, new.rstrip("\n")), encoding="utf-8")
            continue
        for part in re.split(r"^\$ ", block[1], flags=re.M)[1:]:
            command, _, wanted = part.partition("\n")
            words = shlex.split(command)
            if words[0] == "cd":
                os.chdir(words[1])
                continue
            assert words[0] == "embrix"
            _, out, err = run(capsys, *words[1:])
            printed = [line.rstrip() for line in (err + out).splitlines()]
            if words[1] == "run" and "unfinished" in err:
                printed = [line.rstrip() for line in err.splitlines()]
            rows = [line.rstrip() for line in wanted.splitlines()]
            assert printed[: len(rows)] == rows, command
            carried_out += 1
    assert carried_out >= 14
