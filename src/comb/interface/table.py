"""The public table: the bare one of `comb.tables` with a method for each step.

This is where the layers meet: `comb.tables` knows nothing of steps, the steps know bare
tables, and this class, above both, adds thin methods. Each makes its step, takes it,
and remembers it (`step_table`). The methods are in `row_methods`, `column_methods` and `repair_methods`.
"""

import io
import sys
from collections.abc import Callable
from datetime import date
from pathlib import Path
from typing import IO, TYPE_CHECKING, Any, Self, overload

from comb.errors import ParameterError
from comb.execution.resources import DEFAULT
from comb.interface.column_methods import ColumnMethods
from comb.interface.layout_methods import LayoutMethods
from comb.interface.log import log
from comb.interface.looking_methods import LookingMethods
from comb.interface.repair_methods import RepairMethods
from comb.interface.row_methods import RowMethods
from comb.tables.column import Column
from comb.tables.table import check_whole

if TYPE_CHECKING:
    from comb.interface.plan import Plan
    from comb.interface.report import Report
    from comb.interface.shown.histories import Ledger, Traces, Working
    from comb.profiling.profile import Profile
    from comb.profiling.unreadable import KeptText


class Table(RowMethods, ColumnMethods, RepairMethods, LayoutMethods, LookingMethods):
    """A table with typed columns, immutable; every step returns a new one.

    Made by `load`, `table` or a step, not by hand. Every step takes `why`, the reason for the ledger, and `at_most`: it
    stops if it would remove more rows, or change more cells of a column, than this number or share (``2%``).
    """

    @overload
    def __getitem__(self, name: str) -> Column: ...

    @overload
    def __getitem__(self, name: list[str]) -> Self: ...

    def __getitem__(self, name: Any) -> Any:
        """Return a column by its name; for a list of names, a table with these columns, as `select` does."""
        return self.select(name) if isinstance(name, list) else super().__getitem__(name)

    def __getattr__(self, name: str) -> Any:
        """Say how a column is had, where one is asked for as an attribute."""
        there = name in self.__dict__.get("_columns", {})
        remedy = f"; a column is had by its name in brackets: table[{name!r}]" if there else ""
        raise AttributeError(f"a table has no attribute {name!r}{remedy}", name=name, obj=self)

    def __arrow_c_stream__(self, requested_schema: Any = None) -> Any:
        """Give the table to another library by Arrow's protocol, as one record batch.

        Parameters
        ----------
        requested_schema : capsule, optional
            A column is given in the type that it has there if each of its cells is the same in it: texts with or
            without a dictionary, smaller integers, moments in another unit. Other types are left to the receiver.

        Returns
        -------
        capsule
            A stream. Integers, floats, datetimes and texts are not copied. Why cells are missing is in the metadata of
            each column.
        """
        from comb.kernels.arrow import structures
        from comb.tables.arrow_export import exported

        asked = None if requested_schema is None else structures().read_schema(requested_schema)
        field, array = exported(self.columns, self.row_count, asked)
        return structures().stream_capsule(field, [array])

    def __arrow_c_schema__(self) -> Any:
        """Give the names and types of the columns by Arrow's protocol."""
        from comb.kernels.arrow import structures
        from comb.tables.arrow_export import field_of

        return structures().schema_capsule(field_of(self.columns))

    def _repr_html_(self) -> str:
        from comb.views.tables import table_html

        return table_html(self._layout_request(), self.types)

    def show_working(self, formula: str, row_number: int) -> "Working":
        """Show the calculation of a formula for one row with its numbers, so that it can be checked by hand.

        >>> import comb
        >>> comb.table(columns={"mites": [6], "bees": [300]}).show_working("mites * 100 / bees", 1)
        mites                           6
        mites * 100 = 6 * 100           600
        bees                            300
        mites * 100 / bees = 600 / 300  2
        """
        from comb.expressions.evaluate import working_of
        from comb.interface.shown.histories import Working

        return Working(working_of(formula, self, self._position(row_number)))

    @property
    def ledger(self) -> "Ledger":
        """What became of the lines of the source, and what each step so far did to rows, columns and cells."""
        from comb.interface.shown.histories import Ledger
        from comb.steps.accounting import load_entry

        first = load_entry(self._begun or self.origin)
        return Ledger(self._entries if first is None else (first, *self._entries))

    def trace(self, row_number: int, column: str) -> "Traces":
        """Tell the history of a cell: where it stood, the text as it was, and what each step made of it.

        Parameters
        ----------
        row_number : int
            Of this table; or of the source, for a row that did not come out.
        column : str

        Returns
        -------
        list of Trace
            One for each cell that the row has in this column: several after `to_long`. Cost: the column is read again
            from its source for the text.

        >>> import comb
        >>> weights = comb.table(columns={"kg": [31, 400]})
        >>> weights.correct("kg", row=2, old=400, new=40, source="log book").trace(2, "kg")
        kg of row 2: 40
          stood in table typed in by hand, row 2
          step 1, correct: 400 became 40
            kg of row 2: 400 corrected to 40, from log book
        """
        from comb.interface.shown.histories import Traces
        from comb.reading.source_texts import cell_text
        from comb.steps.trace import History

        check_whole(row_number)
        history = History(list(zip(self._entries, self._records, strict=True)), self)
        found = history.trace(row_number, column)
        return Traces([one.with_texts(lambda cell: cell_text(*cell)) for one in found])

    def profile(
        self,
        *,
        as_of: str | date | None = None,
        accepted: "Plan | None" = None,
        progress: Callable[[str], object] | None = None,
    ) -> "Profile":
        """Summarise all columns and list what was noticed, each finding with its remedy.

        Parameters
        ----------
        as_of : str or date, optional
            The day that counts as today: days after it have not happened, and a period that it lies in is not over.
        accepted : Plan, optional
            Findings that it declares settled are listed as such.
        progress : callable, optional
            Called with a one-line progress message.

        Returns
        -------
        Profile
            What matters most comes first. Cost: a few passes over every column. Where it is interrupted, what was found
            so far is returned, and what was not looked for is among its `limits`.

        >>> import comb
        >>> table = comb.table(columns={"box": ["Mill", "Fox", "Elm"] * 9, "kg": [31.5, 32.5, 999] * 9})
        >>> [(finding.code, finding.count) for finding in table.profile().findings]
        [('missing.stand_in', 9)]
        """
        from comb.interface.shown.profiles import ShownProfile
        from comb.profiling.profile import profile
        from comb.steps.column_steps import day_of

        day = day_of(as_of if as_of is None else str(as_of))
        settled = [] if accepted is None else accepted.settled_for(self)
        return ShownProfile._of(profile(self, DEFAULT.threads, day, settled, progress))

    def report(self, *, as_of: str | date | None = None) -> "Report":
        """Report on the table: what became of its rows, its columns, what is wrong with it and what would repair that.

        Parameters
        ----------
        as_of : str or date, optional
            The day that counts as today, for dates that have not happened.

        Returns
        -------
        Report
            To be saved as a page (``.html``) or as Markdown (``.md``). Cost: a profile, and every remedy once.

        >>> import comb
        >>> comb.table(columns={"kg": [31, 40, None]}).report()
        Report: table typed in by hand
        table typed in by hand: 3 rows and 1 column
        """
        from comb.interface.report_building import table_report

        return table_report(self, self.ledger, self._records, None if as_of is None else str(as_of))

    def questions(self, *, as_of: str | date | None = None, accepted: "Plan | None" = None) -> Self:
        """Return the doubtful cells and rows as a sheet of questions, for people who know the subject.

        Each line says where a cell stood, what it is, what is doubtful about it and what the remedy would make of it;
        the answer and a remark are to be filled in. A plan takes the sheet back with ``answers:``.

        Parameters
        ----------
        as_of, accepted
            As for `profile`.

        Returns
        -------
        Table
            To be saved as a workbook or as delimited text. Cost: that of a profile, and of every remedy once.

        >>> import comb
        >>> visits = comb.table(columns={"mites": ["3", "many", "5"] * 9}).convert({"mites": "integer"})
        >>> sheet = visits.questions()
        >>> sheet.row_count, sheet.record(1)["value"], sheet.record(1)["allowed"]
        (9, 'many', 'is right | leave out | the right value')
        """
        from comb.profiling.questions import question_table

        found = self.profile(as_of=as_of, accepted=accepted)
        return self._adopt(question_table(self, found.findings))

    def kept_texts(self, name: str) -> "list[KeptText]":
        """List every text of a column that was not read as a value, with its reason and rows, the commonest first.

        >>> import comb
        >>> table = comb.table(columns={"mites": ["3", "many", "5", "many"]}).convert({"mites": "integer"})
        >>> table.kept_texts("mites")
        [KeptText(text='many', reason='unreadable', rows=(2, 4))]
        """
        from comb.profiling.unreadable import all_kept_texts

        return all_kept_texts(self, name)

    def plan(self) -> "Plan":
        """Return what was done so far as a plan, to be saved and run again.

        Raises
        ------
        ParameterError
            If the table was typed in by hand, or shows only some rows of another.
        """
        from comb.interface.plan import Plan
        from comb.plans.model import TablePlan, name_of, write_plan
        from comb.plans.parse import read_plan

        origin = self._begun or self.origin
        tables: dict[str, TablePlan] = {}
        self._add_plans(tables, Path(origin.name).stem if origin.path else name_of(origin.source), {})
        return Plan(read_plan(write_plan(tables), f"plan of {origin.name}"))

    def save(
        self,
        path: str | Path | IO[Any],
        *,
        kind: str | None = None,
        overwrite: bool = False,
        describe: bool = False,
        delimiter: str | None = None,
        line_end: str | None = None,
        encoding: str | None = None,
        missing: str | None = None,
        decimal_mark: str | None = None,
        date_pattern: str | None = None,
        disarm: bool | None = None,
        nested: bool | None = None,
        leave_missing_out: bool | None = None,
    ) -> None:
        """Save the table as delimited text, JSON, a workbook, a database or a Parquet file, at once or not at all.

        What the file does not hold of the table is logged as a warning (logger ``comb``): texts that could not be read
        as values, where nothing describes them.

        Parameters
        ----------
        path : str, Path or open file
            The suffix says what is written: delimited text (``.csv``, ``.tsv``, ``.txt``), an array
            of records (``.json``), a record in each line (``.jsonl``), each compressed where
            ``.gz``, ``.bz2``, ``.xz`` or ``.zst`` follows; a workbook (``.xlsx``, ``.ods``); an SQLite database
            (``.sqlite``, ``.db``); by pyarrow a Parquet or Arrow file (``.parquet``, ``.arrow``). ``-`` is standard
            output. An open file of bytes or of text is written to where it stands, and left open.
        kind : str, optional
            What is written, as a suffix: ``.csv``. For standard output and open files, which may have no name that says
            it; by default ``.csv`` there.
        overwrite : bool
            Whether a file of this name may be replaced. What described the old one goes with it.
        describe : bool
            Beside delimited text, also write its description by CSV on the Web and the reasons
            of its missing cells, so that it loads back equal. In a workbook, add a sheet
            with the dictionary and one with the ledger; in a database, tables that describe the others.
            Parquet and Arrow files always have types and reasons in them.
        delimiter : str, optional
            By default a comma for ``.csv``, else a tab.
        line_end, encoding : str, optional
            By default CRLF, as RFC 4180 has it, and UTF-8.
        missing : str, optional
            What is in missing cells of delimited text; by default nothing.
        decimal_mark, date_pattern : str, optional
            How numbers and dates are written in delimited text.
        disarm : bool, optional
            Put an apostrophe before texts that a spreadsheet program would run.
        nested : bool, optional
            In JSON, make objects inside objects of dotted names.
        leave_missing_out : bool, optional
            In JSON, leave out the keys of missing cells; by default they are null.

        Raises
        ------
        WriteError
            If a file exists, or the system refuses.
        ParameterError
            If a cell cannot be written as it is, naming row and column, or an option means nothing
            for this kind of file.
        """
        from comb.reading.io.source_file import check_path, path_of
        from comb.writing.atomic import check_file_free, write_files
        from comb.writing.files import file_kind, files_of, not_held, outdated

        given = {
            "delimiter": delimiter, "line_end": line_end, "encoding": encoding, "missing": missing,
            "decimal_mark": decimal_mark, "date_pattern": date_pattern, "disarm": disarm, "nested": nested,
            "leave_missing_out": leave_missing_out,
        }  # fmt: skip
        options = {name: value for name, value in given.items() if value is not None}
        path = path_of(path)
        if path == "-" or not isinstance(path, str | Path):
            self._save_to(sys.stdout if isinstance(path, str) else path, kind, options, describe=describe)
            return
        check_path(path)
        place = Path(path)
        if kind is not None and file_kind(f"table{kind}") != file_kind(place.name):
            raise ParameterError(f"kind is {kind!r}, and the name {place.name!r} says another", remedy="leave kind out")
        suffix, _ = file_kind(place.name)
        check_file_free(place, overwrite=overwrite)
        files = files_of(self, place.name, options, describe=describe, taken=self.ledger, threads=DEFAULT.threads)
        old = outdated(place.parent, place.name, files, overwrite=overwrite)
        write_files(place.parent, files, overwrite=overwrite, remove=old)
        for message in not_held(self, suffix, describe=describe):
            log.warning("%s: %s", place.name, message)

    def _save_to(self, file: Any, kind: str | None, options: dict[str, Any], *, describe: bool) -> None:
        """Write to an open file, or to standard output."""
        from comb.writing.files import TEXTS, file_kind, files_of, not_held

        if describe:
            raise ParameterError(
                "what describes a file is beside it, and an open file has no place beside it",
                remedy="save it under a name to describe it",
            )
        if not callable(getattr(file, "write", None)):
            raise ParameterError(
                f"expected the path of a file, or an open one, got {file!r}", remedy="for instance 'visits.csv'"
            )
        name = getattr(file, "name", "")
        if kind is None:
            suffixes = "".join(Path(name).suffixes[-2:]) if isinstance(name, str) else ""
            kind = suffixes if suffixes and not isinstance(file, io.TextIOBase) else ".csv"
        found = file_kind(f"table{kind}")
        data = files_of(self, f"table{kind}", options, describe=False, taken=(), threads=DEFAULT.threads)[
            f"table{kind}"
        ]
        binary = getattr(file, "buffer", None) if isinstance(file, io.TextIOBase) else file
        if binary is None and (found[1] or found[0] not in TEXTS):
            raise ParameterError(f"a {kind} file is bytes, and the open file takes text", remedy="open it with 'wb'")
        if isinstance(file, io.TextIOBase):
            file.flush()
        for part in [data] if isinstance(data, bytes) else data:
            if binary is None:
                file.write(part.decode(options.get("encoding") or "utf-8"))
            else:
                binary.write(part)
        for message in not_held(self, found[0], describe=False):
            log.warning("%s: %s", name or "file", message)
