"""Bars and shares in characters. Pure."""

import math

# From low to high; a gap is a space.
BLOCKS = "▁▂▃▄▅▆▇█"


def block_bars(counts: tuple[int, ...]) -> str:
    """Draw counts as bars in block characters; what is there is never drawn as a gap.

    >>> block_bars((1, 0, 50, 100))
    '▁ ▄█'
    """
    most = max(counts, default=0)
    return "".join(BLOCKS[math.ceil(count / most * len(BLOCKS)) - 1] if count else " " for count in counts)


def length_bar(share: float, width: int) -> str:
    """Draw a share as a bar of at most N characters, in eighths of a character.

    >>> length_bar(1.0, 4), length_bar(0.3, 4), length_bar(0.0001, 4), length_bar(0, 4)
    ('████', '█▎', '▏', '')
    """
    eighths = math.ceil(share * width * 8 - 1e-9) if share < 0.125 / width else round(share * width * 8)
    whole, part = divmod(eighths, 8)
    return "█" * whole + ("▏▎▍▌▋▊▉"[part - 1] if part else "")


def share_words(share: float) -> str:
    """Write a share as people do.

    >>> share_words(0.1034), share_words(1.0), share_words(0.00002), share_words(0.9999)
    ('10.3 %', '100 %', 'under 0.1 %', 'over 99.9 %')
    """
    if 0 < share < 0.0005:
        return "under 0.1 %"
    if 0.9995 <= share < 1:
        return "over 99.9 %"
    return f"{100 * share:.1f} %" if 0 < share < 1 else f"{100 * share:.0f} %"
