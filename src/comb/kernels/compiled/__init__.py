"""The compiled kernels: Cython, without the interpreter's lock, and the Python around it.

`comb.kernels.compiled.kernels` is the face; everything else is imported from there only.
"""

# Must equal the VERSION in `_version.pxi`. Raise both when a compiled function takes or returns something else.
VERSION = 4

# All of them have to be there: the kernels are used together or not at all.
MODULES = ("_cells", "_codes", "_lines", "_moments", "_notation", "_sheet", "_split", "_sums", "_write")
