"""What people read about a dataset, made from plain values."""
