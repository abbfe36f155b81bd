"""From a database and back: a query becomes a table, is put right, and goes into a database that describes itself.

The co-operative keeps its weighings in SQLite. Some were typed in grams, some as text. Everything is made up.

    python examples/database.py
"""

import sqlite3
import tempfile
from contextlib import closing
from pathlib import Path

import comb

WEIGHINGS = [
    ("0101", "2025-05-01", 31.5), ("0101", "2025-06-01", 34000), ("0102", "2025-05-01", None),
    ("0102", "2025-06-01", "heavy"), ("0201", "2025-05-01", 28.0), ("0201", "2025-06-01", 29.5),
    ("0202", "2025-05-01", 30.0), ("0202", "2025-06-01", 33.5),
]  # fmt: skip


def make(place: Path) -> None:
    """Make the database that somebody else keeps."""
    database = sqlite3.connect(place)
    database.execute("create table weighings(colony text, day date, kg)")
    database.executemany("insert into weighings values (?, ?, ?)", WEIGHINGS)
    database.commit()
    database.close()


def main() -> None:
    """Read the database as a file and by a query, put the weights right, save them."""
    with tempfile.TemporaryDirectory() as folder:
        source = Path(folder) / "bees.sqlite"
        make(source)

        print("The table as the file has it: days are days, weights of several kinds are text.")
        print(comb.load(source), "\n")

        print("Read as numbers, in kilograms; what does not read as a number keeps its text.")
        weights = comb.load(source, types={"kg": "number"})
        tidy = weights.calculate({"kg": "case when kg > 1000 then kg / 1000 else kg end"}, why="typed in grams")
        print(tidy)
        print(weights.kept_texts("kg"), "\n")

        print("A query is a table too; joins and sums may be left to the database.")
        with closing(sqlite3.connect(source)) as database:
            print(
                comb.table(database.execute("select colony, count(*) as visits from weighings group by colony")), "\n"
            )

        print("Saved with its description, it comes back equal, with every reason.")
        result = Path(folder) / "tidy.sqlite"
        tidy.save(result, describe=True)
        back = comb.load(result, table="tidy")
        print(back == tidy, back["kg"].reasons())
        print(comb.load(result, table="comb_missing_cells"))


if __name__ == "__main__":
    main()
