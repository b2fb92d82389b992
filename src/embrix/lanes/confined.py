"""Starts a command with limits on what it may use, and ends with it everything it has started.

Run as a program: seconds of processor time, millions of bytes of memory, then the command. This
process stays beside the command: on Linux, what the command starts and leaves behind becomes a
child of this process and is killed when the command ends, when Embrix asks for it (SIGTERM), or
when Embrix is gone. Elsewhere only the command's own group of processes is ended.
"""

from __future__ import annotations

import ctypes
import os
import resource
import signal
import sys
import time
from types import FrameType

LARGEST_FILE = 16 << 20
"""Bytes that may be written to one file."""
MORE_PROCESSES = 64
"""Processes and threads that may be started beyond those that the user has."""
OPEN_FILES = 256

PARENT_DEATH, SUBREAPER = 1, 36
"""PR_SET_PDEATHSIG and PR_SET_CHILD_SUBREAPER of prctl."""
ROUNDS, PAUSE = 400, 0.005
"""How often processes that are left are looked for, and seconds between; each round ends all that
there are."""


def control(option: int, value: int) -> None:
    """Set something about this process, where the system can."""
    if sys.platform.startswith("linux"):
        try:
            ctypes.CDLL(None).prctl(option, value, 0, 0, 0)
        except (OSError, AttributeError):
            return


def limit(seconds: int, memory: int) -> None:
    """Limits for this process and what it starts."""
    for kind, value in (
        (resource.RLIMIT_CPU, seconds),
        (resource.RLIMIT_AS, memory * 1_000_000),
        (resource.RLIMIT_FSIZE, LARGEST_FILE),
        (resource.RLIMIT_CORE, 0),
        (resource.RLIMIT_NOFILE, OPEN_FILES),
        # For root there is no such limit.
        *([(resource.RLIMIT_NPROC, tasks() + MORE_PROCESSES)] if os.getuid() else []),
    ):
        _, hard = resource.getrlimit(kind)
        wanted = value if hard == resource.RLIM_INFINITY else min(value, hard)
        try:
            resource.setrlimit(kind, (wanted, wanted))
        except (OSError, ValueError):
            continue


def tasks() -> int:
    """The processes and threads that the user has, as far as can be seen."""
    count = 0
    for name in _processes():
        try:
            if os.stat(f"/proc/{name}").st_uid == os.getuid():
                count += len(os.listdir(f"/proc/{name}/task"))
        except OSError:
            continue  # it has ended
    return count


def _text(path: str) -> str:
    """The beginning of a file of the system's."""
    number = os.open(path, os.O_RDONLY)
    try:
        return os.read(number, 1 << 16).decode("utf-8", "replace")
    finally:
        os.close(number)


def _processes() -> list[str]:
    """The numbers of all processes, as far as they can be seen."""
    try:
        return [name for name in os.listdir("/proc") if name.isdecimal()]
    except OSError:
        return []


def children() -> list[int]:
    """The processes whose parent this one is, or has become."""
    try:
        return list(map(int, _text(f"/proc/self/task/{os.getpid()}/children").split()))
    except (OSError, ValueError):
        return _children_by_parent()


def _children_by_parent() -> list[int]:
    """The same where the system keeps no list of them."""
    found = []
    for name in _processes():
        try:
            # The name of the command may hold anything; what follows its last bracket may not.
            if int(_text(f"/proc/{name}/stat").rpartition(")")[2].split()[1]) == os.getpid():
                found.append(int(name))
        except (OSError, ValueError, IndexError):
            continue
    return found


def end_all() -> None:
    """Kill every process that has been started and left, until there is none."""
    for _ in range(ROUNDS):
        left = children()
        for process in left:
            killed(process)
        try:
            while os.waitpid(-1, os.WNOHANG)[0]:
                pass
        except ChildProcessError:
            return
        if not left:
            return
        time.sleep(PAUSE)


def killed(process: int, group: bool = False) -> None:
    """Kill a process, or a group of them, if it is still there."""
    try:
        (os.killpg if group else os.kill)(process, signal.SIGKILL)
    except OSError:
        return


def start(command: list[str], seconds: int, memory: int) -> int:
    """The number of the process that carries out the command."""
    process = os.fork()
    if process:
        return process
    try:
        signal.signal(signal.SIGTERM, signal.SIG_DFL)
        control(PARENT_DEATH, signal.SIGKILL)
        os.setpgid(0, 0)
        limit(seconds, memory)
        os.execvp(command[0], command)
    except OSError as fault:
        os.write(2, f"cannot be started: {fault.strerror}\n".encode())
    finally:
        os._exit(127)


def main() -> None:
    control(SUBREAPER, 1)
    control(PARENT_DEATH, signal.SIGTERM)
    seconds, memory, command = int(sys.argv[1]), int(sys.argv[2]), sys.argv[3:]
    process = 0

    def end(_number: int, _frame: FrameType | None) -> None:
        killed(process, group=True)
        end_all()
        os._exit(128 + signal.SIGKILL)

    signal.signal(signal.SIGTERM, end)
    process = start(command, seconds, memory)
    for stream in (0, 1):
        os.close(stream)  # they are the command's now: their ends must be seen
    _, status = os.waitpid(process, 0)
    killed(process, group=True)
    end_all()
    code = os.waitstatus_to_exitcode(status)
    if code < 0:
        # The same end as the command's, for whoever waits.
        resource.setrlimit(resource.RLIMIT_CORE, (0, 0))
        try:
            signal.signal(-code, signal.SIG_DFL)
        except OSError:
            code = -signal.SIGKILL  # for which there is nothing to set
        os.kill(os.getpid(), -code)
    os._exit(code & 0xFF)


if __name__ == "__main__":
    main()
