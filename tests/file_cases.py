"""Files of many kinds with the truth beside them, and a judge of the plans drafted for them.

All of it is made up; nothing in a file's name tells anything. The tests hold each case to be right,
`benchmarks/detection.py` prints the score.
"""

from __future__ import annotations

import random
from collections.abc import Iterator
from typing import Any, NamedTuple

from conftest import topic

import olive_crate as oc


class Case(NamedTuple):
    """A file and what is true of it, by the subjects of evidence."""

    name: str
    data: bytes
    truth: dict[str, Any]


HEAD = ("plot", "grower", "area", "acidity", "visit")
PEOPLE = ("José Peña", "Åsa Öberg", "Łukasz Żak", "Núñez, Ana", "O'Neill", "Begoña Ruíz", "Müller")
WEST = ("José Peña", "Begoña Ruíz", "Müller", "Núñez, Ana", "O'Neill", "Íñigo Sáez", "Zoé")
TYPES = {
    "plot": "integer",
    "grower": "text",
    "area": "number",
    "acidity": "number",
    "visit": "date",
}


def rows(count: int = 40, seed: int = 1, people: tuple[str, ...] = WEST) -> list[list[str]]:
    """Rows of a grower survey, with points for decimals and ISO dates."""
    rng = random.Random(seed)
    return [
        [
            str(100 + number),
            rng.choice(people),
            f"{rng.uniform(0.4, 30):.1f}",
            f"{rng.lognormvariate(-1, 0.5):.2f}",
            f"2025-{rng.randrange(1, 13):02d}-{rng.randrange(1, 29):02d}",
        ]
        for number in range(count)
    ]


def text(
    table: list[list[str]],
    delimiter: str = ",",
    heading: tuple[str, ...] | None = HEAD,
    comma: bool = False,
    quote: str = '"',
    end: str = "\n",
) -> str:
    """A table as delimited text."""

    def cell(value: str) -> str:
        if any(mark in value for mark in (delimiter, quote, "\n")):
            return quote + value.replace(quote, quote * 2) + quote
        return value

    if comma:
        table = [
            [c.replace(".", ",") if c.replace(".", "").isdigit() else c for c in r] for r in table
        ]
    lines = [list(heading)] if heading else []
    return end.join(delimiter.join(map(cell, row)) for row in [*lines, *table]) + end


def variables(**types: str) -> dict[str, str]:
    """Types as subjects of evidence."""
    return {f"variable.{name}": kind for name, kind in types.items()}


def delimiters() -> Iterator[Case]:
    """The separator, with text that is full of others."""
    for name, mark in {"comma": ",", "semicolon": ";", "tab": "\t", "pipe": "|"}.items():
        truth = {"delimited.delimiter": mark, "rows.names": (1,), **variables(**TYPES)}
        yield Case(f"delimiter {name}", text(rows(), mark).encode(), truth)
    semicolon = {"delimited.delimiter": ";", "delimited.decimal": ",", **variables(**TYPES)}
    yield Case("semicolons, decimal commas", text(rows(), ";", comma=True).encode(), semicolon)
    pairs = [[str(n), f"{n % 7},5", f"{n % 3},25"] for n in range(40)]
    yield Case(
        "semicolons, a decimal comma in every number",
        text(pairs, ";", ("a", "b", "c")).encode(),
        {"delimited.delimiter": ";", "delimited.decimal": ","},
    )
    wordy = [[str(n), "one, two; three, four", "x, y"] for n in range(40)]
    yield Case(
        "tabs, text full of commas",
        text(wordy, "\t", ("id", "remark", "more")).encode(),
        {"delimited.delimiter": "\t"},
    )
    one = "\n".join(["weight", *(str(500 + n) for n in range(30))]) + "\n"
    yield Case("one column", one.encode(), {"delimited.delimiter": "", "rows.names": (1,)})
    letters = (
        "\n".join(["remark", *(f"a bottle, number {n}" for n in range(9)), "wet", "dry"]) + "\n"
    )
    yield Case("one column of words", letters.encode(), {"delimited.delimiter": ""})
    blanks = "".join(f"{n:>5}   {n * 1.5:>8.2f}  {n % 4}\n" for n in range(30))
    yield Case(
        "runs of blanks",
        ("   id     dose  kind\n" + blanks).encode(),
        {"delimited.delimiter": "blanks"},
    )
    tabbed = [[" a b ", "c  d", str(n)] for n in range(30)]
    yield Case(
        "tabs with blanks",
        text(tabbed, "\t", ("p", "q", "r")).encode(),
        {"delimited.delimiter": "\t"},
    )
    broken = [[str(n), "two\nlines, here", "x"] for n in range(30)]
    yield Case(
        "line breaks in quotes",
        text(broken, ",", ("i", "n", "x")).encode(),
        {"delimited.delimiter": ","},
    )
    two = "".join(f"{n},{n * 2}\n" for n in range(30))
    yield Case(
        "two columns of integers",
        ("a,b\n" + two).encode(),
        {"delimited.delimiter": ",", "rows.names": (1,)},
    )


