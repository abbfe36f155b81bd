"""Tables that belong together: which column of one refers to a key of another, and what has no partner.

A column refers to a key where most of its cells have a value that the key has, and more of them than chance would
give it: among the numbers from 1 to 40 every small count would be found. Joins match values that are exactly equal,
so what has no partner is counted exactly; whether two columns belong together is judged by values without spaces
and case.
"""

from collections import Counter
from collections.abc import Iterable, Iterator, Mapping
from typing import NamedTuple

import msgspec
import numpy as np
from msgspec.structs import replace

from comb.errors import agree, counted, washed_lines
from comb.formats.lazy_pattern import lazy_pattern
from comb.parsing.letters import looks_like
from comb.profiling.characters import MOST_RECODED, visible
from comb.profiling.codes import completed
from comb.profiling.finding import MOST_EXAMPLES, Finding
from comb.profiling.headings import words_of
from comb.profiling.profile import Profile
from comb.profiling.texts import folded
from comb.steps.cell_steps import Recode
from comb.steps.join_keys import comparable, key_changes, shared_codes
from comb.tables.column import Column
from comb.tables.table import BareTable
from comb.tables.types import STRING

# A key has nearly as many values as rows, and this many at least.
LEAST_UNIQUE = 0.98
LEAST_VALUES = 3

# A column refers to a key if this share of its cells has a value of it; whole numbers, if their names share a word or
# chance would give them half of that.
LEAST_MATCHED = 0.5
MOST_BY_CHANCE = 0.5
KINDS = frozenset({"string", "integer", "date", "datetime", "decimal", "number"})

# Numbers with fractions are no keys.
_WHOLE = lazy_pattern(r"[+-]?[0-9]+(?:\.0*)?")

# The time of a moment that is a day.
MIDNIGHT = "T00:00:00"

# More different values are not compared letter by letter.
MOST_COMPARED = 100_000


class Link(msgspec.Struct, frozen=True):
    """A column of one table that refers to a key of another.

    Attributes
    ----------
    table, column : str
    related, key : str
        The table that has the key, and the key.
    matched, orphans, missing : int
        Rows with a partner, without one, and with no value.
    unused : int
        Rows of the related table that nothing refers to.
    """

    table: str
    column: str
    related: str
    key: str
    matched: int
    orphans: int
    missing: int
    unused: int

    def __str__(self) -> str:
        text = f"{self.table}.{self.column} refers to {self.related}.{self.key}: {self.matched:,} rows have a partner"
        text += f", {self.orphans:,} have none" + (f", {self.missing:,} are empty" if self.missing else "")
        are = agree(self.unused, "is", "are")
        return text + f"; {counted(self.unused, 'row')} of {self.related} {are} never referred to"


class Together(msgspec.Struct, frozen=True):
    """Several tables profiled together.

    Attributes
    ----------
    profiles : dict of str to Profile
        Of each table; keys without a partner are among its findings.
    links : tuple of Link
    """

    profiles: dict[str, Profile]
    links: tuple[Link, ...]

    @property
    def findings(self) -> tuple[Finding, ...]:
        """The findings about keys without a partner, of all tables."""
        return tuple(one for profile in self.profiles.values() for one in profile.findings if one.code == ORPHAN)

    def __repr__(self) -> str:
        lines = [str(link) for link in self.links] or ["no column refers to a key of another table"]
        for name, profile in self.profiles.items():
            lines += ["", f"{name}: {profile!r}"]
        return washed_lines("\n".join(lines))


ORPHAN = "relation.orphan"


