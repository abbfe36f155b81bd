"""Hot loops: plain texts and arrays in, plain arrays out.

These are the reference implementations: plain Python on the standard library,
slow and obviously right. They know nothing of tables or columns.
"""
