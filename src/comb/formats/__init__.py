"""Facts about file formats that reading and writing share."""
