"""How far work is: a message for people that also has the numbers, for whoever draws a bar."""


class Progress(str):
    """A message about work whose size is known.

    Parameters
    ----------
    text : str
        For people.
    done, of : int
        How much is done, of how much, in `unit`.
    unit : str
        What is counted: ``byte``, ``step``, ``file``, ``search``.

    >>> message = Progress("reading visits.csv: 2 of 8 GB", 2_000_000_000, 8_000_000_000, "byte")
    >>> message.done / message.of, message.unit, message.startswith("reading")
    (0.25, 'byte', True)
    """

    __slots__ = ("done", "of", "unit")

    done: int
    of: int
    unit: str

    def __new__(cls, text: str, done: int, of: int, unit: str) -> "Progress":
        """Make a message."""
        made = super().__new__(cls, text)
        made.done, made.of, made.unit = done, of, unit
        return made
