"""Delimited text: RFC 4180, and what real files add to it."""
