"""The hot loops.

Everything that touches each byte or each cell of a file stands here and works on whole arrays. The
rest of the program sees only this interface; `reference` is the implementation in NumPy, which says
plainly what is meant and is always there.
"""