def related(tables: Mapping[str, BareTable], profiles: Mapping[str, Profile]) -> Together:
    """Find what refers to what among several tables, and what has no partner.

    Parameters
    ----------
    tables : mapping of str to BareTable
    profiles : mapping of str to Profile
        Of the same tables.

    Returns
    -------
    Together
        Cost: for each pair of columns of one type a look at the distinct values.
    """
    values = {name: _values_of(table) for name, table in tables.items()}
    links: list[Link] = []
    findings: dict[str, list[Finding]] = {name: [] for name in tables}
    for name, table in tables.items():
        for column in values[name]:
            found = _best_key(name, column, table, tables, values)
            if found is None:
                continue
            if any((one.related, one.key, one.table, one.column) == (name, column, *found) for one in links):
                # Two keys that refer to each other do so once.
                continue
            link, about = _linked(name, column, table, *found, tables)
            if not link.matched and not about:
                continue
            links.append(link)
            for one, finding in about.items():
                findings[one].append(finding)
    made = {
        name: replace(
            profile, findings=tuple(sorted((*profile.findings, *findings[name]), key=lambda one: -one.severity))
        )
        for name, profile in profiles.items()
    }
    return Together(made, tuple(links))


class _Values(NamedTuple):
    """The values of a column with their counts: as they are, and as they mean the same."""

    texts: dict[str, int]
    plain: Counter[str]


def _values_of(table: BareTable) -> dict[str, _Values]:
    """Return for each column that could refer or be referred to its values."""
    found = {}
    for name, column in table.columns.items():
        if column.type.plain.word in KINDS and column.present.any():
            distinct = column.distinct()
            if not LEAST_VALUES <= len(distinct) <= MOST_COMPARED:
                continue
            texts = dict(distinct.commonest(len(distinct)))
            if column.type.numeric and not all(map(_WHOLE.fullmatch, texts)):
                continue
            plain: Counter[str] = Counter()
            for text, count in texts.items():
                plain[_plain(text)] += count
            found[name] = _Values(texts, plain)
    return found


def _best_key(
    name: str,
    column: str,
    table: BareTable,
    tables: Mapping[str, BareTable],
    values: Mapping[str, Mapping[str, _Values]],
) -> tuple[str, str] | None:
    """Return the table and the key that most cells of a column have a value of."""
    mine = values[name][column]
    total = sum(mine.texts.values())
    best: tuple[float, str, str] | None = None
    for other, theirs in values.items():
        if other == name:
            continue
        for key, known in theirs.items():
            there = tables[other][key]
            if len(known.texts) < LEAST_UNIQUE * int(there.present.sum()):
                continue
            if (
                _is_key(table[column], mine.texts)
                and len(known.texts) >= len(mine.texts)
                and len(tables[other].columns) > len(table.columns)
            ):
                # Of two keys the table with more columns refers to the other.
                continue
            share = sum(count for text, count in mine.plain.items() if text in known.plain) / total
            if share < LEAST_MATCHED or (best is not None and share <= best[0]):
                continue
            if words_of(column) & words_of(key) or _by_chance(mine.texts, known.texts) <= MOST_BY_CHANCE:
                best = (share, other, key)
    return None if best is None else best[1:]


def _is_key(column: Column, values: dict[str, int]) -> bool:
    return len(values) >= LEAST_UNIQUE * int(column.present.sum())


def _plain(text: str) -> str:
    """Return what texts have in common that mean the same: without case and spaces, zeros in front, an empty time."""
    if _WHOLE.fullmatch(text):
        return text.partition(".")[0].lstrip("+0") or "0"
    text = text.removesuffix(MIDNIGHT)
    return folded(looks_like(text)) or text.strip()


def _by_chance(mine: dict[str, int], known: dict[str, int]) -> float:
    """Return which share of whole numbers would be found among others if they were drawn at random; 0 of others."""
    numbers, own = (np.array([float(one) for one in texts if _WHOLE.fullmatch(one)]) for texts in (known, mine))
    if len(numbers) < len(known) or not len(own):
        return 0.0
    low, high = numbers.min(), numbers.max()
    inside = float(((own >= low) & (own <= high)).mean())
    return inside * len(numbers) / max(1.0, float(high - low) + 1)


