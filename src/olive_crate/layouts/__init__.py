"""How records lie in a source: one folder a kind of layout, each with `find` and `read`."""
