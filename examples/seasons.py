"""A hundred colonies over five years: take the season out, and compare what remains.

Each has a season of its own and gaps of its own. Two feeds are compared: with the season left in, what differs most is
which months were weighed; without it, the feed. Everything is made up by a seeded generator.

    python examples/seasons.py
"""

import math
import random

import comb


def weights() -> comb.Table:
    """Make weights of a hundred colonies, monthly, with a third of the months missing."""
    chance = random.Random(5)
    rows = []
    for colony in range(100):
        feed = "syrup" if colony % 2 else "fondant"
        height, turn = chance.uniform(4, 9), chance.uniform(5, 7)
        for month in range(60):
            # Colonies on syrup were weighed in summer more often.
            summer = 3 <= month % 12 <= 8
            if chance.random() < (0.9 if summer == (feed == "syrup") else 0.45):
                season = height * math.cos((month % 12 - turn) / 12 * 2 * math.pi)
                kg = 25 + season + (0.6 if feed == "fondant" else 0) + chance.gauss(0, 2)
                rows.append([f"{colony:03}", feed, f"{2020 + month // 12}-{month % 12 + 1:02}-15", round(kg, 1)])
    return comb.table(rows=rows, names=["colony", "feed", "day", "kg"]).convert({"day": "date"})


def main() -> None:
    """Compare the feeds with the season and without it."""
    table = weights()
    print("With the season left in:")
    print(table.compare_groups("kg", "feed").answer)
    plain = table.remove_pattern("kg", "day", by="colony", why="visits fall into different months")
    print("\nWithout it:")
    found = plain.compare_groups("kg_remainder", "feed")
    print(found)
    print(f"\n{plain.ledger[-1].says}; {'; '.join(plain.ledger[-1].notes)}")


if __name__ == "__main__":
    main()
