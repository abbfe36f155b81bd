"""What a table and a column offer: what users need, and no helper of the package."""

import comb
from comb.tables.column import Column

TABLE = {
    # what it is
    "columns", "names", "types", "row_count", "shape", "ledger", "sentence", "equals",
    # to look at it
    "first_rows", "last_rows", "rows", "rows_between", "random_rows", "record", "cell", "place", "kept_texts", "profile", "questions", "show_working", "trace",
    "compare_groups", "draw", "report", "summary",
    # steps
    "add_combinations", "aggregate", "calculate", "convert", "count", "fill", "filter", "join", "pick_rows", "recode", "remove_duplicates",
    "combine", "correct", "mark_rows", "pad_text", "remove_missing", "replace_text", "replace_values", "round",
    "from_indicators", "remove_pattern", "separate_marks", "take_apart", "take_heading_rows", "to_indicators",
    "rename", "select", "separate_tables", "set_aside", "sort", "split", "stack_tables", "take_step", "to_long", "to_wide", "transpose", "trim",
    # what becomes of it
    "plan", "save",
}  # fmt: skip
COLUMN = {
    "type", "description", "evidence", "to_list", "to_numpy", "texts", "reasons", "distinct", "missing", "present", "missing_count",
    # how it is stored
    "array", "values", "text", "state", "states", "kept", "source",
}  # fmt: skip


def public(kind: type) -> set[str]:
    return {name for name in dir(kind) if not name.startswith("_")}


def test_tables_and_columns_offer_what_users_need() -> None:
    assert public(comb.Table) == TABLE and public(Column) == COLUMN
    table = comb.table(columns={"a": [1]})
    # Besides, what each table has of its own.
    assert {name for name in vars(table) if not name.startswith("_")} == {"row_numbers", "origin", "notes", "view_of"}
    for name in sorted(TABLE - {"columns", "names"}):
        assert getattr(comb.Table, name).__doc__, name
