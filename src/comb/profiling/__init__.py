"""Column summaries, and findings with their remedies."""
