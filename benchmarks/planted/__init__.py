"""Tables that are clean by construction, defects planted in them, and their truth."""
