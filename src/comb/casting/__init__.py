"""Conversion between all pairs of types."""
