"""Numbers that describe numbers: distributions, trends, comparisons of groups. Pure."""