def quotes() -> Iterator[Case]:
    """Quotes, escapes and comments."""
    single = [[str(n), "it, she", "a;b"] for n in range(30)]
    yield Case(
        "apostrophes quote",
        text(single, ",", ("i", "w", "z"), quote="'").encode(),
        {"delimited.quote": "'", "delimited.delimiter": ","},
    )
    yield Case(
        "apostrophes in words",
        text(rows(people=("O'Neill", "D'Arc"))).encode(),
        {"delimited.quote": '"'},
    )
    escaped = "id,said,n\n" + "".join(f'{n},"a \\"good, one\\" year",{n}\n' for n in range(30))
    yield Case(
        "backslash escapes",
        escaped.encode(),
        {"delimited.escape": "\\", "delimited.delimiter": ","},
    )
    paths = "id,path,n\n" + "".join(f"{n},C:\\data\\{n},{n}\n" for n in range(30))
    yield Case("backslashes that escape nothing", paths.encode(), {"delimited.escape": None})
    inches = "id,pipe,n\n" + "".join(f'{n},{n}" pipe,{n}\n' for n in range(30))
    yield Case(
        "quotes as inches", inches.encode(), {"delimited.delimiter": ",", "rows.names": (1,)}
    )
    hashes = "# made by hand\n" + text(rows()).replace("\n110,", "\n# checked to here\n110,")
    yield Case(
        "comments",
        hashes.encode(),
        {"delimited.comment": "#", "rows.names": (2,), **variables(**TYPES)},
    )
    slashes = "// export, of today\n" + text(rows())
    yield Case(
        "comments of slashes", slashes.encode(), {"delimited.comment": "//", "rows.names": (2,)}
    )
    hashed = text(rows(), ",", ("#plot", *HEAD[1:]))
    yield Case(
        "a heading that begins with #",
        hashed.encode(),
        {"delimited.comment": "#", "rows.names": (1,)},
    )


