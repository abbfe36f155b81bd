"""Plan files: reading, writing and running them."""
