"""Tasks that go wrong in workers: functions of a module that processes can import."""

import os
import signal
from pathlib import Path


def marked(task: tuple[str, int]) -> int:
    """Kill the worker the first time, as a system short of memory does."""
    mark = Path(task[0]) / f"{task[1]}"
    if task[1] % 3 == 1 and not mark.exists():
        mark.touch()
        os.kill(os.getpid(), signal.SIGKILL)
    return task[1] * 10


def poisonous(task: int) -> int:
    """Kill the worker each time."""
    if task == 5:
        os.kill(os.getpid(), signal.SIGKILL)
    return task


def failing(task: int) -> int:
    """Raise what Comb does not raise on purpose."""
    raise MemoryError("no more")
