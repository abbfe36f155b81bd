"""The command line. Only this layer prints."""
