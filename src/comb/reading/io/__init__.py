"""Bytes: opened, decompressed, decoded. `source_file` is the only module of reading that opens files."""
