"""Texts that a spreadsheet program would run as formulas, and the apostrophe that keeps it from that. Pure."""

from comb.formats.lazy_pattern import lazy_pattern

# With apostrophes in front already, it has been disarmed before: one more keeps the two apart.
_ARMED = lazy_pattern(r"'*[=+\-@\t\r]")
_DISARMED = lazy_pattern(r"'+[=+\-@\t\r]")


def disarmed(text: str) -> str:
    """Put an apostrophe before a text that would be run.

    >>> disarmed("=1+1"), disarmed("'=1+1"), disarmed("Mill")
    ("'=1+1", "''=1+1", 'Mill')
    """
    return f"'{text}" if _ARMED.match(text) else text


def armed_again(text: str) -> str:
    """Take away the apostrophe that `disarmed` put there.

    >>> armed_again("'=1+1"), armed_again("'tis")
    ('=1+1', "'tis")
    """
    return text[1:] if _DISARMED.match(text) else text
