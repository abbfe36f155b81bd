"""Read dates, datetimes, times and durations by a program: the reference.

A program is a pattern taken apart: one operation for each of its parts, in the order in
which they are written. The compiled reader follows the same programs.
"""

from collections.abc import Sequence
from datetime import date
from typing import Any

import numpy as np
from numpy.typing import NDArray

from comb.kernels.scalars import fold
from comb.kernels.types import (
    BLANK,
    FITS,
    MICROSECONDS_A_DAY,
    MISFIT,
    MOST_FRACTION_DIGITS,
    MOST_HOUR_DIGITS,
    Names,
    Op,
    Parsed,
    Program,
)

_EPOCH = date(1970, 1, 1).toordinal()


class _Misfit(Exception):
    """The text is not what the program reads."""


class _Moment:
    """One text, read from left to right."""

    def __init__(self, text: str, months: dict[str, int], weekdays: dict[str, int]) -> None:
        self.text, self.at = text, 0
        self.months, self.weekdays = months, weekdays
        self.year, self.month, self.day = 1970, 1, 1
        self.week = self.weekday = self.days_named = 0
        self.hour = self.minute = self.second = self.fraction = self.offset = 0
        self.half = -1
        self.sign = 1
        self.pending = b""

    def take(self, op: int, argument: int) -> None:
        """Read one part."""
        match op:
            case Op.LITERAL:
                self.literal(argument)
            case Op.SPACES:
                begin = self.at
                while self.text[self.at : self.at + 1] in (
                    " ",
                    "\t",
                    "\N{NO-BREAK SPACE}",
                    "\N{NARROW NO-BREAK SPACE}",
                ):
                    self.at += 1
                self.need(self.at > begin)
            case Op.YEAR:
                self.year = self.digits(4, 4)
            case Op.SHORT_YEAR:
                short = self.digits(2, 2)
                self.year = short + (1900 if short >= argument else 2000)
            case Op.MONTH:
                self.month = self.digits(argument, 2)
            case Op.DAY:
                self.day = self.digits(argument, 2)
            case Op.HOUR | Op.HALF_HOUR:
                self.hour = self.digits(argument, 2)
                self.need(self.hour < 24 if op == Op.HOUR else 1 <= self.hour <= 12)
            case Op.MINUTE:
                self.minute = self.digits(2, 2)
                self.need(self.minute < 60)
            case Op.SECOND:
                self.second = self.digits(2, 2)
                self.need(self.second < 60)
            case Op.FRACTION:
                self.take_fraction()
            case Op.OFFSET:
                self.take_offset()
            case Op.MONTH_NAME:
                self.month = self.name(self.months)
            case Op.WEEKDAY_NAME:
                self.days_named = self.name(self.weekdays)
            case Op.HALF:
                self.take_half()
            case Op.QUARTER:
                quarter = self.digits(1, 1)
                self.need(1 <= quarter <= 4)
                self.month = 3 * quarter - 2
            case Op.WEEK:
                self.week = self.digits(2, 2)
                self.weekday = self.weekday or 1
                self.need(1 <= self.week <= 53)
            case Op.WEEKDAY:
                self.weekday = self.digits(1, 1)
                self.need(1 <= self.weekday <= 7)
            case Op.HOURS:
                self.hour = self.digits(1, MOST_HOUR_DIGITS)
            case Op.SIGN:
                if self.text[self.at : self.at + 1] in ("-", "+"):
                    self.sign = -1 if self.text[self.at] == "-" else 1
                    self.at += 1
            case Op.ORDINAL:
                self.need(fold(self.text[self.at : self.at + 2]) in ("st", "nd", "rd", "th"))
                self.at += 2
            case Op.END_OF_DAY:
                self.hour = 24

    def need(self, met: bool) -> None:
        """Stop unless something is so."""
        if not met:
            raise _Misfit

    def literal(self, byte: int) -> None:
        """Read one byte of a literal; a character beyond ASCII is several."""
        self.pending += bytes([byte])
        try:
            character = self.pending.decode()
        except UnicodeDecodeError:
            return
        self.pending = b""
        self.need(self.text[self.at : self.at + 1] == character)
        self.at += 1

    def digits(self, least: int, most: int) -> int:
        """Read a number of this many digits."""
        begin = self.at
        while self.at < len(self.text) and self.at - begin < most and self.text[self.at] in "0123456789":
            self.at += 1
        self.need(self.at - begin >= least)
        return int(self.text[begin : self.at])

    def name(self, table: dict[str, int]) -> int:
        """Read a name, with a point behind it or none; the longest one that fits."""
        rest = fold(self.text[self.at :])
        found = max((name for name in table if rest.startswith(name)), key=lambda name: len(name.encode()), default="")
        self.need(bool(found))
        self.at += len(found)
        self.at += self.text[self.at : self.at + 1] == "."
        return table[found]

    def take_fraction(self) -> None:
        """Read a fraction of a second; what is finer than a microsecond does not fit."""
        after = self.text[self.at : self.at + 2]
        if len(after) < 2 or after[0] not in ".," or after[1] not in "0123456789":
            return
        self.at += 1
        begin = self.at
        self.digits(1, MOST_FRACTION_DIGITS)
        written = self.text[begin : self.at].ljust(MOST_FRACTION_DIGITS, "0")
        self.need(written[6:] == "000")
        self.fraction = int(written[:6])

    def take_offset(self) -> None:
        """Read Z, UTC, GMT, or hours and minutes with a sign."""
        rest = fold(self.text[self.at :])
        for word in ("utc", "gmt", "z"):
            if rest.startswith(word):
                self.at += len(word)
                return
        self.need(rest[:1] in ("+", "-") and bool(rest))
        self.at += 1
        hours, minutes = self.digits(2, 2), 0
        if self.text[self.at : self.at + 1] == ":":
            self.at += 1
            minutes = self.digits(2, 2)
        elif self.text[self.at : self.at + 1].isdigit():
            minutes = self.digits(2, 2)
        self.need(hours < 24 and minutes < 60)
        self.offset = (hours * 60 + minutes) * (-1 if rest[0] == "-" else 1)

    def take_half(self) -> None:
        """Read a.m. or p.m., with points or without."""
        letter = fold(self.text[self.at : self.at + 1])
        self.need(letter in ("a", "p") and bool(letter))
        self.at += 1
        self.at += self.text[self.at : self.at + 1] == "."
        self.need(fold(self.text[self.at : self.at + 1]) == "m")
        self.at += 1
        self.at += self.text[self.at : self.at + 1] == "."
        self.half = int(letter == "p")

    def value(self, kind: str) -> int:
        """Return days for a date, else microseconds."""
        if self.half >= 0:
            self.hour = self.hour % 12 + 12 * self.half
        seconds = (self.hour * 60 + self.minute) * 60 + self.second
        micro = self.sign * (seconds * 1_000_000 + self.fraction)
        if kind in ("time", "duration"):
            return micro
        days = self.days()
        if kind == "date":
            return days
        found = days * MICROSECONDS_A_DAY + micro - self.offset * 60_000_000
        # An offset may lead out of the years that there are.
        first, last = date.min.toordinal() - _EPOCH, date.max.toordinal() - _EPOCH
        self.need(first * MICROSECONDS_A_DAY <= found < (last + 1) * MICROSECONDS_A_DAY)
        return found

    def days(self) -> int:
        """Return the day, from 1970-01-01."""
        try:
            if self.week:
                day = date.fromisocalendar(self.year, self.week, self.weekday)
            else:
                day = date(self.year, self.month, self.day)
        except (ValueError, OverflowError):
            raise _Misfit from None
        self.need(not self.days_named or bool(self.days_named >> day.weekday() & 1))
        return day.toordinal() - _EPOCH


