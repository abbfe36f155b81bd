"""Threads, memory and executors: the one place that decides how work is divided."""
