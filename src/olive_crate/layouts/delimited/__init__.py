"""Delimited text: RFC 4180, and what real files add to it."""

from .finding import find_delimited as find

__all__ = ["find"]
