"""Kinds of random inputs: each a function of a source of chance and an empty folder, which says what it came to.

Whatever is made, Comb has to answer it with a result or with an error of its own. Everything else (another exception, a
result that breaks a law stated here, an answer that does not come) is a failure. A kind is called with the same seed to
make its input again.
"""
