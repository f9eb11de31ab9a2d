"""Runs a module of ours in a process of its own, within limits of memory and time.

Libraries that read clips, pictures and C3D are compiled code which trusts what a file says of itself: a damaged one may
end them, make them loop, or have them ask for any amount of memory. None of that may reach the window.
"""

from __future__ import annotations

import os
import resource
import subprocess
import sys
from collections.abc import Callable

MEMORY, SECONDS, WALL = 2 << 30, 20, 60
"""Bytes of address space, seconds of processor and of clock that a file may take (practice judgement, editable)."""
MARK = "why: "
"""Begins the line in which a module says what is wrong with the file."""
_RUNNING = set[subprocess.Popen[bytes]]()
"""Those that are at work: whoever ends the program need not wait for them."""


def stop_all() -> None:
    """End every process that is at work; who waits for it is told that it could not do its work."""
    for child in list(_RUNNING):
        child.kill()


def trouble(module: str, *words: str, cwd: str | None = None) -> str:
    """Why a module could not do its work on a file, in a few words; empty where it could."""
    alone = {**os.environ, "OPENBLAS_NUM_THREADS": "1", "OMP_NUM_THREADS": "1"}
    command = [sys.executable, "-m", module, *words]
    with subprocess.Popen(command, stdout=subprocess.DEVNULL, stderr=subprocess.PIPE, env=alone, cwd=cwd) as child:
        _RUNNING.add(child)
        try:
            _, said = child.communicate(timeout=WALL)
        except subprocess.TimeoutExpired:
            child.kill()
            return "it never ends"
        finally:
            _RUNNING.discard(child)
    if child.returncode == 0:
        return ""
    told = [line for line in said.decode(errors="replace").splitlines() if line.startswith(MARK)]
    if child.returncode == 1 and told:
        return told[-1].removeprefix(MARK)[:300]
    return "it ends the reader or asks for too much memory"


def limited(work: Callable[[], None], memory: int = MEMORY, seconds: int = SECONDS) -> None:
    """Do the work of this process within limits; what goes wrong is told in one line and as exit code 1."""
    resource.setrlimit(resource.RLIMIT_AS, (memory, memory))
    resource.setrlimit(resource.RLIMIT_CPU, (seconds, seconds))
    resource.setrlimit(resource.RLIMIT_CORE, (0, 0))
    try:
        work()
    except Exception as err:
        print(MARK + (" ".join(str(err).split()) or type(err).__name__), file=sys.stderr)
        sys.exit(1)
