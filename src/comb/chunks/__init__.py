"""A column under construction: chunks of cells, and what joins them as they come."""
