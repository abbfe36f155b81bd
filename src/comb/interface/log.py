"""What Comb tells programs that use it: by the standard library's `logging`, under the name comb.

`logging` is loaded when there is something to warn of, or when somebody else has loaded it: before that nobody can
have asked for messages at the level DEBUG, and to load it takes as long as to read a small file.
"""

import sys
from collections.abc import Callable
from typing import Any

NAME = "comb"


class _Log:
    """Where messages go.

    Attributes
    ----------
    listener : callable, optional
        Gets warnings in place of `logging`: the command line shows them as notes.
    """

    listener: Callable[[str], None] | None = None

    def is_heard(self) -> bool:
        """Return whether somebody asked for messages at the level DEBUG."""
        logging: Any = sys.modules.get("logging")
        return logging is not None and bool(logging.getLogger(NAME).isEnabledFor(logging.DEBUG))

    def debug(self, message: str, *values: object) -> None:
        """Tell what was decided, where somebody wants to know."""
        if self.is_heard():
            import logging

            logging.getLogger(NAME).debug(message, *values, stacklevel=2)

    def warning(self, message: str, *values: object) -> None:
        """Tell what somebody should know."""
        if self.listener is not None:
            self.listener(message % values)
            return
        import logging

        logging.getLogger(NAME).warning(message, *values, stacklevel=2)


log = _Log()