def encodings() -> Iterator[Case]:
    """Bytes."""
    body = text(rows(people=WEST), ";")
    for encoding in (
        "utf-8",
        "utf-8-sig",
        "utf-16",
        "utf-16-le",
        "utf-16-be",
        "utf-32",
        "utf-32-le",
    ):
        wanted = {"utf-8-sig": "utf-8"}.get(encoding, encoding)
        yield Case(
            f"encoding {encoding}",
            body.encode(encoding),
            {"source.encoding": wanted, **variables(**TYPES)},
        )
    yield Case("encoding cp1252", body.encode("cp1252"), {"source.encoding": "cp1252"})
    late = text(rows(9000, people=("Lara", "Moyano"))) + "9999,Núñez,1.5,0.30,2025-01-01\n"
    yield Case("cp1252 far down", late.encode("cp1252"), {"source.encoding": "cp1252"})
    east = text(rows(60, people=("Łukasz Żak", "Świętosława Wiśniewska", "Gąsior Piękny")), ";")
    yield Case("encoding cp1250", east.encode("cp1250"), {"source.encoding": "cp1250"})
    north = text(rows(60, people=("Иван Петров", "Мария Соколова", "Пётр Ильич")), ";")
    yield Case("encoding cp1251", north.encode("cp1251"), {"source.encoding": "cp1251"})
    greek = text(rows(60, people=("Γιώργος Παπαδόπουλος", "Μαρία Ελαιώνα")), ";")
    yield Case("encoding cp1253", greek.encode("cp1253"), {"source.encoding": "cp1253"})


def parts() -> Iterator[Case]:
    """Which row plays which part."""
    title = "Survey of growers\nspring; printed 3 May\n\n"
    body = text(rows(), ";")
    yield Case("titles above", (title + body).encode(), {"rows.names": (4,), "rows.first": 5})
    units = body.replace("\n", "\n;;ha;%;\n", 1)
    yield Case(
        "a units row",
        units.encode(),
        {"rows.names": (1,), "rows.units": 2, "rows.first": 3, **variables(**TYPES)},
    )
    bracketed = body.replace("\n", "\n;;[ha];(%);\n", 1)
    yield Case(
        "units in brackets", (title + bracketed).encode(), {"rows.names": (4,), "rows.units": 5}
    )
    total = body + "Total;;512.5;;\n"
    yield Case("a total below", total.encode(), {"rows.closing": "skip", **variables(**TYPES)})
    notes = body + "\nSource: cooperative;;;;\n* provisional;;;;\n"
    yield Case("notes below", notes.encode(), {"rows.closing": "skip", **variables(**TYPES)})
    footnote = body + "all figures as delivered\n"
    yield Case(
        "a footnote without delimiters",
        footnote.encode(),
        {"rows.closing": "skip", **variables(**TYPES)},
    )
    yield Case("no heading", text(rows(), ";", None).encode(), {"rows.names": (), "rows.first": 1})
    yield Case(
        "no heading, all words",
        text(
            [["Lara", "Picual", "red"], ["Lara", "Picual", "red"], ["Moyano", "Picual", "blue"]]
            * 9,
            ";",
            None,
        ).encode(),
        {"rows.names": ()},
    )
    years = [["Lara", *(str(900 + n + y) for y in range(4))] for n in range(30)]
    yield Case(
        "years as names",
        text(years, ";", ("grower", "2021", "2022", "2023", "2024")).encode(),
        {"rows.names": (1,)},
    )
    words = [
        [n, v, g]
        for n in ("Lara", "Moyano", "Peña")
        for v in ("Picual", "Arbequina")
        for g in ("A", "B")
    ]
    yield Case(
        "a heading over words",
        text(words, ";", ("grower", "variety", "grade")).encode(),
        {"rows.names": (1,)},
    )
    two = "panel;;panel;;lab\nbitter;fruity;sweet;sharp;acid\n" + "".join(
        f"{n % 5};{n % 4};{n % 3};{n % 7};0.{n}\n" for n in range(10, 40)
    )
    yield Case("a heading of two rows", two.encode(), {"rows.names": (1, 2), "rows.first": 3})
    labels = body.replace(
        "\n",
        "\nNumber of the plot;Name of the grower;Area under olives;Free acidity;Day of the visit\n",
        1,
    )
    yield Case(
        "a row of labels", labels.encode(), {"rows.names": (1,), "rows.labels": 2, "rows.first": 3}
    )
    lines = body.splitlines(keepends=True)
    repeated = "".join([*lines[:15], lines[0], *lines[15:30], lines[0], *lines[30:]])
    yield Case("headings repeated", repeated.encode(), {"rows.names": (1,), "repeated": 2})
    blank = body.replace("\n110;", "\n\n110;")
    yield Case("a blank row within", blank.encode(), {"rows.names": (1,), **variables(**TYPES)})
    spare = "\n".join(line + ";" for line in body.splitlines()) + "\n"
    yield Case(
        "a delimiter at each end", spare.encode(), {"rows.names": (1,), **variables(**TYPES)}
    )


