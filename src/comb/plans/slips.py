"""Slips of a plan, reported together: each with its place and its remedy."""

from collections.abc import Sequence

from comb.errors import CombError, PlanError


def together(slips: Sequence[CombError]) -> CombError:
    """Return one error for some slips: a single one as it is.

    >>> print(together([PlanError("no step 'trm'", where="plan.yaml, line 3"), PlanError("no column 'kgs'")]).what)
    2 slips in this plan:
      plan.yaml, line 3: no step 'trm'
      no column 'kgs'
    """
    if len(slips) == 1:
        return slips[0]
    listed = "\n".join(f"  {f'{error.where}: ' if error.where else ''}{_indented(error)}" for error in slips)
    return PlanError(f"{len(slips)} slips in this plan:\n{listed}", remedy="nothing was done")


def _indented(error: CombError) -> str:
    hint = f"\n    hint: {error.remedy}" if error.remedy else ""
    return error.what.replace("\n", "\n    ") + hint
