"""The text of a page: its encoding by the HTML Living Standard (13.2.3), else found as for text."""

from __future__ import annotations

import re

from ...declaration.patterns import late
from ...errors import PlanError
from ...evidence import Evidence
from ...plan.model import Decisions
from ...sources.source import Source, byte_order_mark, codec_name, decoded, sample_of
from ..records.whole import whole_bytes
from ..text.decoding import find_encoding

DECLARED = late(rb"<meta[^>]*?charset\s*=\s*[\"']?\s*([\w:.-]+)", re.IGNORECASE)
LOOKED_AT = 1024
"""Bytes in which a page declares its encoding (13.2.3.2)."""
MEANT = {"iso8859-1": "cp1252", "ascii": "cp1252", "utf-16": "utf-8", "utf-16-le": "utf-8"}
"""What a declared name means in a page (Encoding Standard, 4.2)."""


def page_text(source: Source, plan: Decisions, evidence: list[Evidence]) -> tuple[str, str]:
    """The text of a page and its encoding."""
    data = whole_bytes(source)
    encoding = plan.source.encoding or byte_order_mark(data) or _said(source.charset)
    if not encoding:
        match = DECLARED.search(data[:LOOKED_AT])
        encoding = _said(match[1].decode("ascii", "replace")) if match else ""
    if not encoding or (encoding == "utf-8" and not _fits(data)):
        found = find_encoding(sample_of(source))
        evidence.append(found)
        encoding = found.value
    return decoded(data, encoding, True).lstrip("\ufeff"), encoding


def _said(name: str) -> str:
    """The codec of a name that a server or a page gives; empty where there is none."""
    try:
        own = codec_name(name) if name else ""
    except PlanError:
        return ""
    return MEANT.get(own, own)


def _fits(data: bytes) -> bool:
    try:
        data.decode("utf-8")
    except UnicodeDecodeError:
        return False
    return True
