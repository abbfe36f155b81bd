"""The finding of lines of delimited text in one column: ``1,"Reed, Ann",2.5`` under ``id,name,kg``.

That comes of a program that opened or wrote a file with another delimiter than it has: on a sheet all is in the first
column, in a file each line is in quotes. The name of the column, or the names of all its columns, show what the parts
are; without names nearly all lines have as many parts, and more than two.
"""

from comb.errors import counted
from comb.profiling.column_cache import ColumnCache
from comb.profiling.finding import Finding, Findings
from comb.steps.shape_steps import Split, quoted_parts
from comb.tables.names import unique_names
from comb.tables.origin import DELIMITED

# In fewer lines, and with fewer parts, marks agree by chance.
LEAST_ROWS = 3
LEAST_PARTS = 3
LEAST_EQUAL = 0.95

# This many lines are looked at.
MOST_LINES = 1_000
MARKS = {",": "a comma", ";": "a semicolon", "\t": "a tab", "|": "a pipe"}


def delimited_lines(table: ColumnCache) -> Findings:
    """A column of lines with the same delimiter, where nothing is in any other."""
    filled = [name for name in table.names if table.present_count(name)]
    if len(filled) != 1 or table.present_count(filled[0]) < LEAST_ROWS:
        return
    [name] = filled
    column = table[name]
    if column.type.word != "string":
        return
    lines = [text for text in column._take(column._first_present(MOST_LINES)).texts() if text]
    for mark, called in MARKS.items():
        titles = list(table.names) if len(table.names) > 1 else quoted_parts(name, mark, '"')
        titles = titles if len(titles) > 1 else []
        if not titles and table.origin.kind == DELIMITED:
            # Of delimited text it was looked for when it was read.
            continue
        parts = [quoted_parts(line, mark, '"') for line in lines]
        sizes = [len(one) for one in parts]
        size = len(titles) or max(set(sizes), key=sizes.count)
        if size < (LEAST_PARTS if len(titles) != 2 else 2) or sizes.count(size) < LEAST_EQUAL * len(sizes):
            continue
        if all(part.startswith(" ") for line in lines for part in line.split(mark)[1:]) and mark in ",;":
            # Of texts with commas in them, as sentences and lists of names are.
            continue
        others = [one for one in table.names if one != name]
        titles = titles or [f"part {at + 1}" for at in range(size)]
        new = list(unique_names([*others, *titles]))[len(others) :]
        quote = '"' if any('"' in line for line in lines) else None
        remedy = Split(column=name, new_columns=new, mark=mark, quote=quote)
        count = table.present_count(name)
        text = f"{counted(count, 'cell')} of {name} are lines of {size} columns with {called} between them"
        text += f", and nothing is in {counted(len(others), 'other column')}" if others else ""
        rows = table.rows_where(column.present)
        yield Finding("layout.delimited_lines", (name,), count, rows, (lines[0],), text, remedy)
        return
