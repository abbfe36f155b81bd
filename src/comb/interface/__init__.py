"""What users hold: the public `Table` and `Plan`, and the functions that make tables."""
