"""The dataset folder: tables with their description, the record of what was done. Pure."""

import hashlib
import json
from collections.abc import Callable, Collection, Iterable, Iterator, Mapping, Sequence
from functools import partial
from types import MappingProxyType
from typing import Any

import msgspec

from comb.errors import PlanError
from comb.execution.ordered import in_order
from comb.kernels.grouping import Codes
from comb.profiling.summaries import Summary, summaries_of
from comb.reading.io.beside import CHECKSUMS
from comb.report.dictionary import dictionary_bytes
from comb.steps.accounting import Taken, ledger_of
from comb.steps.record import kept_formulas
from comb.tables.origin import DELIMITED, Origin
from comb.tables.table import BareTable
from comb.version import __version__
from comb.writing.aside_file import aside_titles, set_aside_rows
from comb.writing.atomic import Content, PutFile
from comb.writing.delimited import ROWS_AT_ONCE, TextForm, csv_parts
from comb.writing.files import described_files
from comb.writing.record_files import (
    ASIDE,
    CHANGED,
    LEFT_OUT,
    RECORD_FILES,
    ROWS,
    RULE_ROWS,
    changed_cells,
    compressed_if_large,
    left_out_rows,
    record_lines,
    record_metadata,
    row_sources,
    rule_rows,
)

# Names and contents, made while they are written.
Files = Iterable[tuple[str, Content]]

PLAN = "plan.yaml"
REPORT = "report.html"

# Files of a folder that are not named after a table.
OWN_FILES = (
    "dictionary.md", REPORT, "ledger.jsonl", "run.json", "csv-metadata.json", PLAN, CHECKSUMS, *RECORD_FILES,
    *(f"{name}.gz" for name in (ASIDE, CHANGED, LEFT_OUT, ROWS, RULE_ROWS)),
)  # fmt: skip

# No system takes longer names, and what is put behind them takes some.
LONGEST_NAME = 180


# No system has these in names of files, or they lead elsewhere.
_NOT_IN_NAMES = frozenset('/\\:*?"<>|') | {chr(code) for code in range(32)}


def check_names(names: Sequence[str]) -> None:
    """Raise a PlanError unless files can be named after tables, each in the folder and none like another.

    Parameters
    ----------
    names : sequence of str
    """
    taken = {name.casefold(): f"the file {name} of every dataset" for name in OWN_FILES}
    for name in names:
        wrong = (
            not name.strip() or name.startswith((".", "~")) or any(char in '/\\:*?"<>|' or char < " " for char in name)
        )
        if wrong or len(name.encode()) > LONGEST_NAME:
            what = f"a table cannot be called {name[:LONGEST_NAME]!r}: files are named after it"
            raise PlanError(what, remedy="letters, digits, spaces, - and _ make a name of a file")
        for file in (f"{name}.csv", f"{name}.csv-metadata.json", f"{name}-cells.csv"):
            other = taken.setdefault(file.casefold(), f"the table {name!r}")
            if other != f"the table {name!r}":
                raise PlanError(
                    f"the table {name!r} would have the file {file}, and so would {other}",
                    remedy="give one of them another name",
                )


