"""Comb turns the tables people are handed into tidy, documented datasets.

The names below are the public surface. They are loaded when first used, so that
``import comb`` and ``comb --help`` cost nothing.

>>> import comb
>>> comb.table(columns={"mites": [2, 5]}).filter("mites > 3").row_count
1
"""

import gc
from importlib import import_module
from typing import TYPE_CHECKING, Any

from comb.version import __version__ as __version__

if TYPE_CHECKING:
    from comb.errors import (
        ColumnError,
        CombError,
        ContentError,
        ExpressionError,
        NotEnoughMemory,
        NotEnoughSpace,
        ParameterError,
        PlanError,
        ReadError,
        SourceMissing,
        SourceUnreadable,
        TypeMismatch,
        WorkersFailed,
        WriteError,
    )
    from comb.interface.comparing import differences
    from comb.interface.construction import table
    from comb.interface.drafting import draft_plan
    from comb.interface.loading import inspect, load, load_all
    from comb.interface.make_report import make_report
    from comb.interface.picture import Picture
    from comb.interface.plan import Plan
    from comb.interface.profiles import profile, profile_together
    from comb.interface.report import Report
    from comb.interface.table import Table
    from comb.interface.tracing import trace
    from comb.plans.outcome import Outcome
    from comb.profiling.finding import Finding
    from comb.profiling.profile import Profile
    from comb.reading.inspect import Inspection
    from comb.tables.column import Column
    from comb.tables.types import Type


__all__ = [
    "Column", "ColumnError", "CombError", "ContentError", "ExpressionError", "Finding", "Inspection",
    "NotEnoughMemory", "NotEnoughSpace", "Outcome", "ParameterError", "Picture", "Plan", "PlanError", "Profile",
    "ReadError", "Report", "SourceMissing", "SourceUnreadable", "Table", "Type", "TypeMismatch", "WorkersFailed",
    "WriteError", "differences", "draft_plan", "inspect", "load", "load_all", "make_report", "profile",
    "profile_together", "table", "trace",
]  # fmt: skip

_HOMES = {
    "Column": "tables.column",
    "Finding": "profiling.finding",
    "Inspection": "reading.inspect",
    "Outcome": "plans.outcome",
    "Picture": "interface.picture",
    "Plan": "interface.plan",
    "Profile": "profiling.profile",
    "Report": "interface.report",
    "Table": "interface.table",
    "Type": "tables.types",
    "differences": "interface.comparing",
    "draft_plan": "interface.drafting",
    "inspect": "interface.loading",
    "load": "interface.loading",
    "load_all": "interface.loading",
    "profile": "interface.profiles",
    "profile_together": "interface.profiles",
    "make_report": "interface.make_report",
    "table": "interface.construction",
    "trace": "interface.tracing",
}


def __getattr__(name: str) -> Any:
    if name not in __all__:
        raise AttributeError(f"module 'comb' has no attribute {name!r}")
    # Modules stay: to look for garbage among what they make would take a tenth of the time until the first answer.
    collected = gc.isenabled()
    gc.disable()
    try:
        value = getattr(import_module(f"comb.{_HOMES.get(name, 'errors')}"), name)
    finally:
        if collected:
            gc.enable()
    globals()[name] = value
    return value


def __dir__() -> list[str]:
    return sorted([*__all__, "__version__"])