def marks() -> Iterator[Case]:
    """Decimal and grouping marks."""
    rng = random.Random(3)
    numbers = [rng.uniform(900, 4_000_000) for _ in range(40)]
    forms = {
        "1.234,5": (",", ".", lambda x: f"{x:,.1f}".translate(str.maketrans(",.", ".,"))),
        "1,234.5": (".", ",", lambda x: f"{x:,.1f}"),
        "1 234,5": (",", " ", lambda x: f"{x:,.1f}".translate(str.maketrans(",.", " ,"))),
        "1'234.5": (".", "'", lambda x: f"{x:,.1f}".replace(",", "'")),
        "1.234.567": (",", ".", lambda x: f"{x * 10:,.0f}".replace(",", ".")),
    }
    for name, (decimal, grouping, form) in forms.items():
        body = "\n".join(["id;kg", *(f"{n};{form(x)}" for n, x in enumerate(numbers))]) + "\n"
        truth = {"delimited.grouping": grouping, "delimited.decimal": decimal}
        kind = "integer" if name == "1.234.567" else "number"
        yield Case(f"numbers like {name}", body.encode(), truth | variables(kg=kind))
    only = "\n".join(["id;kg", *(f"{n};{n + 1},{200 + n}" for n in range(40))]) + "\n"
    yield Case("only numbers like 1,234", only.encode(), {"delimited.decimal": ("doubtful", ",")})
    points = "\n".join(["id;kg", *(f"{n};{n + 1}.{200 + n}" for n in range(40))]) + "\n"
    yield Case("only numbers like 1.234", points.encode(), {"delimited.decimal": ("doubtful", ".")})


def types() -> Iterator[Case]:
    """What the cells are."""
    columns: dict[str, tuple[list[str], str]] = {
        "day first": (
            [f"{1 + n % 28:02d}/{1 + n % 12:02d}/2025" for n in range(40)],
            "date %d/%m/%Y",
        ),
        "month first": (
            [f"{1 + n % 12:02d}/{1 + n % 28:02d}/2025" for n in range(40)],
            "date %m/%d/%Y",
        ),
        "days with points": (
            [f"{1 + n % 28}.{1 + n % 12}.2025" for n in range(40)],
            "date %d.%m.%Y",
        ),
        "day or month": (
            [f"{1 + n % 12:02d}/{1 + n % 11:02d}/2025" for n in range(40)],
            "date %m/%d/%Y",
        ),
        "years of two digits": (
            [f"{1 + n % 28:02d}.{1 + n % 12:02d}.{24 + n % 2}" for n in range(40)],
            "date %d.%m.%y",
        ),
        "months by name": (
            [f"{1 + n % 28:02d}-{('Oct', 'Nov', 'Dec')[n % 3]}-2025" for n in range(40)],
            "date %d-%b-%Y",
        ),
        "times with and without seconds": (
            [f"{7 + n % 9:02d}:{n:02d}" + (":30" if n % 2 else "") for n in range(40)],
            "time",
        ),
        "date-times": ([f"2025-10-{1 + n % 28:02d} 07:{n:02d}" for n in range(40)], "datetime"),
        "date-times with zone": (
            [f"2025-10-{1 + n % 28:02d}T07:{n:02d}:00+01:00" for n in range(40)],
            "datetime",
        ),
        "postal codes": ([f"{n * 37 % 99999:05d}" for n in range(40)], "text"),
        "beyond 53 bits": ([str(9007199254740993 + n) for n in range(40)], "integer"),
        "beyond 64 bits": ([str(9223372036854775807 + n) for n in range(40)], "number"),
        "yes and no": (["yes", "no", "no"] * 13, "boolean"),
        "ja and nein": (["ja", "nein", ""] * 13, "boolean"),
        "yes, no and maybe": (["yes", "no", "maybe"] * 13, "text"),
        "stars among numbers": (["*" if n % 9 == 4 else str(n) for n in range(40)], "integer"),
        "n.d. among numbers": (
            ["n.d." if n % 9 == 4 else f"{n}.5" for n in range(40)],
            ("doubtful", "number"),
        ),
        "below detection": (
            ["<0.5" if n % 11 == 4 else f"{n}.5" for n in range(40)],
            ("doubtful", "number"),
        ),
        "exponents": ([f"{n}.5e-{n % 9}" for n in range(40)], "number"),
        "a late word": ([str(n) for n in range(39)] + ["lost"], ("doubtful", "number")),
        "marks only": (["NA", "-"] * 20, "text"),
        "codes 777": (
            ["777" if n % 9 == 4 else f"{20 + n % 13}.5" for n in range(60)],
            ("suspect", "777"),
        ),
        "codes -9": (
            ["-9" if n % 9 == 4 else str(1 + n % 5) for n in range(60)],
            ("suspect", "-9"),
        ),
        "no code 999": ([str(n) for n in range(960, 1040)], ("unsuspected", "999")),
    }
    for name, (cells, kind) in columns.items():
        body = "\n".join(["id;x;z", *(f"{n};{cell};w" for n, cell in enumerate(cells))]) + "\n"
        yield Case(name, body.encode(), {"variable.x": kind})


