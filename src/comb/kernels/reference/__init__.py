"""The reference kernels: plain Python on the standard library, slow and obviously right.

`comb.kernels.reference.kernels` is the face. Nothing outside `comb.kernels` imports anything from here: results are
asked of `comb.kernels.dispatch.kernels`, and only tests ask the reference by name.
"""
