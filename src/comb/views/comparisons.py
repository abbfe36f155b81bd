"""What came of comparing groups, as lines."""

from comb.statistics.group_comparison import GroupComparison
from comb.tables.layout import Line, lay_out
from comb.views.lines import wrapped


def comparison_lines(found: GroupComparison, sentence: str, width: int) -> list[Line]:
    """Show the groups, then what was found and what it supposes, broken between words.

    Parameters
    ----------
    found : GroupComparison
    sentence : str
        Which rows were compared, where they are not all.
    width : int
    """
    above = [*wrapped(sentence, width), []] if sentence else []
    below = [line for text in found.lines() for line in [*wrapped(text, width)]]
    return [*above, *lay_out(found.layout(width)), [], *below]
