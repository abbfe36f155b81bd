"""What a report is made of: plain values, whoever found them out."""

from collections.abc import Sequence

import msgspec

from comb.profiling.finding import Severity
from comb.profiling.missing_blocks import MissingBlocks
from comb.profiling.summaries import Summary
from comb.steps.ledger import Entry

# Findings listed in the answer, at the top.
MOST_MATTERS = 3


class ExampleCell(msgspec.Struct, frozen=True):
    """A cell that a step changes: its row number, its column, before and after."""

    row: int
    column: str
    before: str
    after: str


class FindingPart(msgspec.Struct, frozen=True):
    """A finding, with what its remedy would change.

    Attributes
    ----------
    code, severity, text : str
    rank : int
        How much it matters.
    rows : str
        Some of the row numbers.
    remedy : str
        The step, as a plan has it; empty if there is no remedy.
    effect : str
        What the step would do, in counts.
    examples : tuple of ExampleCell
    by_hand : str
        What a person can do where there is no remedy.
    """

    code: str
    severity: str
    text: str
    rank: int = int(Severity.UNTIDY)
    rows: str = ""
    remedy: str = ""
    effect: str = ""
    examples: tuple[ExampleCell, ...] = ()
    by_hand: str = ""

    @property
    def effect_words(self) -> str:
        """What it would do to a result that nobody looks at."""
        return f"would give {self.severity}" if self.rank > int(Severity.UNTIDY) else self.severity


class RulePart(msgspec.Struct, frozen=True):
    """What a rule came to."""

    says: str
    otherwise: str
    met: int
    broken: int
    not_checked: int
    found: str = ""
    why: str = ""


class AsidePart(msgspec.Struct, frozen=True):
    """A row that did not come out."""

    row: str
    place: str
    reason: str


class TablePart(msgspec.Struct, frozen=True):
    """One table of a report.

    Attributes
    ----------
    name, sentence : str
    rows : int
    columns : tuple of Summary
    descriptions, formulas : dict of str to str
        Of columns, where there are some.
    reading : tuple of (str, str, str)
        What was decided when it was read: what, how, why.
    flow : tuple of Entry
        The ledger.
    missing : MissingBlocks, optional
    gaps : tuple of str
        Where cells are missing, in sentences.
    findings : tuple of FindingPart or None
        None where nothing was looked for.
    accepted : tuple of (str, str)
        What is settled, and why.
    rules : tuple of RulePart
    aside : tuple of AsidePart
        Rows that were set aside; of many the first.
    aside_count : int
    origin : tuple of (str, str)
        The source: its name, size, checksum.
    """

    name: str
    sentence: str
    rows: int
    columns: tuple[Summary, ...]
    descriptions: dict[str, str] = msgspec.field(default_factory=dict)
    formulas: dict[str, str] = msgspec.field(default_factory=dict)
    reading: tuple[tuple[str, str, str], ...] = ()
    flow: tuple[Entry, ...] = ()
    missing: MissingBlocks | None = None
    gaps: tuple[str, ...] = ()
    findings: tuple[FindingPart, ...] | None = None
    accepted: tuple[tuple[str, str], ...] = ()
    rules: tuple[RulePart, ...] = ()
    aside: tuple[AsidePart, ...] = ()
    aside_count: int = 0
    origin: tuple[tuple[str, str], ...] = ()

    @property
    def adds_up(self) -> bool:
        """Whether every entry of the ledger accounts for all its rows."""
        return all(one.adds_up for one in self.flow)


class PicturePart(msgspec.Struct, frozen=True):
    """A picture of a report: ``png`` or ``svg`` with its sentence and caption."""

    title: str
    caption: str
    kind: str
    content: bytes


class ReportParts(msgspec.Struct, frozen=True):
    """Everything a report says.

    Attributes
    ----------
    title : str
    tables : tuple of TablePart
    questions : tuple of (str, str)
        Open ones, and those answered with what came of them.
    pictures : tuple of PicturePart
    notes : tuple of str
        What is odd about the sources.
    made : tuple of (str, str)
        Versions, the day of the run, checksums.
    """

    title: str
    tables: tuple[TablePart, ...]
    questions: tuple[tuple[str, str], ...] = ()
    pictures: tuple[PicturePart, ...] = ()
    notes: tuple[str, ...] = ()
    made: tuple[tuple[str, str], ...] = ()

    def answer(self) -> list[str]:
        """Say first what a reader wants to know: what this is, how many rows, whether all is accounted for."""
        lines = [one.sentence for one in self.tables]
        flows = [one for one in self.tables if one.flow]
        if flows:
            steps = sum(entry.step != "load" and entry.active for one in flows for entry in one.flow)
            said = f"{steps:,} step{'s' if steps != 1 else ''}" if steps else "reading"
            adds = all(one.adds_up for one in flows)
            lines.append(
                f"Every row is accounted for: the ledger adds up over {said}."
                if adds
                else "THE LEDGER DOES NOT ADD UP: rows are lost or made that no step accounts for."
            )
        rules = [rule for one in self.tables for rule in one.rules]
        if rules:
            broken = [rule for rule in rules if rule.broken]
            unsure = sum(bool(rule.not_checked) for rule in rules)
            text = f"{len(rules)} rule{'s' if len(rules) != 1 else ''}: {len(rules) - len(broken)} met"
            text += f", {len(broken)} broken" if broken else ""
            lines.append(text + (f"; {unsure} could not be checked in some rows." if unsure else "."))
        aside = sum(one.aside_count for one in self.tables)
        if aside:
            lines.append(f"{aside:,} row{'s were' if aside != 1 else ' was'} set aside, with the reason; none is lost.")
        return lines

    def matters(self) -> list[tuple[str, str]]:
        """Return the findings that matter most: what each would do to a result, and what it is."""
        found: Sequence[FindingPart] = [part for one in self.tables for part in one.findings or ()]
        worst = sorted(found, key=lambda part: -part.rank)[:MOST_MATTERS]
        return [(part.effect_words, part.text) for part in worst]
