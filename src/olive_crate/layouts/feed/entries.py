"""The entries of a feed under common names, and what else an entry has under its own.

Atom (RFC 4287, 4.1.2), RSS 2.0 (its element `item`), RSS 1.0 and JSON Feed (1.1, "Items") say the
same things by different names. Dates of RSS, which are those of mail (RFC 5322, 3.3), are written
as ISO 8601; one that is not such a date stays as it stands.
"""

from __future__ import annotations

import json
from collections.abc import Iterable, Iterator, Mapping
from email.utils import parsedate_to_datetime
from typing import Any
from xml.etree.ElementTree import Element

from ...errors import SourceError
from ...sources.markup import tree_of

Entry = dict[str, list[str]]
ORDER = (
    *("id", "title", "link", "published", "updated", "author", "categories", "summary", "content"),
)
"""The common names, in the order of the columns."""
ATOM = {"category": "categories", "author": "author", "contributor": "contributor"}
RSS = {
    "guid": "id",
    "pubDate": "published",
    "date": "published",
    "creator": "author",
    "category": "categories",
    "subject": "categories",
    "description": "summary",
    "encoded": "content",
}
JSON_NAMES = {
    "url": "link",
    "date_published": "published",
    "date_modified": "updated",
    "authors": "author",
    "tags": "categories",
    "content_text": "content",
    "content_html": "content",
}
BETWEEN = "; "
"""Stands between several values of one name."""


def entries_of(data: bytes, name: str) -> list[dict[str, str]]:
    """The entries, each a text by name. Raises `SourceError` for what is no feed."""
    if data.lstrip(b"\xef\xbb\xbf \t\r\n")[:1] == b"{":
        found = [_of_json(each) for each in _items(data, name)]
    else:
        root = tree_of(data.lstrip(b"\xef\xbb\xbf"), name)
        nodes = [each for each in root.iter() if each.tag in ("entry", "item")]
        found = [_of_atom(each) if each.tag == "entry" else _of_rss(each) for each in nodes]
    return [{key: BETWEEN.join(dict.fromkeys(v)) for key, v in each.items()} for each in found]


def names_of(entries: Iterable[Mapping[str, str]]) -> list[str]:
    """The names that any entry has: the common ones first, the others as they are met."""
    met = dict.fromkeys(name for each in entries for name in each)
    return [*(name for name in ORDER if name in met), *(name for name in met if name not in ORDER)]


def _items(data: bytes, name: str) -> list[dict[str, Any]]:
    try:
        items = json.loads(data.decode("utf-8-sig")).get("items")
    except (ValueError, UnicodeDecodeError, AttributeError, RecursionError) as error:
        raise SourceError(f"{name}: not valid JSON: {error}") from None
    if not isinstance(items, list) or not all(isinstance(each, dict) for each in items):
        raise SourceError(f"{name}: a JSON Feed without items")
    return items


def _note(entry: Entry, name: str, text: str) -> None:
    text = text.strip()
    if text:
        entry.setdefault(name, []).append(text)


def _of_atom(node: Element) -> Entry:
    entry: Entry = {}
    for child in node:
        name = ATOM.get(child.tag, child.tag)
        if child.tag == "link":
            rel = child.get("rel", "alternate")
            _note(entry, "link" if rel == "alternate" else rel, child.get("href", ""))
        elif child.tag == "category":
            _note(entry, name, child.get("label") or child.get("term") or _text(child))
        elif child.tag in ("author", "contributor"):
            own = child.find("name")
            _note(entry, name, _text(child if own is None else own))
        elif child.tag == "content" and child.get("src"):
            _note(entry, name, child.get("src", ""))
        else:
            _others(entry, name, child)
    return entry


def _of_rss(node: Element) -> Entry:
    entry: Entry = {}
    for child in node:
        name = RSS.get(child.tag, child.tag)
        text = _text(child)
        if child.tag in ("enclosure", "source") and child.get("url"):
            text = child.get("url", "")
        elif child.tag == "link" and not text:
            text = child.get("href", "")
        if name in ("published", "updated"):
            text = _as_iso(text)
        if child.tag == "content" and child.get("url"):
            text = child.get("url", "")
        if text or not child.attrib:
            _note(entry, name, text)
        else:
            _others(entry, name, child)
    about = next((v for k, v in node.attrib.items() if k == "about"), "")
    if about and "id" not in entry:
        _note(entry, "id", about)
    return entry


def _others(entry: Entry, name: str, node: Element) -> None:
    """An element that no name is common for: its text, else its attributes and what it holds."""
    text = _text(node)
    if text:
        _note(entry, name, text)
        return
    for key, value in node.attrib.items():
        _note(entry, f"{name}_{key}", value)


def _text(node: Element) -> str:
    return " ".join(" ".join(_texts(node)).split()) if len(node) else (node.text or "").strip()


def _texts(node: Element) -> Iterator[str]:
    return (each.strip() for each in node.itertext() if each.strip())


def _as_iso(text: str) -> str:
    try:
        return parsedate_to_datetime(text).isoformat()
    except (ValueError, TypeError, IndexError):
        return text


def _of_json(item: Mapping[str, Any]) -> Entry:
    entry: Entry = {}
    for key, value in item.items():
        name = JSON_NAMES.get(key, key)
        if key == "content_html" and "content_text" in item:
            name = key
        for each in value if isinstance(value, list) else [value]:
            if isinstance(each, dict) and key in ("authors", "author"):
                each = each.get("name") or each.get("url")
            _note(entry, name, _json_text(each))
    return entry


def _json_text(value: Any) -> str:
    if value is None:
        return ""
    return value if isinstance(value, str) else json.dumps(value, ensure_ascii=False)
