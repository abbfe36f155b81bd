"""Builds the compiled kernels; where that fails, the package installs and works without them."""

import os
import sys

from setuptools import Extension, setup

try:
    from Cython.Build import cythonize
except ImportError:
    cythonize = None

NAMES = ("_split", "_cells", "_codes", "_moments", "_notation", "_write", "_sheet", "_lines", "_sums", "_arrow")
KERNELS = "src/comb/kernels/compiled"
FLAGS = [] if sys.platform == "win32" else ["-O3", "-fno-math-errno"]


def extensions() -> list[Extension]:
    """Return the modules to compile; none of them has to succeed."""
    if cythonize is None:
        return []
    modules = [
        Extension(
            f"comb.kernels.compiled.{name}",
            [f"{KERNELS}/{name}.pyx"],
            include_dirs=[KERNELS],
            extra_compile_args=FLAGS,
            depends=[f"{KERNELS}/{name}" for name in ("_digits.h", "_fields.h", "_places.pxi", "_version.pxi")],
        )
        for name in NAMES
    ]
    built = cythonize(modules, compiler_directives={"binding": False}, build_dir="build")
    for module in built:
        module.optional = True
    return built


# Compilers work side by side: there are several modules, and each takes a while.
setup(ext_modules=extensions(), options={"build_ext": {"parallel": os.cpu_count() or 1}})
