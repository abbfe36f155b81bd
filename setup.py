"""Builds the compiled kernels; where that fails, the package installs and works without them.

They use the stable interface of Python 3.11 only, so that one wheel serves every later version; a build of Python
without the interpreter's lock does not have that interface, and gets modules of its own.
"""

import os
import sys
import sysconfig
import zipfile
from pathlib import Path

from setuptools import Extension, setup
from setuptools.command.bdist_wheel import bdist_wheel
from setuptools.command.build_py import build_py

try:
    from Cython.Build import cythonize
except ImportError:
    cythonize = None

NAMES = ("_split", "_cells", "_codes", "_moments", "_notation", "_write", "_sheet", "_json", "_sums", "_arrow")
SHARED = "comb.kernels.compiled._shared"
KERNELS = "src/comb/kernels/compiled"
# C raises nothing: tables for unwinding the stack would be a part of each module that nobody reads. What is in a
# section of its own and is not called is left out by the linker. Processors put loads ahead by themselves.
LEAN = [
    "-g0", "-ffunction-sections", "-fdata-sections", "-fno-asynchronous-unwind-tables", "-fno-unwind-tables",
    "-fno-align-functions", "-fno-align-jumps", "-fno-align-loops", "-fno-schedule-insns2",
]  # fmt: skip
# Code that is there once is not copied to where it would be reached a step earlier.
FEWER_COPIES = ["-fno-tree-pre", "-fno-partial-inlining", "-fno-plt"]

# With little unrolling these are as quick as with much, and smaller.
FLAT = ["/O2"] if sys.platform == "win32" else ["-O2", *LEAN, *FEWER_COPIES, "-fno-math-errno"]

# What handles arrays between Python and the loops, and what reads texts that mostly are few and distinct, or waits for
# memory, is not worth more code. Cells are read as quickly to within 5 %, by a quarter less of it.
SMALL = [] if sys.platform == "win32" else ["-Os", *LEAN, *FEWER_COPIES]

# Finding where fields end is a loop over bytes that is worth several versions of itself.
WIDE = [] if sys.platform == "win32" else ["-ftree-vectorize", "-fvect-cost-model=dynamic"]

FLAGS_OF = {
    "_split": [*FLAT, *WIDE],
    **dict.fromkeys(("_arrow", "_cells", "_codes", "_json", "_moments", "_notation", "_sheet", "_sums"), SMALL),
    "_write": FLAT,
}

# Nothing but what the modules give is kept in them.
LINKING = (
    ["-Wl,--strip-all", "-Wl,--gc-sections", "-Wl,--build-id=none", "-Wl,--hash-style=gnu"]
    if sys.platform.startswith("linux")
    else []
)

STABLE = not sysconfig.get_config_var("Py_GIL_DISABLED")
MACROS = [("Py_LIMITED_API", "0x030B0000"), ("CYTHON_LIMITED_API", "1")] if STABLE else []


def extensions() -> list[Extension]:
    """Return the modules to compile; none of them has to succeed."""
    if cythonize is None:
        return []
    # What an install of another kind left in place would be found before the new modules.
    for old in Path(KERNELS).glob("_*.cpython-*"):
        old.unlink()
    modules = [
        Extension(
            f"comb.kernels.compiled.{name}",
            [f"{KERNELS}/{name}.pyx"],
            include_dirs=[KERNELS],
            extra_compile_args=FLAGS_OF[name],
            extra_link_args=LINKING,
            define_macros=MACROS,
            py_limited_api=STABLE,
            depends=[
                f"{KERNELS}/{name}" for name in ("_compiler.h", "_digits.h", "_fields.h", "_places.pxi", "_version.pxi")
            ],
        )
        for name in NAMES
    ]
    shared = Extension(
        SHARED,
        [f"{KERNELS}/_shared.c"],
        extra_compile_args=SMALL,
        extra_link_args=LINKING,
        define_macros=MACROS,
        py_limited_api=STABLE,
    )
    built = cythonize(
        [shared, *modules],
        compiler_directives={"binding": False},
        build_dir="build",
        nthreads=os.cpu_count() or 1,
        shared_utility_qualified_name=SHARED,
    )
    for module in built:
        module.optional = True
    return built


# They make pages of the documentation, in a checkout; who installs the package has no use for them.
MAKERS = {"comb.cli.page", "comb.interface.pages", "comb.interface.reshape_page"}


class LeanBuild(build_py):
    """Leaves out what only a checkout needs."""

    def find_package_modules(self, package: str, package_dir: str) -> list[tuple[str, str, str]]:
        """Return the modules of a package."""
        found = super().find_package_modules(package, package_dir)
        return [one for one in found if f"{package}.{one[1]}" not in MAKERS]


class TightWheel(bdist_wheel):
    """Packs the wheel as tightly as its format allows, which is not what is done by itself."""

    def run(self) -> None:
        """Build the wheel, then pack its files again."""
        super().run()
        for command, _, place in self.distribution.dist_files:
            if command == "bdist_wheel":
                pack_tightly(Path(place))


def pack_tightly(wheel: Path) -> None:
    """Pack the files of an archive again, in their order and with their times and rights."""
    packed = wheel.with_suffix(".packed")
    with zipfile.ZipFile(wheel) as loose, zipfile.ZipFile(packed, "w", zipfile.ZIP_DEFLATED, compresslevel=9) as tight:
        for entry in loose.infolist():
            tight.writestr(entry, loose.read(entry), compresslevel=9)
    packed.replace(wheel)


# Compilers work side by side: there are several modules, and each takes a while.
OPTIONS = {"build_ext": {"parallel": os.cpu_count() or 1}}
if STABLE:
    OPTIONS["bdist_wheel"] = {"py_limited_api": "cp311"}
setup(ext_modules=extensions(), options=OPTIONS, cmdclass={"build_py": LeanBuild, "bdist_wheel": TightWheel})
