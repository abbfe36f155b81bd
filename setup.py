"""Builds the compiled kernels; where that fails, the package installs and works without them."""

import sys

from setuptools import Extension, setup

try:
    from Cython.Build import cythonize
except ImportError:
    cythonize = None

NAMES = ("_split", "_cells", "_write")
FLAGS = [] if sys.platform == "win32" else ["-O3", "-fno-math-errno"]

if cythonize:
    extensions = cythonize(
        [
            Extension(f"comb.kernels.{name}", [f"src/comb/kernels/{name}.pyx"], optional=True, extra_compile_args=FLAGS)
            for name in NAMES
        ],
        compiler_directives={"binding": False, "freethreading_compatible": False},
        build_dir="build",
    )
else:
    extensions = []

setup(ext_modules=extensions)
