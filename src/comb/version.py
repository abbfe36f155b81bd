"""The version of Comb, as the record of a run and the command line say it."""

__version__ = "0.1.0"
