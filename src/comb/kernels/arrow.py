"""Arrow's structures in C, filled and read by a compiled module; see `comb.kernels.compiled._arrow`.

It touches no value, so it has no reference and is no part of `Kernels`: where it could not be built, everything else
works without it.
"""

import importlib
from typing import Any

from comb.errors import ParameterError
from comb.kernels.compiled import VERSION


def structures() -> Any:
    """Return the compiled module.

    Raises
    ------
    ParameterError
        If it is not there.
    """
    try:
        module = importlib.import_module("comb.kernels.compiled._arrow")
    except ImportError:
        module = None
    if module is None or module.VERSION != VERSION:
        raise ParameterError(
            "Arrow data is given and taken by a compiled module, which is not there",
            remedy="install Comb where there is a C compiler, or go by way of a file: table.save('visits.csv')",
        )
    return module