def cases() -> list[Case]:
    """All files."""
    return [c for make in (delimiters, quotes, encodings, parts, marks, types) for c in make()]


def judged(case: Case) -> list[tuple[str, bool, str]]:
    """Each decision with whether it is right (or doubtful in the right way), and what was said."""
    plan = oc.draft(case.data)
    return [(subject, *_judge(plan, subject, wanted)) for subject, wanted in case.truth.items()]


def _judge(plan: oc.Plan, subject: str, wanted: Any) -> tuple[bool, str]:
    section, _, key = subject.partition(".")
    evidence = [each for each in plan.evidence if topic(each) == subject]
    doubtful = [
        other for each in evidence if not each.certain for other in (each.value, *each.alternatives)
    ]
    if subject == "repeated":
        said = next((each.supporting for each in plan.evidence if each.about == "rows.repeated"), 0)
        return said == wanted, str(said)
    if section == "variable":
        variable = plan.variable(key)
        said = f"{variable.type} {variable.format or ''}".strip()
        if isinstance(wanted, tuple):
            how, what = wanted
            told = [each.value for each in evidence if each.about == "variable.suspects"]
            suspects = [value for each in told for value in each.split(", ")]
            if how == "suspect":
                return what in suspects, str(suspects)
            if how == "unsuspected":
                return what not in suspects, str(suspects)
            return what in doubtful, f"{said}, doubtful {doubtful}"
        right = wanted in (said, variable.type)
        return right or wanted in doubtful, f"{said}, doubtful {doubtful}"
    if subject in ("rows.first", "rows.last"):
        said = getattr(plan.rows, key)
        return said == wanted, str(said)
    holder = {"source": plan.source, "delimited": plan.delimited, "rows": plan.rows}[section]
    said = getattr(holder, key)
    if isinstance(wanted, tuple) and wanted[:1] == ("doubtful",):
        return wanted[1] == said and bool(doubtful), f"{said}, doubtful {doubtful}"
    if isinstance(wanted, tuple) and wanted == () and doubtful:
        return True, f"{said}, doubtful"
    return said == wanted or wanted in doubtful, f"{said!r}, doubtful {doubtful}"
