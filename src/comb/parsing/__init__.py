"""How one cell is read as a type: patterns, programs for moments, vocabulary."""
