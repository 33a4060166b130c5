"""Datasets that belong together: a folder of tables that is known, refreshed and handed on as one.

`crate.toml` names the tables, each with its plan and with where its packed dataset lies, and what
is promised of all of them together. Beside each packed dataset lies a record, in JSON, of the
source and the plan that it was made from. A new dataset is written under a new name, with its
record; `crate.toml` is replaced last. So whatever interrupts a run, the crate is whole: it names
what it named before, or what the run has made.
"""
