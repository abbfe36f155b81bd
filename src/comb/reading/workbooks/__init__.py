"""Workbooks: their sheets as cells, the tables found in them, and these as columns."""
