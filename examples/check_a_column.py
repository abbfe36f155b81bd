"""Why does a column have its type, and what did not fit? A look at dates and weights."""

import tempfile
from pathlib import Path

import comb
from comb.demo.files import demo_bytes


def main() -> None:
    with tempfile.TemporaryDirectory() as folder:
        source = Path(folder, "inspections.csv")
        source.write_bytes(demo_bytes("inspections.csv"))
        visits = comb.load(source)

    for name in ("inspected_on", "gross_kg", "colony"):
        print(f"{name}: {visits[name].evidence}\n")

    # A cell that did not fit keeps its text, and every row knows its line.
    unreadable = visits.filter("reason(inspected_on) = 'unreadable'")
    for row in unreadable.row_numbers.tolist():
        position = row - 1
        print(f"{visits.place(row)}: {visits['inspected_on']._written(position)!r}")

    # Wide to long: one row for each visit and kind of frame.
    frames = visits.select(["visit", "*_frames"]).to_long(
        "*_frames", heading_column="kind", value_column="frames", keep_missing=False
    )
    print(f"\n{frames.first_rows(4)}")


if __name__ == "__main__":
    main()
