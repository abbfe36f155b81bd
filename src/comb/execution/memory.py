"""How much memory there is, and how much work takes.

What is left is the least of what the machine has left, what the container still allows, and what the caller gave.
How much work takes was measured, as a multiple of the size of its source (`benchmarks/large.py`).
"""

import re
from pathlib import Path

from comb.errors import NotEnoughMemory, ParameterError

# Work on delimited text takes at its peak this many times its size, the rows and columns that most tables have.
LOAD = 2.0
COUNT = 2.5
PROFILE = 3.0
RUN = 4.5

# JSON takes this many times as much as delimited text of the same size; less where no lists of records are inside.
JSON_TO_TEXT = 1.7

# What is held and decoded whole takes at least this many times its size, documents and their tables included.
HELD = 5.0

# The kernels in plain Python take this many times as much.
TIMES_REFERENCE = 8.0

# Smaller files are never worth the question.
LARGE = 50_000_000

# Where the limits of a container are written, for both versions of control groups.
_GROUPS = Path("/sys/fs/cgroup")

_SIZE = r"([0-9]+(?:\.[0-9]+)?)\s*([kmgt])?i?b?"
_TIMES = {"": 1, "k": 10**3, "m": 10**6, "g": 10**9, "t": 10**12}

# With less than this nothing can be done.
LEAST_MEMORY = 100_000_000


def bytes_of(text: str | int, parameter: str = "memory") -> int:
    """Read an amount of memory.

    Raises
    ------
    ParameterError
        If it is not an amount, or too little to work with.

    >>> bytes_of("1.5 GB")
    1500000000
    """
    found = re.fullmatch(_SIZE, str(text).strip(), re.IGNORECASE)
    if found is None:
        raise ParameterError(f"expected {parameter} to be an amount like 500MB or 2GB, got {text!r}")
    size = int(float(found[1]) * _TIMES[(found[2] or "").lower()])
    if size < LEAST_MEMORY:
        raise ParameterError(f"expected {parameter} to be {LEAST_MEMORY / 1e6:.0f}MB or more, got {text!r}")
    return size


def amount(size: int) -> str:
    """Write a number of bytes for people.

    >>> amount(1_930_000_000), amount(250_000_000)
    ('1.9 GB', '250 MB')
    """
    return f"{size / 1e9:.1f} GB" if size >= 1e9 else f"{size / 1e6:,.0f} MB"


def check_memory(size: int, times: float, where: str, memory: int | None = None) -> None:
    """Raise NotEnoughMemory before the machine begins to swap.

    Parameters
    ----------
    size : int
        Of the source, in bytes.
    times : float
        What is done with it takes this many times as much.
    where : str
    memory : int, optional
        How much there is, if the caller says; else what is free.
    """
    free = free_memory() if memory is None else memory
    if size < LARGE or free is None or size * times <= free:
        return
    there = f"{amount(free)} {'are free' if memory is None else 'may be used'}"
    raise NotEnoughMemory(
        f"loading {amount(size)} needs about {amount(int(size * times))} of memory, {there}",
        where=where,
        remedy="read less of it: rows=..., or --rows; delimited text that is too large is worked on in temporary files "
        "by comb run (Plan.run), profile, count and show, and so are lists of records in JSON; workbooks, other JSON "
        "and standard input are held in memory",
    )


def free_memory() -> int | None:
    """Return how many bytes can be used without swapping; None where the system does not say."""
    known = [one for one in (_machine_free(), container_free()) if one is not None]
    return min(known, default=None)


def _machine_free() -> int | None:
    try:
        with Path("/proc/meminfo").open(encoding="ascii") as stream:
            for line in stream:
                if line.startswith("MemAvailable:"):
                    return int(line.split()[1]) * 1024
    except (OSError, ValueError):
        pass
    return None


def container_free(groups: Path = _GROUPS, membership: Path = Path("/proc/self/cgroup")) -> int | None:
    """Return how many bytes the container still allows; None where there is no limit.

    Each control group above the process may have one. What the system holds of files only for speed is given back.

    Parameters
    ----------
    groups, membership : Path
        Where the system says it.
    """
    free: list[int] = []
    for folder, limit, usage in _limited(groups, membership):
        most, used = _number(folder / limit), _number(folder / usage)
        if most is not None and used is not None and most < 2**60:
            free.append(max(0, most - used + _given_back(folder)))
    return min(free, default=None)


def _limited(groups: Path, membership: Path) -> list[tuple[Path, str, str]]:
    """Return the folders that may hold a limit, with the names of the files for it and for what is used."""
    try:
        lines = membership.read_text(encoding="utf-8", errors="replace").splitlines()
    except OSError:
        return []
    found: list[tuple[Path, str, str]] = []
    for line in lines:
        _, kinds, place = [*line.split(":", 2), "", ""][:3]
        if kinds and "memory" not in kinds.split(","):
            continue
        base = groups / "memory" if kinds else groups
        limit, usage = ("memory.limit_in_bytes", "memory.usage_in_bytes") if kinds else ("memory.max", "memory.current")
        inner = base / place.lstrip("/")
        above = [folder for folder in (inner, *inner.parents) if folder == base or base in folder.parents]
        found.extend((folder, limit, usage) for folder in above)
    return found


def _number(path: Path) -> int | None:
    try:
        return int(path.read_text(encoding="ascii"))
    except (OSError, ValueError):
        return None


def _given_back(folder: Path) -> int:
    """Return how much of what a group uses are files that the system holds for speed."""
    try:
        lines = (folder / "memory.stat").read_text(encoding="ascii").splitlines()
        numbers = {line.split()[0]: int(line.split()[1]) for line in lines if len(line.split()) == 2}
    except (OSError, ValueError):
        return 0
    return numbers.get("inactive_file", 0) + numbers.get("active_file", 0)
