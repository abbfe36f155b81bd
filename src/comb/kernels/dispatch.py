"""Which kernels are in use: the compiled ones where they can be loaded, else the reference.

Both give the same results. The environment variable ``COMB_KERNELS`` (``reference`` or ``compiled``) overrides the
choice, and this is the only module of the core that reads the environment.

A compiled module is refused if it carries another `VERSION` than the package: an editable install keeps the modules
of before until it is installed again, and what they take and give may have changed. `PROBLEMS` says which modules
could not be loaded and why, and `description` says it to people.
"""

import importlib
import os
from typing import TYPE_CHECKING

from comb.errors import ParameterError, listing
from comb.kernels.compiled import MODULES, TOGETHER, VERSION

if TYPE_CHECKING:
    from comb.kernels.protocol import Kernels


def _problem_of(name: str) -> str:
    """Return why a compiled module cannot be used; empty if it can."""
    try:
        module = importlib.import_module(f"comb.kernels.compiled.{name}")
    except ImportError as error:
        return "it was not built" if isinstance(error, ModuleNotFoundError) else str(error)
    built = getattr(module, "VERSION", None)
    return "" if built == VERSION else f"it was built for version {built}, this is {VERSION}; install Comb again"


def _problems() -> dict[str, str]:
    return {name: problem for name in MODULES if (problem := _problem_of(name))}


def description() -> str:
    """Say which kernels are in use, for people; and why not the compiled ones."""
    if kernels.compiled:
        return (
            f"compiled kernels, in part plain Python, because {_reasons(PROBLEMS)}" if PROBLEMS else "compiled kernels"
        )
    if not PROBLEMS:
        return "reference kernels (plain Python), as COMB_KERNELS asks for"
    return f"reference kernels (plain Python), because {_reasons(PROBLEMS)}"


def _reasons(problems: dict[str, str]) -> str:
    """Say which compiled modules could not be loaded, and why."""
    names: dict[str, list[str]] = {}
    for name, why in problems.items():
        names.setdefault(why, []).append(name)
    return "; ".join(f"{listing(modules)} could not be loaded: {why}" for why, modules in names.items())


def _chosen(wanted: str, problems: dict[str, str]) -> "Kernels":
    if wanted not in ("", "reference", "compiled"):
        raise ParameterError(f"expected COMB_KERNELS to be reference or compiled, got {wanted!r}")
    if wanted == "compiled" and problems:
        raise ParameterError(
            f"COMB_KERNELS asks for the compiled kernels, but {_reasons(problems)}",
            remedy="install Comb where there is a C compiler, or do not set COMB_KERNELS",
        )
    if wanted == "reference" or not problems.keys().isdisjoint(TOGETHER):
        from comb.kernels.reference.kernels import ReferenceKernels

        return ReferenceKernels()
    # Only now is it certain that its modules are there.
    from comb.kernels.compiled.kernels import CompiledKernels

    return CompiledKernels(problems)


_wanted = os.environ.get("COMB_KERNELS", "")
PROBLEMS: dict[str, str] = {} if _wanted == "reference" else _problems()
kernels: "Kernels" = _chosen(_wanted, PROBLEMS)