def _linked(
    name: str, column: str, table: BareTable, other: str, key: str, tables: Mapping[str, BareTable]
) -> tuple[Link, dict[str, Finding]]:
    """Count what has a partner; of what has none there is a finding, by the table that it is about."""
    here, there = table[column], tables[other][key]
    present = int(here.present.sum())
    if not comparable(here.type.plain, there.type.plain):
        link = Link(name, column, other, key, 0, present, here.missing_count, len(there))
        return link, dict(_of_other_types(link, here, there, tables))
    mine, theirs = shared_codes(here, there)
    partner = here.present & np.isin(mine, theirs[there.present])
    orphans = here.present & ~partner
    count = int(orphans.sum())
    unused = int((there.present & ~np.isin(theirs, mine[here.present])).sum())
    link = Link(name, column, other, key, present - count, count, here.missing_count, unused)
    if not count:
        return link, {}
    lost = here._take(np.flatnonzero(orphans)).distinct()
    words = dict(lost.commonest(len(lost)))
    known = {text for text in there.texts() if text is not None}
    examples = tuple(
        f"{visible(text)} ({many:,}){_nearest(text, known)}" for text, many in list(words.items())[:MOST_EXAMPLES]
    )
    have = agree(count, "has a value", "have values")
    text = f"{counted(count, 'row')} of {name} {have} in {column} that {key} of {other} lacks; a join would not match"
    text += f" {agree(count, 'it', 'them')}: {examples[0]}"
    remedy = None
    changes = _written_differently(words, known) if here.type.plain == STRING else {}
    if changes:
        same_keys = sum(words[one] for one in changes)
        are = agree(same_keys, "is a key", "are keys")
        text += f"; {same_keys:,} of them {are}, only written differently"
        remedy = Recode(column=column, values=dict(changes)) if len(changes) <= MOST_RECODED else None
    rows = np.sort(table.row_numbers[orphans])
    return link, {name: completed(Finding(ORPHAN, (column, key), count, rows, examples, text, remedy))}


def _of_other_types(
    link: Link, here: Column, there: Column, tables: Mapping[str, BareTable]
) -> Iterator[tuple[str, Finding]]:
    """Say which step makes a join possible, where the two keys are of different types."""
    best = next(iter(key_changes(link.column, here, link.key, there)), None)
    if best is None or not best.matched:
        return
    name, column = (link.table, link.column) if best.mine else (link.related, link.key)
    types = f"{here.type.plain} and {there.type.plain}"
    text = f"{link.column} of {link.table} and {link.key} of {link.related} are of different types, {types}: a join is"
    text += f" refused; after the remedy on {name} {best.matched:,} of {counted(len(here), 'row')} would match"
    examples = tuple(
        f"{one!r}" for values in (here, there) for one, _ in values.distinct().commonest(MOST_EXAMPLES - 1)
    )
    present = tables[name][column].present
    rows = np.sort(tables[name].row_numbers[present])
    yield name, completed(Finding(ORPHAN, (column,), len(rows), rows, examples, text, best.step))


def _written_differently(words: Iterable[str], known: Iterable[str]) -> dict[str, str]:
    """Return the key for each text that equals exactly one but for case, spaces, signs and how its letters are made."""
    keys: dict[str, list[str]] = {}
    for one in known:
        keys.setdefault(_plain(one), []).append(one)
    found = {text: keys.get(_plain(text), []) for text in words}
    return {text: same[0] for text, same in found.items() if len(same) == 1}


def _nearest(text: str, known: set[str]) -> str:
    """Return the most similar key, as it is shown."""
    from rapidfuzz.distance import OSA
    from rapidfuzz.process import extractOne

    same = [one for one in known if _plain(one) == _plain(text)]
    if same:
        return f", nearest {same[0]!r}"
    found = extractOne(text, sorted(known), scorer=OSA.normalized_similarity, score_cutoff=0.7)
    return f", nearest {found[0]!r}" if found else ""
