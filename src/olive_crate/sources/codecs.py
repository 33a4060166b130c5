"""Encodings by name."""

from __future__ import annotations

import codecs

from ..errors import PlanError, SourceError, nearest

MARKS = (
    (codecs.BOM_UTF8, "utf-8"),
    (codecs.BOM_UTF32_LE, "utf-32"),
    (codecs.BOM_UTF32_BE, "utf-32"),
    (codecs.BOM_UTF16_LE, "utf-16"),
    (codecs.BOM_UTF16_BE, "utf-16"),
)

COMMON = ("utf-8", "utf-16", "utf-32", "ascii", "cp1252", "latin-1", "cp1250", "cp1251", "cp437")


def byte_order_mark(head: bytes) -> str | None:
    """The encoding that a byte-order mark at the start of the source tells, if there is one."""
    return next((name for mark, name in MARKS if head.startswith(mark)), None)


def codec_name(name: str) -> str:
    """The codec's own name; `PlanError` if Python has no such text codec."""
    try:
        found = codecs.lookup(name)
        "".encode(name)
    except (LookupError, ValueError, TypeError):
        raise PlanError(f'there is no encoding "{name}"{nearest(name, COMMON)}') from None
    return found.name


MULTIBYTE = (
    "utf_",
    "utf-",
    "cp932",
    "cp936",
    "cp949",
    "cp950",
    "gb",
    "big5",
    "euc",
    "shift",
    "iso2022",
    "johab",
    "hz",
)


def is_multibyte(encoding: str) -> bool:
    """May a character take several bytes in this encoding, which is not UTF-8?"""
    name = codec_name(encoding)
    return name not in ("utf-8", "utf-8-sig") and name.startswith(MULTIBYTE)


def is_ebcdic(encoding: str) -> bool:
    """Is this one of the EBCDIC code pages?"""
    try:
        return "a1".encode(codec_name(encoding)) == b"\x81\xf1"
    except UnicodeError:
        return False


def decoded(data: bytes, encoding: str, final: bool = False) -> str:
    """A piece from the start of a source as text; what cannot be decoded shows as U+FFFD."""
    decoder = codecs.getincrementaldecoder(_reading(encoding))("replace")
    try:
        return decoder.decode(data, final)
    except UnicodeError as error:
        raise _no_mark(encoding, error) from None


def _no_mark(encoding: str, error: UnicodeError) -> SourceError:
    """UTF-16 or UTF-32 that does not say in which order its bytes are."""
    return SourceError(f'{error}; give encoding="{encoding}-le" or "{encoding}-be"')


def _reading(encoding: str) -> str:
    """The codec to read with: a byte-order mark is never part of the text."""
    name = codec_name(encoding)
    return "utf-8-sig" if name == "utf-8" else name
