"""Tables and columns: named, typed, immutable, with a reason for every empty cell."""
