"""Texts in a workbook's XML: shared strings, and what their characters stand for."""

from __future__ import annotations

import re
from typing import Any

import numpy as np

from ... import kernels
from ...declaration.patterns import late
from ...kernels.types import PAD, Bytes, Ints
from ...sources.markup import XML_FAULTS, local, parser_for

ENTITY = late(r"&(#x[0-9A-Fa-f]+|#[0-9]+|amp|lt|gt|quot|apos);")
DECLARED = late(rb"<\?xml[^>]*encoding=[\"']([^\"']+)")
ESCAPE = late(r"_x([0-9A-Fa-f]{4})_")
NAMED = {"amp": "&", "lt": "<", "gt": ">", "quot": '"', "apos": "'"}


class Strings:
    """Texts side by side in one buffer."""

    def __init__(self, buffer: Bytes, starts: Ints, ends: Ints) -> None:
        self.buffer, self.starts, self.ends = buffer, starts, ends

    def __len__(self) -> int:
        return len(self.starts)

    @staticmethod
    def of(texts: list[bytes]) -> Strings:
        """From single texts."""
        lengths = np.array([len(text) for text in texts], np.int64)
        ends = np.cumsum(lengths) + PAD
        return Strings(kernels.padded(b"".join(texts)), ends - lengths, ends)


def plain_text(text: str) -> str:
    """A text of a sheet with its escapes undone: `_x000D_` stands for a character XML cannot hold.

    ECMA-376 Part 1, 22.9.2.19 (ST_Xstring).
    """
    return ESCAPE.sub(lambda match: chr(int(match[1], 16)), text) if "_x" in text else text


def _character(match: re.Match[str]) -> str:
    word = match[1]
    if word[0] != "#":
        return NAMED[word]
    code = int(word[2:], 16) if word[1] == "x" else int(word[1:])
    return chr(code) if code < 0x110000 else "\ufffd"


def raw_text(data: bytes) -> bytes:
    """Raw XML text with entities and escapes undone, as UTF-8."""
    text = data.decode("utf-8", "replace").replace("\r\n", "\n")
    if "&" in text:
        text = ENTITY.sub(_character, text)
    return plain_text(text).encode("utf-8", "replace")


def is_utf8(data: bytes) -> bool:
    """Is this piece of XML what it has to be to be read without a parser: UTF-8, and said to be?"""
    declared = DECLARED.match(data)
    if declared and declared[1].lower() not in (b"utf-8", b"us-ascii", b"ascii"):
        return False
    return data.isascii() or kernels.is_utf8(np.frombuffer(data, np.uint8), 0, len(data))


def shared_strings(data: bytes, name: str) -> Strings:
    """The texts of `sharedStrings.xml`, by reading at known places or, if need be, by a parser."""
    found = _scanned(data) if is_utf8(data) else None
    return found if found is not None else Strings.of(_parsed(data, name))


def _scanned(data: bytes) -> Strings | None:
    """Texts of the usual form `<si><t>…</t></si>`; `None` if any stands otherwise."""
    begin = data.find(b"<si>")
    end = data.rfind(b"</si>") + 5
    if begin < 0:
        return Strings.of([]) if b"<si" not in data and b":si" not in data else None
    if end < begin:  # the part is cut off
        return None
    buffer = kernels.padded(memoryview(data)[begin:end])
    found = kernels.read_strings(buffer, PAD, PAD + end - begin)
    return None if found is None else unescaped(Strings(buffer, *found))


def unescaped(strings: Strings) -> Strings:
    """Texts with their entities and escapes undone; those without any are left where they are."""
    buffer, starts, ends = strings.buffer, strings.starts, strings.ends
    data = buffer.tobytes()
    if b"&" not in data and b"_x" not in data and b"\r" not in data:
        return strings
    places = [m.start() for m in re.finditer(rb"&|_x[0-9A-Fa-f]{4}_|\r", data)]
    if not places or not len(starts):
        return strings
    hit = kernels.distinct(np.searchsorted(starts, np.array(places), side="right") - 1)
    hit = hit[hit >= 0]
    changed = [raw_text(data[starts[place] : ends[place]]) for place in hit.tolist()]
    lengths = np.array([len(text) for text in changed], np.int64)
    new_ends = np.cumsum(lengths) + len(buffer) - PAD
    tail = np.frombuffer(b"".join(changed) + bytes(PAD), np.uint8)
    starts, ends = starts.copy(), ends.copy()
    starts[hit], ends[hit] = new_ends - lengths, new_ends
    return Strings(np.concatenate((buffer[:-PAD], tail)), starts, ends)


def _parsed(data: bytes, name: str) -> list[bytes]:
    """The long way: rich text joined, phonetic runs left out."""
    from ...errors import SourceError

    texts: list[bytes] = []
    parts: list[str] = []
    state: dict[str, Any] = {"text": False, "phonetic": 0}
    parser = parser_for(name)

    def start(tag: str, _: dict[str, str]) -> None:
        tag = local(tag)
        if tag == "si":
            parts.clear()
        elif tag == "rPh":
            state["phonetic"] += 1
        elif tag == "t":
            state["text"] = True

    def end(tag: str) -> None:
        tag = local(tag)
        if tag == "si":
            texts.append(plain_text("".join(parts)).encode("utf-8", "replace"))
        elif tag == "rPh":
            state["phonetic"] -= 1
        elif tag == "t":
            state["text"] = False

    def characters(text: str) -> None:
        if state["text"] and not state["phonetic"]:
            parts.append(text)

    parser.StartElementHandler, parser.EndElementHandler = start, end
    parser.CharacterDataHandler = characters
    try:
        parser.Parse(data, True)
    except XML_FAULTS as error:
        raise SourceError(f"{name}: a damaged workbook: shared strings: {error}") from None
    return texts