def parse_moments(texts: Sequence[str], program: Program, months: Names, weekdays: Names) -> Parsed:
    """Read texts by a program.

    Parameters
    ----------
    texts : sequence of str
        Without outer spaces.
    program : Program
    months, weekdays : Names

    Returns
    -------
    values, status
        Days from 1970-01-01 for dates, microseconds for all else, as int64.

    >>> from comb.kernels.types import Op, Program, names_of
    >>> ops = ((Op.HOUR, 1), (Op.LITERAL, 58), (Op.MINUTE, 2))
    >>> none = names_of({})
    >>> parse_moments(["9:30", "9:60"], Program("time", ops), none, none)
    (array([34200000000,           0]), array([0, 3], dtype=uint8))
    """
    tables = [dict(zip(names.texts.strings(), names.values.tolist(), strict=True)) for names in (months, weekdays)]
    values: NDArray[Any] = np.zeros(len(texts), np.int64)
    status = np.full(len(texts), MISFIT, np.uint8)
    for at, text in enumerate(texts):
        if not text:
            status[at] = BLANK
            continue
        moment = _Moment(text, *tables)
        try:
            for op, argument in program.ops:
                moment.take(op, argument)
            moment.need(moment.at == len(text))
            values[at] = moment.value(program.kind)
        except _Misfit:
            continue
        status[at] = FITS
    return values, status