class Dataset(msgspec.Struct, frozen=True):
    """Everything that goes into a dataset folder.

    Attributes
    ----------
    tables : mapping of str to BareTable
    taken : mapping of str to sequence of Taken
        The steps that led to each table, in order.
    plan : str
        The plan, as written.
    sources : mapping of str to Origin
        What each table was loaded from.
    rules : mapping of str to sequence of list of str
        Of each table a line for each rule, as `rules.csv` has it after the table.
    rule_rows : mapping of str to sequence of (str, str, int64 array)
        Of each table the rows that break a rule or were not checked: rule, result, row numbers.
    required : mapping of str to collection of str
        Columns that a rule says have a value in every row.
    questions : sequence of str
        Open ones.
    as_of : str
        The day of the run, if it was given.
    disarm : bool
        Put an apostrophe before texts that a spreadsheet program would run.
    pictures : sequence of dict of str to str
        Of each picture its file, table, title and caption.
    report : callable, optional
        What makes the report of the summaries of all tables.
    """

    tables: Mapping[str, BareTable]
    taken: Mapping[str, Sequence[Taken]]
    plan: str
    sources: Mapping[str, Origin] = msgspec.field(default_factory=dict)
    rules: Mapping[str, Sequence[list[str]]] = msgspec.field(default_factory=dict)
    rule_rows: Mapping[str, Sequence[tuple[str, str, Codes]]] = msgspec.field(default_factory=dict)
    required: Mapping[str, Collection[str]] = msgspec.field(default_factory=dict)
    questions: Sequence[str] = ()
    as_of: str = ""
    disarm: bool = False
    pictures: Sequence[Mapping[str, str]] = ()
    report: Callable[[Mapping[str, Sequence[Summary]]], bytes] | None = None

    def write(self, put: PutFile, threads: int = 1, extra: Mapping[str, bytes] = MappingProxyType({})) -> None:
        """Write every file of the folder as it is made; the same dataset gives the same bytes.

        Parameters
        ----------
        put : callable
            Writes a file: its name and content. May be called by several threads.
        threads : int
            This many files are made at once.
        extra : mapping of str to bytes
            More files for the folder: the report, pictures.

        Raises
        ------
        PlanError
            If two files would have one name.
        """
        check_names(list(self.tables))
        written = _Written(put)
        parts: dict[str, list[int]] = {name: [] for name in self.tables}
        for name, data in extra.items():
            written.put(name, data)
        # The longest first, so that the others are done beside them.
        jobs: list[Callable[[], Files]] = [
            partial(self._described, threads, written.check),
            lambda: [compressed_if_large(CHANGED, changed_cells(self.taken, self._form), threads)],
            *(partial(self._table, name, threads, parts[name]) for name in self.tables),
            lambda: [compressed_if_large(ROWS, row_sources(self.taken, self.tables), threads)],
            lambda: [compressed_if_large(LEFT_OUT, left_out_rows(self.taken), threads)],
            lambda: [compressed_if_large(RULE_ROWS, rule_rows(self.rule_rows, self.tables, self._form), threads)],
            lambda: [compressed_if_large(ASIDE, set_aside_rows(self.taken, self.sources, self._form), threads)],
        ]

        def work(job: Callable[[], Files]) -> None:
            for name, data in job():
                written.put(name, data)

        for _ in in_order(work, jobs, threads, written.stop):
            pass
        written.put("run.json", self._run_bytes(parts))
        rules = [[name, *line] for name, lines in self.rules.items() for line in lines]
        written.put("rules.csv", record_lines([list(RECORD_FILES["rules.csv"].columns), *rules], self._form))
        more = {ASIDE: aside_titles(self.taken, self.sources)}
        record = [name for known in RECORD_FILES for name in (known, f"{known}.gz") if name in written.sums]
        written.put("csv-metadata.json", _json(record_metadata(record, more)))
        put(CHECKSUMS, "".join(f"{written.sums[name]}  {name}\n" for name in sorted(written.sums)).encode())

    @property
    def _form(self) -> TextForm:
        return TextForm(disarm=self.disarm)

    def _table(self, name: str, threads: int, begins: list[int]) -> Files:
        """Return the file of a table with those that describe it; lists the byte on which each part of it begins."""
        parts = _noted(csv_parts(self.tables[name], self._form, threads), begins)
        required = {*self.required.get(name, ()), *self._demanded(name)}
        return described_files(self.tables[name], name, f"{name}.csv", parts, self._form, required=required).items()

    def _demanded(self, name: str) -> list[str]:
        """Return the columns of which the schema of the source demands values, by their names in the result."""
        titles = list(self.sources[name].required) if name in self.sources else []
        for one in self.taken[name]:
            titles = [next((new for new, old in one.record.renamed.items() if old == title), title) for title in titles]
        return titles

    def _described(self, threads: int, check: Callable[[], None]) -> Files:
        """Return what describes the whole: the dictionary, the report, the ledger, the plan."""
        # Each column that is summarised is in memory: on disk, one at a time.
        summaries = {
            name: summaries_of(table, 1 if table._storage.on_disk else threads, check)
            for name, table in self.tables.items()
        }
        return [
            ("dictionary.md", dictionary_bytes(dict(self.tables), self.questions, self._formulas(), summaries)),
            *([(REPORT, self.report(summaries))] if self.report else []),
            ("ledger.jsonl", ledger_bytes(self.taken, self.sources, self.rules)),
            (PLAN, self.plan.encode()),
        ]

    def _formulas(self) -> dict[str, dict[str, str]]:
        """Return the formulas of calculated columns that are still there, by table and column."""
        found: dict[str, dict[str, str]] = {}
        for name, table in self.tables.items():
            found[name] = kept_formulas(table.names, [one.record for one in self.taken[name]])
        return found

    def _run_bytes(self, parts: Mapping[str, list[int]]) -> bytes:
        """Say what made this folder, of what, for which day, if that was given, and where rows are in its tables."""
        sources = {
            name: {"source": origin.name, "bytes": origin.size, "blake3": origin.checksum, **_read_as(origin)}
            for name, origin in self.sources.items()
        }
        tables = {
            name: {"rows": table.row_count, "bytes": parts[name][-1], "rows_per_part": ROWS_AT_ONCE,
                   "parts_begin": parts[name][:-1]}
            for name, table in self.tables.items()
        }  # fmt: skip
        day, questions = self.as_of or None, list(self.questions)
        record: dict[str, Any] = {"comb": __version__, "as_of": day, "sources": sources, "questions": questions}
        record["tables"] = tables
        record |= {"pictures": [dict(one) for one in self.pictures]} if self.pictures else {}
        return _json(record)


