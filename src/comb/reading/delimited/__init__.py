"""Delimited text: how it is laid out, cut into chunks, read and put together."""
