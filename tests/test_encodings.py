"""Files of one byte a character, as mills and offices of several countries write them."""

from __future__ import annotations

from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

import olive_crate as oc

TEXTS = {
    "Spanish": ("Núñez Ibáñez, Lucía", "Cañada Honda", "¿Qué más?", "Ángel Güell", "Camino 2º"),
    "in capitals": ("RAMÓN NÚÑEZ", "CAÑADA", "ÁNGEL GÜELL", "JAÉN", "CÓRDOBA"),
    "German": ("Müller", "Köln", "Straße", "Öl", "Übermaß", "Jörg"),
    "French": ("L’huile d’été", "forêt – bois", "ça", "Eugène", "œuvre", "à coût nul"),
    "Portuguese": ("João", "São Tomé", "Conceição", "Açores", "Évora"),
    "Nordic": ("Sørensen", "Møller", "Ågård", "Håkon", "Bjørn"),
    "several countries": ("Møller", "José", "Álvarez", "Müller", "Françoise"),
    "units": ("°C", "m²", "10 µg/m³", "5 €", "Málaga"),
    "Turkish": ("Şahin", "İstanbul", "Çağrı", "Muğla", "öğüt"),
    "Icelandic": ("Þór", "Ísafjörður", "Ægir", "Þórshöfn", "Guðrún"),
    "Polish": ("Łukasz", "Łódź", "Żaneta", "Małgorzata", "Gdańsk", "żółw"),
    "Czech": ("Český Krumlov", "Dvořák", "Náchod", "Růžička", "Žďár", "žluťoučký kůň"),
    "Latvian": ("Mežaparks", "Rīga", "Šampēteris", "Jūrmala", "Dzimšana", "Ķekava"),
    "Lithuanian": ("Šiauliai", "Panevėžys", "Klaipėda", "Ąžuolas", "žemė", "ąžuolų"),
    "Croatian": ("Šibenik", "Čakovec", "nije što", "žetva", "među", "noć"),
    "Hebrew": ("זית", "כרם", "שמן זית", "גליל", "מסיק"),
    "Arabic": ("زيتون", "زيت الزيتون", "معصرة", "حلب", "إدلب", "القطاف؟"),
    "Greek": ("Ελένη", "Αθήνα", "Γιώργος", "Θεσσαλονίκη", "ελιά"),
    "Ukrainian": ("Київ", "Львів", "оливкова олія", "врожай", "їжа"),
    "Russian": ("Иван", "Москва", "Ольга", "Казань", "маслина"),
    "Russian in capitals": ("ГОРОД", "МОСКВА", "ТВЕРЬ", "КАЗАНЬ", "САМАРА", "МАСЛИНА"),
}
SPELT = {
    "cp1252": [
        *("Spanish", "in capitals", "German", "French", "Portuguese", "Nordic"),
        *("several countries", "units", "Icelandic"),
    ],
    "cp850": ["Spanish", "in capitals", "German", "Portuguese", "Nordic"],
    "mac-roman": ["Spanish", "German", "Portuguese"],
    "cp1254": ["Turkish"],
    "cp1250": ["Polish", "Czech", "Croatian"],
    "iso8859-2": ["Polish", "Czech", "Croatian"],
    "cp1255": ["Hebrew"],
    "cp1257": ["Latvian", "Lithuanian"],
    "cp1256": ["Arabic"],
    "iso8859-6": ["Arabic"],
    "cp1253": ["Greek"],
    "iso8859-7": ["Greek"],
    "cp1251": ["Russian", "Ukrainian", "Russian in capitals"],
    "cp866": ["Russian"],
    "koi8-r": ["Russian", "Russian in capitals"],
    "iso8859-5": ["Russian", "Ukrainian"],
}


LETTERS = ("cp1252", "cp850", "mac-roman", "cp1254", "cp1250", "iso8859-2", "cp1257", "cp1255")
LETTERS += ("cp1256", "iso8859-6")
"""Encodings that are told by letters, and leave no doubt where they are the only ones."""


def table(language: str) -> str:
    names = TEXTS[language]
    return "grower;note\n" + "".join(f"{name};{note}\n" for name in names for note in names[:2])


def encoding_of(data: bytes) -> Any:
    return next(each for each in oc.look(data).evidence if each.about == "source.encoding")


@pytest.mark.parametrize(
    ("encoding", "language"),
    [(encoding, language) for encoding, known in SPELT.items() for language in known],
)
def test_letters_are_read_as_they_were_written(encoding: str, language: str) -> None:
    text = table(language)
    if encoding == "mac-roman" or encoding == "cp850":
        text = text.replace("¿", "").replace("º", "")
    written = [line.split(";")[0] for line in text.splitlines()[1:]]
    found = oc.load(text.encode(encoding))
    assert found["grower"].values.to_pylist() == written
    about = encoding_of(text.encode(encoding))
    assert about.basis == "characters"
    several = len({char for char in text if not char.isascii()}) >= 5
    assert about.certain == (about.value in LETTERS and not about.alternatives and several)
    assert about.characters == sum(not char.isascii() for char in text)


@given(st.lists(st.sampled_from([*TEXTS["Spanish"], *TEXTS["French"]]), min_size=8, max_size=40))
def test_other_encodings_are_named_only_where_they_read_other_letters(names: list[str]) -> None:
    data = ("grower\n" + "\n".join(names) + "\n").encode("cp1252")
    about = encoding_of(data)
    for other in about.alternatives:
        assert data.decode(other) != data.decode(about.value)


@pytest.mark.parametrize(
    ("names", "certain"),
    [
        ("Núñez", False),
        ("Núñez, Sáez", False),
        ("Núñez, Sáez, León", False),
        ("Núñez, Sáez, León, Díaz", True),
    ],
)
def test_few_different_letters_leave_a_doubt(names: str, certain: bool) -> None:
    about = encoding_of(("grower\n" + f"{names}\n" * 90).encode("cp1252"))
    assert (about.value, about.certain) == ("cp1252", certain)


@pytest.mark.parametrize(
    ("text", "encoding", "first", "others"),
    [
        ("Győr;Kőszeg", "cp1250", "cp1252", {"cp1250", "iso8859-2"}),
        ("RAMÓN;NÚÑEZ", "mac-roman", "cp1252", {"mac-roman"}),
        ("price €;oil", "iso8859-15", "iso8859-15", {"cp850", "mac-roman"}),
    ],
)
def test_what_may_as_well_be_right_is_named(
    text: str, encoding: str, first: str, others: set[str]
) -> None:
    about = encoding_of(("a;b\n" + f"{text}\n" * 30).encode(encoding))
    assert about.value == first
    assert others <= set(about.alternatives)
    assert not about.certain


def test_an_encoding_is_found_by_lines_far_down() -> None:
    """The head is ASCII, and letters come after the first block."""
    lines = [f"{row},Lara" for row in range(60_000)] + [f"{row},Núñez" for row in range(40)]
    found = oc.load(("id,grower\n" + "\n".join(lines) + "\n").encode("cp850"))
    assert found["grower"].values[-1].as_py() == "Núñez"
    assert found.rows == 60_040


def test_an_encoding_that_does_not_fit_every_byte_is_not_taken() -> None:
    """0x81 is a letter in cp850, and nothing in cp1252, of which the first lines would be."""
    rows = ["Núñez ¡Olé!".encode("cp1252")] * 700 + [b"M\x81ller"]
    about = encoding_of(b"grower\n" + b"\n".join(rows) + b"\n")
    assert about.value != "cp1252"
    (b"grower\n" + b"\n".join(rows)).decode(about.value)
