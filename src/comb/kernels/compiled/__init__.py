"""The compiled kernels: Cython, without the interpreter's lock, and the Python around it.

`comb.kernels.compiled.kernels` is the face; everything else is imported from there only.
"""

# Must equal the VERSION in `_version.pxi`. Raise both when a compiled function takes or returns something else.
VERSION = 7

# These are used together or not at all: records are found, and their cells read, by all of them.
TOGETHER = ("_cells", "_codes", "_moments", "_split")

# What each of the others is for. Where one of them is lacking, the reference does that.
APART = {
    "_json": ("find_json_lists", "take_json_records"),
    "_notation": ("plain_numbers",),
    "_sheet": ("take_sheet_cells",),
    "_sums": ("exact_sums",),
    "_write": ("join", "write_between", "write_dates", "write_integers", "write_numbers"),
}
MODULES = (*TOGETHER, *APART)
