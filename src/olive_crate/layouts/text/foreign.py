"""Text that is no table: web pages, XML, JSON and plan files, known by how they begin."""

from __future__ import annotations

import re

import msgspec

from ...declaration.patterns import late
from ...errors import Advice, LayoutError

BEFORE_TEXT = b"\xef\xbb\xbf \t\r\n"
"""What may stand before the first character."""
FOREIGN_BEGINNINGS = (b"<", b"{", b"[", b'"', b"l", b"L")
"""The first character of what may be such a text."""
PAGE = late(rb"\s*<(!doctype\s+html|html|head|body|table)\b", re.IGNORECASE)
MARKUP = late(rb"\s*(<\?xml\b|<[A-Za-z_][\w:.-]*(\s[^<>]*)?>)")
OPENED = late(rb'\{\s*"[^"]*"\s*:|\[\s*(\{\s*"|\[\s*["\d\[-])')
AS_TEXT = Advice(
    "to read it as it stands all the same, use {}", 'layout="delimited"', "--layout delimited"
)


def refuse_foreign(text: bytes, whole: bool, name: str) -> None:
    """Raise `LayoutError` for text that is no table, with what to do about it."""
    said = foreign(text, whole)
    if said:
        raise LayoutError(f"{name}: {said}", AS_TEXT)


def foreign(text: bytes, whole: bool) -> str:
    """What a text is, if it is no table, and what to do; else empty."""
    start = text.lstrip(BEFORE_TEXT)
    if start[:1] not in FOREIGN_BEGINNINGS:
        return ""
    if PAGE.match(start):
        return "this is a web page; save the table in it as delimited text or as a workbook"
    if MARKUP.match(start) and (not whole or start.rstrip().endswith(b">")):
        return "this is XML, not a table; export the table in it as delimited text"
    if _is_json(start, whole):
        return "this is JSON, not a table; export it as delimited text"
    if whole and _is_plan(start):
        return "this is a plan file; read it by its path, or with Plan.read"
    return ""


def _is_json(start: bytes, whole: bool) -> bool:
    if start[:1] not in (b"{", b"["):
        return False
    return (whole and _decodes(start)) or bool(OPENED.match(start))


def _decodes(text: bytes) -> bool:
    try:
        return isinstance(msgspec.json.decode(text), (dict, list))
    except (msgspec.DecodeError, UnicodeDecodeError):
        return False


def _is_plan(start: bytes) -> bool:
    import tomllib

    try:
        tables = tomllib.loads(start.decode("utf-8"))
    except (tomllib.TOMLDecodeError, UnicodeDecodeError):
        return False
    return bool({"source", "delimited", "fixed", "sheet", "rows", "variable"} & tables.keys())
