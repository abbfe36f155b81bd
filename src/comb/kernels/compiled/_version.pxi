# What the compiled functions take and return; see comb.kernels.compiled.VERSION.
VERSION = 7
