"""Give a table to another library by Arrow's protocol, have it work on it, and take the result back.

The other library is pyarrow here; any that knows the protocol will do. Everything is made up.

    python examples/arrow.py
"""

import pyarrow as pa
import pyarrow.compute as pc

import comb


def main() -> None:
    """Exchange data in both directions."""
    visits = comb.table(
        [
            {"apiary": "Mill Brook", "mites": "3", "kg": 31.5},
            {"apiary": "Fox Hollow", "mites": "n/a", "kg": 28.0},
            {"apiary": "Mill Brook", "mites": "many", "kg": None},
            {"apiary": "Elm"},
        ]
    ).convert({"mites": "integer"})
    print(visits, "\n")

    print("Given away: numbers and texts are not copied, the reasons go along in the metadata.")
    arrow = pa.table(visits)
    print(arrow.schema.to_string(show_field_metadata=False))
    print(arrow.schema.field("mites").metadata[b"comb:missing"][:60], "\n")

    print("Taken back unchanged it is equal, with reasons and kept texts.")
    print(comb.table(arrow) == visits, comb.table(arrow)["mites"].kept.texts, "\n")

    print("The other library adds a column; the untouched ones still know their reasons.")
    more = arrow.append_column("grams", pc.multiply(arrow["kg"], 1000))
    print(comb.table(more), "\n")

    print("It takes out rows: then reasons are not guessed, and that is said.")
    fewer = arrow.filter(pc.invert(pc.is_null(arrow["kg"])))
    print(comb.table(fewer))


if __name__ == "__main__":
    main()
