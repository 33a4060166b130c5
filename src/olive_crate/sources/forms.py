"""What a source is by its first bytes, whatever it is called: a web page, a feed, a workbook."""

from __future__ import annotations

import codecs
import re
from pathlib import PurePath

import msgspec

from ..declaration.patterns import late
from ..evidence import NamedOtherwise
from .source import Source, byte_order_mark

LOOKED_AT = 16_384
"""Bytes: flat OpenDocument declares some forty namespaces before it says what it is."""
SKIPPED = late(r"\s+|<!--.*?-->|<\?(?!xml-stylesheet)[^>]*\?>|<\?xml-stylesheet[^>]*\?>", re.S)
"""What may stand before the first element."""
DOCTYPE = late(r"<!doctype\b[^>\[]*(?:\[.*?\])?\s*>\s*", re.I | re.S)
PAGE = late(r"<(!doctype\s+html|html|head|body|table|meta|title|div|style|center)\b", re.I)
FEED = late(
    r"<(?:\w+:)?feed\b[^>]*http://www\.w3\.org/2005/Atom|<rss\b|<(?:\w+:)?RDF\b[^>]*purl\.org/rss",
    re.I | re.S,
)
JSON_FEED = late(r'\{.*?"version"\s*:\s*"https?:(?:\\?/){2}jsonfeed\.org\\?/version', re.S)
WORKBOOK = late(
    r"<(?:\w+:)?(?P<name>Workbook)\b[^>]*urn:schemas-microsoft-com:office:spreadsheet"
    r"|<(?:\w+:)?document\b[^>]*application/vnd\.oasis\.opendocument\.spreadsheet",
    re.S,
)
WORKBOOKS = ("fods", "xml")
"""Workbooks that are one XML file."""
NAMES = {"page": "a web page", "feed": "a feed"}
OTHER_NAMES = (".xls", ".xlsx", ".xlsm", ".ods", ".csv", ".txt", ".tsv")
"""Names under which pages are saved all the same."""


def with_form(source: Source) -> Source:
    """The source with its form, where its first bytes show that it is a page or a feed."""
    head = source.head(LOOKED_AT)
    if head[:1].isalnum():
        return source
    form = form_of(head)
    if form in WORKBOOKS:
        return msgspec.structs.replace(source, workbook=form)
    if not form:
        return source
    extension = PurePath(source.name).suffix.lower()
    notes = source.notes
    if extension in OTHER_NAMES:
        notes = (*notes, NamedOtherwise(value=NAMES[form], extension=extension))
    return msgspec.structs.replace(source, form=form, notes=notes)


def form_of(head: bytes) -> str:
    """`page`, `feed`, the kind of a workbook, or nothing."""
    mark = byte_order_mark(head)
    encoding = mark or ("utf-16-le" if head[1:2] == b"\0" else "latin-1")
    text = codecs.getincrementaldecoder(encoding)("replace").decode(head).lstrip("\ufeffï»¿")
    while match := SKIPPED.match(text):
        text = text[match.end() :]
    if match := WORKBOOK.match(text):
        return "xml" if match["name"] else "fods"
    if PAGE.match(text):
        return "page"
    doctype = DOCTYPE.match(text)
    if doctype:
        text = text[doctype.end() :]
    if FEED.match(text) or JSON_FEED.match(text):
        return "feed"
    return "page" if PAGE.match(text) else ""
