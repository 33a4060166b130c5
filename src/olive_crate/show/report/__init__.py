"""A report on a dataset, or on a crate, as one HTML file that needs nothing else.

Nothing in it is fetched, and its content policy allows nothing that is not in the file itself.
"""
