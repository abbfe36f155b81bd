"""CSV on the Web: what a description says, checked against and applied to the columns that were read."""
