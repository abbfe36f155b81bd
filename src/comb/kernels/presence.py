"""Which kernels there are, told from the files alone: an answer at once, without NumPy.

That is possible where the package was installed as a whole: its modules belong to it. In a source folder they may have
been built for another version, and where COMB_KERNELS says something it has to be checked: then `comb.kernels.dispatch`
is asked, which loads them.
"""

import os
from importlib.util import find_spec

from comb.errors import listing
from comb.kernels.compiled import MODULES, TOGETHER, __path__


def description() -> str:
    """Say which kernels are in use, for people; and which modules are not there."""
    if os.environ.get("COMB_KERNELS") or any("_split.pyx" in os.listdir(folder) for folder in __path__):  # noqa: PTH208 - the core knows no paths
        from comb.kernels import dispatch

        return dispatch.description()
    gone = [name for name in MODULES if find_spec(f"comb.kernels.compiled.{name}") is None]
    if gone:
        kind = (
            "compiled kernels, in part plain Python"
            if set(gone).isdisjoint(TOGETHER)
            else "reference kernels (plain Python)"
        )
        return f"{kind}, because {listing(gone)} could not be loaded: it was not built"
    return "compiled kernels"
