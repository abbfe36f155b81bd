"""Find the records and fields of delimited text.

What a record is: fields up to a line end (LF, CRLF or CR) that stands outside
quotes. What a quoted field is: it begins with the quote directly after a delimiter
or line end, and ends with a quote directly before one; inside, a doubled quote (or
one with a backslash before it, where that is the custom) stands for one. A quote
anywhere else is an ordinary character and is reported as stray.

A quote that never closes is an ordinary character too, so the damage stays within its
line. It shows in one of two ways: the text ends before it closes; or, after a line
end, a quote follows that itself looks like the beginning of a field. Well-formed text
has neither, so well-formed text is never misread.

Lines without a quote are split by `str.split`, which is nearly all of them in most
files; only the others take the careful road.
"""

import re

from comb.formats.lazy_pattern import lazy_pattern
from comb.kernels.types import LONGEST_QUOTED, SPACES, Records

LINE_END = lazy_pattern(r"\r\n|\n|\r")


def split_records(
    text: str, delimiter: str, quote: str | None, *, escape: str = "", most: int | None = None
) -> Records:
    """Split text into records and fields.

    Parameters
    ----------
    text : str
        The whole decoded text.
    delimiter : str
        One or more characters between fields, or `SPACES`.
    quote : str or None
        The quote character; None where quotes mean nothing.
    escape : str
        A character that makes a quote after it an ordinary one; empty where quotes are
        doubled instead.
    most : int, optional
        Stop after this many records.

    Returns
    -------
    Records
        Blank lines are records with one empty field.

    Notes
    -----
    One pass; memory is that of the fields.

    >>> split_records('a;b\\n"x;y";2\\n', ";", '"').fields
    [['a', 'b'], ['x;y', '2']]
    >>> split_records("Mill   3\\n Ridge 12", SPACES, None).fields
    [['Mill', '3'], ['Ridge', '12']]
    """
    found = Records()
    limit = len(text) if most is None else most
    position, line, end = 0, 1, len(text)
    scan = _QuotedScan(text, delimiter, quote, escape, found) if quote else None
    spaced = delimiter == SPACES
    while position < end and len(found.fields) < limit:
        stop, after = _line_end(text, position)
        found.lines.append(line)
        # Without a quote on its line, a record is that line.
        if scan is None or text.find(scan.quote, position, stop) < 0:
            row = text[position:stop]
            found.fields.append(_spaced(row) if spaced else row.split(delimiter))
            position, line = after, line + 1
        else:
            fields, after = scan.record(position, line)
            found.fields.append(fields)
            # A record with quoted line ends goes over several lines.
            line += len(LINE_END.findall(text, position, after))
            position = after
    return found


def _spaced(row: str) -> list[str]:
    return [part for part in row.split(" ") if part] or [""]


def _line_end(text: str, position: int) -> tuple[int, int]:
    """Return where the line ends and where the next begins."""
    match = LINE_END.search(text, position)
    return match.span() if match else (len(text), len(text))


class _QuotedScan:
    """The careful road: records of lines in which a quote stands."""

    def __init__(self, text: str, delimiter: str, quote: str, escape: str, found: Records) -> None:
        self.text = text
        self.quote = quote
        self.escape = escape
        self.found = found
        pattern = " +" if delimiter == SPACES else re.escape(delimiter)
        self.delimiter = re.compile(pattern)
        self.border = re.compile(f"{pattern}|\r\n|\n|\r|\\Z")
        self.before = " " if delimiter == SPACES else delimiter
        self.spaced = delimiter == SPACES
        # Where a quote never closes, no later one on its line does: without this, a line
        # of many opening quotes would be searched to its end for each of them.
        self.hopeless_until = 0

    def record(self, position: int, line: int) -> tuple[list[str], int]:
        """Return the fields of the record at a position, and where the next begins."""
        fields: list[str] = []
        if self.spaced:
            position = self._past_spaces(position)
        while True:
            value, stop = self._field(position, line)
            fields.append(value)
            found = self.delimiter.match(self.text, stop)
            # Spaces at the end of a line delimit nothing.
            if found is None or (self.spaced and self._at_line_end(found.end())):
                _, after = _line_end(self.text, stop)
                return fields, after
            position = found.end()

    def _past_spaces(self, position: int) -> int:
        match = self.delimiter.match(self.text, position)
        return match.end() if match else position

    def _at_line_end(self, position: int) -> bool:
        return position >= len(self.text) or self.text[position] in "\r\n"

    def _field(self, position: int, line: int) -> tuple[str, int]:
        """Return one field and where its border stands."""
        if self.text.startswith(self.quote, position):
            quoted = self._quoted(position + 1, line) if position >= self.hopeless_until else None
            if quoted is not None:
                return quoted
            # Told once for a line, by the first quote that is open there.
            if position >= self.hopeless_until:
                self.hopeless_until, _ = _line_end(self.text, position)
                self.found.unclosed.append(line)
        match = self.border.search(self.text, position)
        stop = match.start() if match else len(self.text)
        value = self.text[position:stop]
        # One at the beginning was listed as unclosed.
        if self.quote in value[1:]:
            self.found.stray.append(line)
        return value, stop

    def _quoted(self, start: int, line: int) -> tuple[str, int] | None:
        """Return the quoted field that starts here; None if its quote never closes."""
        text, parts, position = self.text, list[str](), start
        stray = crossed = False
        while True:
            close = text.find(self.quote, position, start + LONGEST_QUOTED)
            if close < 0:
                return None
            # Once over a line end, a quote may be that of another field.
            crossed = crossed or LINE_END.search(text, position, close) is not None
            escaped = bool(self.escape) and self._escaped(close, start)
            parts.append(text[position : close - escaped])
            position = close + 1
            # In this order: an escaped quote is text, a doubled one is one, one before a border ends the field.
            if escaped:
                pass
            elif text.startswith(self.quote, position):
                position += 1
            elif self.border.match(text, position):
                break
            elif crossed and self._looks_like_a_beginning(close):
                return None
            else:
                stray = True
            parts.append(self.quote)
        if stray:
            self.found.stray.append(line)
        return "".join(parts), position

    def _escaped(self, close: int, start: int) -> bool:
        """Return whether an odd number of escape characters stands before a quote."""
        count = 0
        while close - count > start and self.text[close - count - 1] == self.escape:
            count += 1
        return count % 2 == 1

    def _looks_like_a_beginning(self, close: int) -> bool:
        """Return whether a quote stands directly after a delimiter or line end."""
        return self.text[close - 1] in "\r\n" or self.text.endswith(self.before, 0, close)
