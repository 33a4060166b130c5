"""Words and tables for values on a terminal and in a notebook, and pictures.

The hook in `views` is filled with this. Each kind of value has its words in one place: evidence in
`evidence`; notes, problems and promises in `notes`; findings in `findings`; each result in a file
named after it.
"""
