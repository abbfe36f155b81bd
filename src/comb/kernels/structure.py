"""Find the records and fields of delimited text.

What a record is: fields up to a line end (LF, CRLF or CR) that stands outside
quotes. What a quoted field is: it begins with the quote directly after a delimiter
or line end, and ends with a quote directly before one; a doubled quote inside
stands for one. A quote anywhere else is an ordinary character and is reported as
stray. A quote that never closes is an ordinary character too, so the damage stays
within its line.

Lines without a quote are split by `str.split`, which is nearly all of them in most
files; only the others take the careful road.
"""

import re
from dataclasses import dataclass, field

LINE_END = re.compile(r"\r\n|\n|\r")

# A quoted field longer than this is taken for a quote that was never closed.
LONGEST_QUOTED = 64_000_000


@dataclass(slots=True)
class Records:
    """The records of a text, as the kernel found them.

    Attributes
    ----------
    fields : list of list of str
        The fields of each record, quotes removed.
    lines : list of int
        The line each record began on, from 1.
    stray, unclosed : list of int
        Lines with a quote inside a field, and with one that never closes.
    """

    fields: list[list[str]] = field(default_factory=list)
    lines: list[int] = field(default_factory=list)
    stray: list[int] = field(default_factory=list)
    unclosed: list[int] = field(default_factory=list)


def split_records(text: str, delimiter: str, quote: str | None, *, most: int | None = None) -> Records:
    """Split text into records and fields.

    Parameters
    ----------
    text : str
        The whole decoded text.
    delimiter : str
        One or more characters between fields.
    quote : str or None
        The quote character; None where quotes mean nothing.
    most : int, optional
        Stop after so many records.

    Returns
    -------
    Records
        Blank lines are records with one empty field.

    Notes
    -----
    One pass; memory is that of the fields.

    >>> split_records('a;b\\n"x;y";2\\n', ";", '"').fields
    [['a', 'b'], ['x;y', '2']]
    """
    found = Records()
    limit = len(text) if most is None else most
    position, line, end = 0, 1, len(text)
    scan = _QuotedScan(text, delimiter, quote, found) if quote else None
    while position < end and len(found.fields) < limit:
        stop, after = _line_end(text, position)
        found.lines.append(line)
        if scan is None or text.find(scan.quote, position, stop) < 0:
            found.fields.append(text[position:stop].split(delimiter))
            position, line = after, line + 1
        else:
            fields, after = scan.record(position, line)
            found.fields.append(fields)
            line += len(LINE_END.findall(text, position, after))
            position = after
    return found


def _line_end(text: str, position: int) -> tuple[int, int]:
    """Return where the line ends and where the next begins."""
    match = LINE_END.search(text, position)
    return match.span() if match else (len(text), len(text))


class _QuotedScan:
    """The careful road: records of lines in which a quote stands."""

    def __init__(self, text: str, delimiter: str, quote: str, found: Records) -> None:
        self.text = text
        self.quote = quote
        self.found = found
        self.length = len(delimiter)
        self.border = re.compile(f"{re.escape(delimiter)}|\r\n|\n|\r|\\Z")
        self.delimiter = delimiter

    def record(self, position: int, line: int) -> tuple[list[str], int]:
        """Return the fields of the record at a position, and where the next begins."""
        fields = []
        while True:
            value, stop = self._field(position, line)
            fields.append(value)
            if not self.text.startswith(self.delimiter, stop):
                _, after = _line_end(self.text, stop)
                return fields, after
            position = stop + self.length

    def _field(self, position: int, line: int) -> tuple[str, int]:
        """Return one field and where its border stands."""
        if self.text.startswith(self.quote, position):
            quoted = self._quoted(position + 1, line)
            if quoted is not None:
                return quoted
            self.found.unclosed.append(line)
        stop = self._next_border(position)
        value = self.text[position:stop]
        if self.quote in value[1:]:
            self.found.stray.append(line)
        return value, stop

    def _quoted(self, start: int, line: int) -> tuple[str, int] | None:
        """Return the quoted field that starts here; None if its quote never closes."""
        parts, stray, position = [], False, start
        while True:
            close = self.text.find(self.quote, position, start + LONGEST_QUOTED)
            if close < 0:
                return None
            parts.append(self.text[position:close])
            position = close + 1
            if self.text.startswith(self.quote, position):
                position += 1
            elif self.border.match(self.text, position):
                break
            else:
                stray = True
            parts.append(self.quote)
        if stray:
            self.found.stray.append(line)
        return "".join(parts), position

    def _next_border(self, position: int) -> int:
        match = self.border.search(self.text, position)
        return match.start() if match else len(self.text)