def _noted(parts: Iterable[bytes], begins: list[int]) -> Iterator[bytes]:
    """Pass on the parts of a file, and list the byte that each ends on: the header first."""
    at = 0
    for part in parts:
        at += len(part)
        begins.append(at)
        yield part


def _read_as(origin: Origin) -> dict[str, str | None]:
    """Say how a delimited text was read."""
    options = origin.options
    if origin.kind != DELIMITED or not isinstance(origin.source, str):
        return {}
    return {"encoding": options.encoding, "delimiter": options.delimiter, "quote": options.quote}


class _Written:
    """The files of a folder that were written, each with its checksum."""

    def __init__(self, put: PutFile) -> None:
        self._put = put
        self.sums: dict[str, str] = {}
        self._begun: set[str] = set()
        self._stopped = False

    def stop(self) -> None:
        """End what is being written at its next part."""
        self._stopped = True

    def check(self) -> None:
        """Raise a PlanError if the work was stopped."""
        if self._stopped:
            raise PlanError("stopped before everything was written")

    def put(self, name: str, data: Content) -> None:
        """Write a file, and take its checksum on the way."""
        self.check()
        if name in self._begun:
            raise PlanError(f"two files of the dataset would be called {name}", remedy="rename one of the tables")
        self._begun.add(name)
        checksum = hashlib.sha256()

        def passing() -> Iterator[bytes]:
            for part in [data] if isinstance(data, bytes) else data:
                self.check()
                checksum.update(part)
                yield part

        self._put(name, passing())
        self.sums[name] = checksum.hexdigest()


def _json(record: dict[str, Any]) -> bytes:
    return (json.dumps(record, indent=1, ensure_ascii=False) + "\n").encode()


def ledger_bytes(
    taken: Mapping[str, Sequence[Taken]], sources: Mapping[str, Origin], rules: Mapping[str, Sequence[list[str]]]
) -> bytes:
    """Write the ledger as JSON Lines: a line for each step, with table and number; reading the source has number 0.

    After the steps of a table there is a line for each of its rules.
    """
    lines = []
    for name, steps in taken.items():
        entries = ledger_of(name, steps, sources)
        for number, entry in enumerate(entries, len(steps) - len(entries) + 1):
            record = {"table": name, "number": number, **msgspec.to_builtins(entry)}
            lines.append(msgspec.json.encode(record) + b"\n")
        for line in rules.get(name, ()):
            titles = list(RECORD_FILES["rules.csv"].columns)[1:]
            counts = {title: int(text) if text.isdigit() else text for title, text in zip(titles, line, strict=True)}
            lines.append(
                msgspec.json.encode({"table": name, **{key: one for key, one in counts.items() if one != ""}}) + b"\n"
            )
    return b"".join(lines)
