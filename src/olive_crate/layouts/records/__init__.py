"""Records that come as texts, column by column: tables of databases and pages, entries of feeds."""
