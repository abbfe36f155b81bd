"""Tables become files. Only `comb.writing.atomic` writes anything."""
