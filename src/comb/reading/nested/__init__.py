"""JSON (RFC 8259) and JSON Lines: the tables inside, and these as columns."""
