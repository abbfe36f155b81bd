"""The steps: one small class each, the same in Python and in plan files."""
