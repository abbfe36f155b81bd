"""From the raw export to a tidy table, step by step, asking at each what happened.

Run it anywhere; it writes the demo data to a temporary folder.
"""

import tempfile
from pathlib import Path

import comb
from comb.demo.files import demo_bytes


def main() -> None:
    with tempfile.TemporaryDirectory() as folder:
        source = Path(folder, "inspections.csv")
        source.write_bytes(demo_bytes("inspections.csv"))

        visits = comb.load(source)
        print(visits.first_rows(3), end="\n\n")

        # What is wrong? Each finding has rows, examples and, mostly, a remedy.
        for finding in visits.profile().of("missing.stand_in"):
            print(finding.code, finding.text)
            visits = visits.take_step(finding.remedy)

        tidy = (
            visits.trim("apiary", inner=True, invisible=True)
            .convert({"gross_kg": "decimal"}, unit="kg", decimal_mark=",")
            .calculate({"net_kg": "gross_kg - tare_kg"}, why="the export's own is wrong in places")
            .remove_duplicates()
            .set_aside("inspected_on is null", reason="no day that can be read")
        )
        print("\nThe ledger:")
        for entry in tidy.ledger:
            print(f"  {entry.rows_in:>5} -> {entry.rows_out:>5}  {entry.says}: {entry.counts()}")

        heavy = tidy.filter("net_kg > 30 and queen = 'laying'").sort("net_kg desc")
        print(f"\n{heavy.select(['apiary', 'colony', 'net_kg', 'inspected_on'])}")

        # Any number can be checked by hand: this is the line of the file it came from.
        row = int(heavy.row_numbers[0])
        print()
        print(f"row {row} is in {heavy.place(row)}")


if __name__ == "__main__":
    main()
