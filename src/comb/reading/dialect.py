"""Guess how a text is laid out: delimiter, quote, title lines, header. Pure: text in, guess out."""

import re
from collections import Counter
from dataclasses import dataclass

from comb.inference.words import is_missing_word
from comb.kernels.parsing import date_groups
from comb.kernels.structure import split_records

# In order of preference where the evidence is even.
DELIMITERS = {",": "comma", ";": "semicolon", "\t": "tab", "|": "pipe", ":": "colon"}

# So many characters and records are enough to see the layout.
SAMPLE_CHARACTERS = 400_000
SAMPLE_RECORDS = 1_000

# A colon stands in times and addresses; it parts columns only if nearly all lines agree.
LEAST_FIT_COLON = 0.95

_NUMBER = re.compile(r"[+-]?[0-9][0-9 .,']*(?:[eE][+-]?[0-9]+)?%?")


@dataclass(frozen=True, slots=True)
class Layout:
    """How a delimited text is laid out.

    Attributes
    ----------
    delimiter : str
    quote : str or None
    skip : int
        Lines above the header.
    header : int
        Lines of header: 0 or 1.
    why : dict of str to str
        What speaks for the delimiter, the quote, the skipped lines, the header.
    runner_up : str
        The next best delimiter, with its figures; empty if there is none.
    """

    delimiter: str
    quote: str | None
    skip: int
    header: int
    why: dict[str, str]
    runner_up: str = ""


@dataclass(frozen=True, slots=True)
class _Trial:
    """The sample split by one delimiter."""

    delimiter: str
    fields: list[list[str]]
    lines: list[int]
    width: int
    fit: float
    alike: float

    @property
    def score(self) -> float:
        return self.fit * self.alike if self.width > 1 else 0.0

    def figures(self) -> str:
        return f"{self.fit:.0%} of the lines have {self.width} fields"


def guess_layout(
    text: str,
    *,
    delimiter: str | None = None,
    quote: str | None = None,
    skip: int | None = None,
    header: int | None = None,
) -> Layout:
    """Guess the layout of a text; what is given is not guessed.

    Parameters
    ----------
    text : str
        The whole text; only a sample of it is looked at.
    delimiter, quote : str, optional
        An empty quote means that quotes are ordinary characters.
    skip : int, optional
        Lines above the header.
    header : int, optional
        Lines of header: 0 or 1.

    Returns
    -------
    Layout
        A delimiter is taken when it gives the most lines of one width with columns
        whose cells are of one kind.
    """
    start = _offset_of_line(text, skip or 0)
    sample = text[start : start + SAMPLE_CHARACTERS]
    sign = _guess_quote(sample) if quote is None else (quote or None)
    candidates = [delimiter] if delimiter else list(DELIMITERS)
    trials = sorted((_try(sample, option, sign) for option in candidates), key=lambda trial: -trial.score)
    if not delimiter:
        trials = [trial for trial in trials if trial.delimiter != ":" or trial.fit >= LEAST_FIT_COLON]
    best = trials[0]
    if best.score == 0 and not delimiter:
        best = _try(sample, ",", sign)
    top = _header_record(best)
    above = best.lines[top] - 1 if best.lines else 0
    why = {"delimiter": "as declared" if delimiter else _delimiter_evidence(best)}
    why["quote"] = "as declared" if quote is not None else _quote_evidence(sample, sign)
    why["skip"] = "as declared" if skip is not None else f"{above} lines are not as wide as the others"
    head, why["header"] = _guess_header(best.fields[top:], best.width)
    if header is not None:
        head, why["header"] = header, "as declared"
    runner = next((trial for trial in trials[1:] if trial.score > 0), None)
    told = f"{name_of(runner.delimiter)}: {runner.figures()}" if runner else ""
    return Layout(best.delimiter, sign, above if skip is None else skip, head, why, told)


def name_of(delimiter: str) -> str:
    """Name a delimiter so that it can be told apart on a screen.

    >>> name_of("\\t"), name_of("~")
    ('tab', "'~'")
    """
    return DELIMITERS.get(delimiter, repr(delimiter))


