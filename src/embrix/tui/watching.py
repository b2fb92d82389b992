"""Following changes made outside: definitions, suites and the open program."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import TypeAlias

from embrix.course.finding import files_of
from embrix.text.source import Unreadable
from embrix.tui.document import Document
from embrix.tui.workbench import Workbench

Looks: TypeAlias = dict[Path, tuple[int, int]]
"""When each file was written last, in nanoseconds, and its size in bytes."""


class Watching:
    """Follows a course from when it is made, so that it is made before the course is read;
    `read_again` is called when definitions, suites or lessons are no longer what they were."""

    def __init__(self, bench: Workbench, read_again: Callable[[], None]) -> None:
        self._bench, self._read_again = bench, read_again
        self._before = _looks(bench.folder)
        self._told = ""
        """The last text found on disk that was reported and not taken over."""

    async def follow(self) -> None:
        """Follow changes. What this needs takes a while to load; what was changed before it has
        begun is found by looking again."""
        from watchfiles import awatch

        begun = False
        found = awatch(self._bench.folder, step=40, debounce=200, yield_on_timeout=True)
        async for changes in found:
            paths = {Path(path) for _, path in changes}
            if not begun:
                begun = True
                paths |= {
                    path for path, _ in self._before.items() ^ _looks(self._bench.folder).items()
                }
                if self._bench.document is not None:
                    paths.add(self._bench.document.path)
            self._changed(paths)

    def _changed(self, paths: set[Path]) -> None:
        document = self._bench.document
        if document is not None and document.named and document.path in paths:
            self._program_changed(document)
        if any(path.suffix in (".brix", ".toml") for path in paths):
            self._read_again()

    def _program_changed(self, document: Document) -> None:
        bench = self._bench
        try:
            disk = document.disk_changed()
        except Unreadable as fault:
            bench.say(str(fault), "brick")
            return
        if document.vanished():
            bench.say(f"{document.path.name} is gone; its text is still here, not saved", "brass")
            bench.show_title()
        elif disk is None:
            return
        elif document.is_saved(bench.editor.text):
            document.saved = disk
            bench.editor.load_text(disk)
            bench.say("the program was changed outside and has been read again")
        elif disk != self._told:
            self._told = disk
            bench.say("the file was changed outside; your text is still here, not saved", "brass")


def _looks(folder: Path) -> Looks:
    found: Looks = {}
    for path in files_of(folder):
        try:
            known = path.stat()
        except OSError:
            continue  # it is gone
        found[path] = known.st_mtime_ns, known.st_size
    return found
