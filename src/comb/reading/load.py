"""Load and inspect sources: the recipe that ties the parts of reading together."""

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path

from comb.errors import ParameterError
from comb.reading.delimited import Grid, read_grid, type_columns
from comb.reading.dialect import Layout, guess_layout, name_of
from comb.reading.encoding import Decoded, decode
from comb.reading.inspection import ColumnReading, Decision, Inspection, TableReading
from comb.reading.sources import SourceBytes, read_source
from comb.tables.bare import BareTable
from comb.tables.origin import Origin


@dataclass(frozen=True, slots=True, kw_only=True)
class ReadOptions:
    """How to read a source; None leaves a thing to be found out.

    Attributes
    ----------
    delimiter, quote, encoding : str, optional
        An empty quote means that quotes are ordinary characters.
    header : bool or int, optional
        Lines of header: 0 (False) or 1 (True).
    skip : int, optional
        Lines above the header.
    missing : collection of str, optional
        Words for missing in all columns; an empty one means none at all.
    types : mapping of str to str, or str, optional
        Types by column, or one for all; a pattern may stand behind: ``date d.M.yyyy``.
    columns : sequence of str, optional
        Selectors of the columns to read.
    rows : int, optional
        Read only so many rows from the top.
    """

    delimiter: str | None = None
    quote: str | None = None
    encoding: str | None = None
    header: bool | int | None = None
    skip: int | None = None
    missing: Collection[str] | None = None
    types: Mapping[str, str] | str | None = None
    columns: Sequence[str] | None = None
    rows: int | None = None

    def check(self) -> None:
        """Raise a ParameterError for a value outside what is allowed."""
        if self.delimiter is not None and not self.delimiter:
            raise ParameterError("expected a delimiter of at least one character, came an empty text")
        if self.quote is not None and len(self.quote) > 1:
            raise ParameterError(f"expected one quote character or none, came {self.quote!r}")
        if self.header not in (None, 0, 1):
            raise ParameterError(f"expected a header of 0 or 1 lines, came {self.header!r}")
        for name in ("skip", "rows"):
            value = getattr(self, name)
            if value is not None and value < 0:
                raise ParameterError(f"expected {name} of 0 or more, came {value}")


@dataclass(frozen=True, slots=True)
class _Read:
    """Everything known after a source was split into cells."""

    source: SourceBytes
    decoded: Decoded
    layout: Layout
    grid: Grid


def load_table(source: str | Path, options: ReadOptions) -> BareTable:
    """Load the table in a file of delimited text.

    Parameters
    ----------
    source : str or Path
        ``-`` is standard input.
    options : ReadOptions

    Returns
    -------
    BareTable

    Raises
    ------
    ReadError
        If the source cannot be read as a table.
    """
    return _table(_read(source, options), options)


def inspect_source(source: str | Path, options: ReadOptions) -> Inspection:
    """Find out how a source would be read, with the evidence for every decision."""
    read = _read(source, options)
    table = _table(read, options)
    columns = tuple(
        ColumnReading(name, str(column.type), column.missing_count, column.evidence)
        for name, column in table.columns.items()
    )
    first = read.layout.skip + 1
    place = f"{read.source.name}, from line {first}"
    reading = TableReading(
        Path(read.source.name).stem,
        place,
        table.row_count,
        columns,
        tuple(read.grid.notes),
        tuple(read.grid.titles),
    )
    return Inspection(read.source.name, read.source.path, len(read.source.data), _decisions(read), (reading,))


def _read(source: str | Path, options: ReadOptions) -> _Read:
    options.check()
    data = read_source(source)
    decoded = decode(data.data, data.name, options.encoding)
    layout = guess_layout(
        decoded.text,
        delimiter=options.delimiter,
        quote=options.quote,
        skip=options.skip,
        header=None if options.header is None else int(options.header),
    )
    return _Read(data, decoded, layout, read_grid(decoded.text, layout, most=options.rows))


def _table(read: _Read, options: ReadOptions) -> BareTable:
    columns = type_columns(read.grid, missing=options.missing, types=options.types, columns=options.columns)
    reading = {
        "encoding": read.decoded.encoding,
        "delimiter": read.layout.delimiter,
        "quote": read.layout.quote,
        "skip": read.layout.skip,
        "header": read.layout.header,
        "missing": None if options.missing is None else list(options.missing),
        "types": options.types,
        "columns": options.columns,
        "rows": options.rows,
        "titles": read.grid.titles,
    }
    origin = Origin(
        read.source.name,
        read.source.path,
        len(read.source.data),
        read.source.modified,
        read.source.checksum,
        reading,
        read.grid.lines,
    )
    return BareTable(columns, origin=origin, notes=tuple(read.grid.notes))


def _decisions(read: _Read) -> tuple[Decision, ...]:
    layout = read.layout
    quote = {'"': "double", "'": "single", None: "none"}.get(layout.quote, repr(layout.quote))
    header = "one line" if layout.header else "none"
    above = f"{layout.skip} line{'' if layout.skip == 1 else 's'}"
    return (
        Decision("encoding", read.decoded.encoding, read.decoded.why, "", "encoding"),
        Decision(
            "delimiter", name_of(layout.delimiter), layout.why["delimiter"], layout.runner_up, "delimiter"
        ),
        Decision("quote", quote, layout.why["quote"], "", "quote"),
        Decision("above the header", above, layout.why["skip"] if layout.skip else "nothing", "", "skip"),
        Decision("header", header, layout.why["header"], "", "header"),
    )
