"""Encodings other than UTF-8, told by the letters that they make of the bytes."""

from __future__ import annotations

from collections import Counter

import msgspec
import numpy as np

from ...declaration.patterns import late
from ...evidence import EncodingFound

ASCII = bytes(range(0x80))
LOWER = 0x20
"""What makes a capital of ASCII a small letter."""
SINGLE_BYTE = [
    *("cp1252", "cp1250", "cp1251", "cp1253", "cp1254", "cp1256", "cp1257", "latin-1"),
    *("iso8859-15", "iso8859-2", "iso8859-5", "iso8859-6", "iso8859-7", "koi8-r", "cp850"),
    *("cp437", "cp866", "mac-roman", "shift_jis", "euc_jp", "gb18030", "big5", "euc_kr"),
]
SIGNS = "€°²³µ«»’‘“”„–—…·ªº§£¿¡½®™"
WESTERN = "äöüßÄÖÜéèêëàâáãåæçñóòôõøœíìîïúùûýÿÉÈÀÁÂÃÅÆÇÑÓÒÔÕØŒÍÚ"
OFTEN = 0.08


class Alphabet(msgspec.Struct, frozen=True):
    """The letters of some languages, and the encodings that may spell them."""

    letters: str
    encodings: list[str]
    common: str = ""
    """Letters that make up at least the share `OFTEN`, where others alone do not tell."""


ALPHABETS = [
    Alphabet(WESTERN, ["cp1252", "iso8859-15", "cp850", "mac-roman"]),
    Alphabet("çğıöşüÇĞİÖŞÜ", ["cp1254"]),
    Alphabet("áðéíóúýþæöÁÉÍÓÚÞÆÖ", ["cp1252"]),
    Alphabet("ąćęłńóśźżĄĆĘŁŃÓŚŹŻ", ["cp1250", "iso8859-2"]),
    Alphabet("čćďđěňřšťůžáéíóúýäöüőűôľĺŕČĆĎĐĚŇŘŠŤŮŽÁÉÍÓÚÝÄÖÜŐŰÔĽĹŔ", ["cp1250", "iso8859-2"]),
    Alphabet("āčēģīķļņšūžąęėįųõäöüĀČĒĢĪĶĻŅŠŪŽĄĘĖĮŲÕÄÖÜ", ["cp1257"]),
    Alphabet("אבגדהוזחטיךכלםמןנסעףפץצקרשת", ["cp1255"]),
    # Russian in KOI8-R or in capitals may be spelt by Arabic letters, but hardly by these two.
    Alphabet("ءآأؤإئابةتثجحخدذرزسشصضطظعغفقكلمنهوىيپچژگ،؛؟", ["cp1256", "iso8859-6"], "ال"),
]
"""Letters of western languages, Turkish, Icelandic, Polish, others of central Europe, Baltic ones,
Hebrew and Arabic, and what may spell them, the commonest first."""
MISPLACED = late(
    r"(?<=[a-zà-ÿ])[À-Þ]|[À-ÿ]{3}|[£²³®™½](?=[A-Za-zÀ-ÿ])|(?<=[A-Za-z])[¿¡]|"
    r"(?<=[a-z])[–—«»](?=[a-z])|(?<=[A-Za-z])[€£°²³ªº§µ®™½]+(?=[A-Za-z])"
)
MISPLACED_FAR = late(
    r"(?<=[A-Za-z])[\u0590-\u06ff]|[\u0590-\u06ff](?=[A-Za-z])|"
    r"[ךםןףץ](?=[א-ת])|ة(?=[\u0621-\u064a])"
)
"""A capital within a word, three letters beyond ASCII in a row, a sign or an exponent that leads
a word, a mark that opens a question behind one, a sign, dash or quote within one; two scripts in
one, a letter that ends Hebrew or Arabic words within one."""
STRANGE = 0.1
"""The share of characters that may be other ones, or misplaced."""
ENOUGH = 5
"""So many different characters leave no doubt if no other encoding gives likely letters."""
AROUND = 8 << 10
"""Bytes beyond ASCII, each with what stands beside it, by which letters are known."""


def by_letters(text: bytes) -> EncodingFound:
    """The encoding of a text that is not UTF-8, by the letters that it makes of the bytes."""
    beyond = text.translate(None, ASCII)
    around = _around(text)[:AROUND]
    counts = Counter(around.translate(None, ASCII))
    groups = Counter(around.split(b" "))  # the same ones are met again and again
    tried = dict.fromkeys(each for known in ALPHABETS for each in _fitting(groups, counts, known))
    fitting = [each for each in tried if _decoded(beyond, each)]
    names = fitting or _likely(text)
    first = _decoded(beyond, names[0])
    others = [each for each in names[1:] if _decoded(beyond, each) != first]
    return EncodingFound(
        value=names[0],
        basis="characters",
        characters=len(beyond),
        alternatives=tuple(others[:3]),
        certain=bool(fitting) and not others and len({*beyond}) >= ENOUGH,
    )


def _around(text: bytes) -> bytes:
    """The bytes beyond ASCII and the letters beside them, a blank in place of all between."""
    chars = np.frombuffer(text, np.uint8)
    beyond = chars >= len(ASCII)
    beside = np.zeros(len(chars), bool)
    beside[1:] |= beyond[:-1]
    beside[:-1] |= beyond[1:]
    letter = ((chars | LOWER) >= ord("a")) & ((chars | LOWER) <= ord("z"))
    kept = np.where(beyond | (beside & letter), chars, np.uint8(ord(" ")))
    return b" ".join(kept.tobytes().split())


def _likely(text: bytes) -> list[str]:
    """Encodings by the letters and words they make of the text, the likeliest first."""
    from charset_normalizer import from_bytes

    found = from_bytes(text, cp_isolation=[name.replace("-", "_") for name in SINGLE_BYTE])
    return [match.encoding for match in found] or [
        "cp1252" if _decoded(text, "cp1252") else "latin-1"
    ]


def _decoded(text: bytes, encoding: str) -> str:
    """The text in this encoding; empty where it does not fit."""
    try:
        return text.decode(encoding)
    except UnicodeDecodeError:
        return ""


def _fitting(groups: Counter[bytes], counts: Counter[int], known: Alphabet) -> list[str]:
    """The encodings in which nearly all characters beyond ASCII are such letters, the best first.

    `counts` has the bytes beyond ASCII, `groups` these with the letters beside them.
    """
    strange = {each: _strange(groups, counts, each, known) for each in known.encodings}
    good = [each for each, share in strange.items() if share <= STRANGE]
    return sorted(good, key=strange.__getitem__)


def _strange(groups: Counter[bytes], counts: Counter[int], encoding: str, known: Alphabet) -> float:
    """The share of characters beyond ASCII that are no such letters or signs, or misplaced."""
    chars = _decoded(bytes(counts), encoding)
    met = dict(zip(chars, counts.values(), strict=bool(chars)))
    usual = {*known.letters, *SIGNS}
    strange = sum(count for char, count in met.items() if char not in usual)
    common = sum(met.get(char, 0) for char in known.common)
    rare = bool(known.common) and common < OFTEN * counts.total()
    if not chars or rare or strange > STRANGE * counts.total():
        return 1.0
    texts = _decoded(b" ".join(groups), encoding).split(" ")
    forms = (MISPLACED, MISPLACED_FAR) if max(chars) >= "\u0590" else (MISPLACED,)
    for text, count in zip(texts, groups.values(), strict=True):
        strange += count * sum(len(form.findall(text)) for form in forms)
    return strange / counts.total()
