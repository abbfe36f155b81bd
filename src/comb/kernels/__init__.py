"""Hot loops: plain texts and arrays in, plain arrays out; they know nothing of tables or columns.

`protocol` is the interface, `dispatch` says which implementation is in use; `types`, `blocks`, `scalars` and `notation`
are the specification both share.
"""
