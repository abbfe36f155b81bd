"""Tables inside JSON and JSON Lines."""