def _offset_of_line(text: str, lines: int) -> int:
    position = 0
    ends = re.finditer(r"\r\n|\n|\r", text)
    for _, match in zip(range(lines), ends, strict=False):
        position = match.end()
    return position


def _guess_quote(sample: str) -> str | None:
    """Double quotes mean quoting unless only single ones enclose whole fields."""
    if '"' in sample:
        return '"'
    enclosed = re.findall(r"(?:^|[,;\t|])'[^'\n]*'(?=[,;\t|]|$)", sample, re.MULTILINE)
    return "'" if len(enclosed) > 1 else '"'


def _quote_evidence(sample: str, quote: str | None) -> str:
    return "it encloses fields" if quote and quote in sample else "none occurs; this is the usual one"


def _try(sample: str, delimiter: str, quote: str | None) -> _Trial:
    found = split_records(sample, delimiter, quote, most=SAMPLE_RECORDS)
    kept = [(fields, line) for fields, line in zip(found.fields, found.lines, strict=True) if fields != [""]]
    if len(kept) > 1 and len(found.fields) < SAMPLE_RECORDS and len(sample) == SAMPLE_CHARACTERS:
        kept.pop()  # the sample ends in the middle of this record
    widths = Counter(len(fields) for fields, _ in kept)
    width = max(widths, key=lambda size: (widths[size] * (size > 1), widths[size], size), default=1)
    fit = widths[width] / len(kept) if kept else 0.0
    rows = [fields for fields, _ in kept if len(fields) == width][1:]
    return _Trial(
        delimiter, [fields for fields, _ in kept], [line for _, line in kept], width, fit, _alike(rows)
    )


def _alike(rows: list[list[str]]) -> float:
    """Return how far the cells of each column are of one kind, from 0 to 1."""
    if not rows:
        return 0.5
    shares = []
    for cells in zip(*rows, strict=True):
        kinds = Counter(kind for kind in map(kind_of, cells) if kind)
        shares.append(max(kinds.values()) / sum(kinds.values()) if kinds else 1.0)
    return sum(shares) / len(shares)


def kind_of(cell: str) -> str:
    """Sort a cell into kinds that need no types: number, date, word, or nothing.

    >>> [kind_of(cell) for cell in ("1,5", "3.11.2026", "Mill", "n/a")]
    ['number', 'date', 'word', '']
    """
    text = cell.strip()
    if not text or is_missing_word(text):
        return ""
    if date_groups(text):
        return "date"
    return "number" if _NUMBER.fullmatch(text) else "word"


def _delimiter_evidence(best: _Trial) -> str:
    return best.figures() if best.width > 1 else "no delimiter gives more than one field"


def _header_record(trial: _Trial) -> int:
    """Return the first record as wide as the others; what is above are titles."""
    return next((at for at, fields in enumerate(trial.fields) if len(fields) == trial.width), 0)


def _guess_header(records: list[list[str]], width: int) -> tuple[int, str]:
    """Decide whether the first record names the columns."""
    if not records:
        return 1, "there is nothing below it"
    first, rows = records[0], [row for row in records[1:] if len(row) == width]
    votes = 0
    for cell, *below in zip(first, *rows, strict=False):
        kinds = Counter(kind for kind in map(kind_of, below) if kind)
        common = max(kinds, key=lambda kind: kinds[kind], default="")
        if common in ("number", "date"):
            votes += 1 if kind_of(cell) == "word" else -1 if kind_of(cell) == common else 0
    if votes:
        text = f"{abs(votes)} columns hold numbers or dates below "
        return (1, text + "a word") if votes > 0 else (0, text + "a value of the same kind in the first line")
    names = [cell.strip() for cell in first]
    if all(kind_of(name) in ("word", "") for name in names) and len(set(names)) == len(names):
        recurring = sum(name in {row[at].strip() for row in rows} for at, name in enumerate(names) if name)
        if not recurring:
            return 1, "its words are all different and do not occur below"
    return 0, "the first line looks like the lines below it"
