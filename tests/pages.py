"""Made-up pages of agencies' shapes, each with the dataset that a reader sees in it."""

from __future__ import annotations

import random
from typing import NamedTuple

VILLAGES = (
    "Aldea del Río",
    "Cerro Blanco",
    "Fuente Ancha",
    "Las Lomas",
    "Molino Viejo",
    "Peña Alta",
)
GROUPS = ("Valley", "Hills")
MARKS = ("a", "b", "1", "2", "*", "†")


class MadePage(NamedTuple):
    """A page and what is in the table that is meant."""

    html: str
    names: list[str]
    rows: list[list[str | float | int | None]]
    table: int
    """The number of the table."""


def made_page(seed: int) -> MadePage:
    """A page with one table of data, drawn by a seed."""
    draw = random.Random(seed)
    levels, spread = draw.choice((1, 1, 2)), draw.choice((2, 3))
    units, places = draw.random() < 0.3, draw.choice((0, 1, 2))
    names, head = _heading(draw, levels, spread, units)
    rows, body = _body(draw, len(names), places)
    foot = _foot(draw, rows, places)
    style = draw.choice(("strict", "loose", "upper", "nested"))
    before = _around(draw)
    caption = f"<caption>Harvest {seed}</caption>" if draw.random() < 0.5 else ""
    table = f'<table id="t{seed}" class=wide>{caption}{head}{body}{foot}</table>'
    if style == "loose":
        for tag in ("td", "th", "tr", "thead", "tbody", "tfoot"):
            table = table.replace(f"</{tag}>", "")
    if style == "upper":
        for tag in ("table", "tr", "td", "th"):
            table = table.replace(f"<{tag}", f"<{tag.upper()}").replace(
                f"</{tag}>", f"</{tag.upper()}>"
            )
    number = before.count("<table") + 1
    if style == "nested":
        table, number = f"<table><tr><td>menu<td>{table}</table>", number + 1
    page = f"<!doctype html><meta charset=utf-8><body>{before}<h2>Figures</h2>{table}<p>x<br>y"
    return MadePage(page, names, rows, number)


def _heading(draw: random.Random, levels: int, spread: int, units: bool) -> tuple[list[str], str]:
    things = draw.sample(("Olives", "Oil", "Groves", "Trees", "Crates"), spread)
    unit = {"Olives": "t", "Oil": "kg", "Groves": "", "Trees": "", "Crates": ""}
    cell = "th" if draw.random() < 0.7 else "td"
    bold = (lambda text: f"<b>{text}</b>") if cell == "td" else (lambda text: text)
    if levels == 1:
        names = ["Village", *things]
        rows = "<tr>" + "".join(f"<{cell}>{bold(each)}</{cell}>" for each in names) + "</tr>"
    else:
        years = ("2024", "2025")
        names = ["Village", *(f"{year} {thing}" for year in years for thing in things)]
        upper = "".join(f'<{cell} colspan="{spread}">{bold(year)}</{cell}>' for year in years)
        lower = "".join(f"<{cell}>{bold(thing)}</{cell}>" for _ in years for thing in things)
        corner = f"<{cell} rowspan=2>{bold('Village')}</{cell}>"
        rows = f"<tr>{corner}{upper}</tr><tr>{lower}</tr>"
    if units:
        row = ["", *(unit[each.split()[-1]] for each in names[1:])]
        if any(row):
            row = [f"({each})" if each else "" for each in row]
            rows += "<tr>" + "".join(f"<{cell}>{each}</{cell}>" for each in row) + "</tr>"
    if levels == 2 or units or draw.random() < 0.6:
        rows = f"<thead>{rows}</thead><tbody>"
    return names, rows


def _body(draw: random.Random, columns: int, places: int) -> tuple[list, str]:
    rows, made = [], []
    grouped, spans, notes = (draw.random() < 0.25 for _ in range(3))
    hidden = draw.random() < 0.3
    blank = draw.random() < 0.15
    for at in range(draw.randrange(5, 14)):
        name = f"{VILLAGES[at % 6]} {at}"
        values = [round(draw.uniform(0, 9999), places) for _ in range(columns - 1)]
        values = [int(each) if places == 0 else each for each in values]
        cells: list = [None if draw.random() < 0.06 else each for each in values]
        if grouped and at in (0, 4):
            made.append(f'<tr><td colspan="{columns}">{GROUPS[at // 4]}</td></tr>')
        if hidden and at == 2:
            made.append('<tr style="display: none"><td>unseen' + "<td>1" * (columns - 1) + "</tr>")
        if blank and at == 3:
            made.append("<tr>" + "<td>&nbsp;</td>" * columns + "</tr>")
        shown = [_cell(draw, each, places, notes) for each in cells]
        made.append(f"<tr><td>{_words(name)}</td>{''.join(shown)}</tr>")
        rows.append([name, *cells])
    if spans:  # one value for two villages
        value = rows[-1][1] if rows[-1][1] is not None else 7
        value = value if places == 0 else float(value)
        first = _plain(value, places)
        made.append(
            f'<tr><td>Twin A</td><td rowspan="2">{first}</td>'
            + "<td>5</td>" * (columns - 2)
            + "</tr>"
        )
        made.append("<tr><td>Twin B</td>" + "<td>6</td>" * (columns - 2) + "</tr>")
        rows.append(["Twin A", value, *[5] * (columns - 2)])
        rows.append(["Twin B", value, *[6] * (columns - 2)])
    return rows, "".join(made)


def _words(name: str) -> str:
    return name.replace("í", "&iacute;").replace(" del ", "\n   del&#32;")


def _plain(value: float, places: int) -> str:
    return f"{value:,.{places}f}"


def _cell(draw: random.Random, value: float | None, places: int, notes: bool) -> str:
    if value is None:
        return draw.choice(("<td></td>", "<td>&nbsp;</td>", "<td> \n </td>"))
    text = _plain(value, places)
    if notes and draw.random() < 0.3:
        mark = draw.choice(MARKS)
        text += draw.choice(
            (f"<sup>{mark}</sup>", f'<sup><a href="#n">{mark}</a></sup>', f"<sup>[{mark}]</sup>")
        )
    wrapped = draw.choice(("{}", "{}", "<span>{}</span>", "<b>{}</b>", " {} ", "<a href=x>{}</a>"))
    return f"<td align=right>{wrapped.format(text)}</td>"


def _foot(draw: random.Random, rows: list, places: int) -> str:
    if draw.random() < 0.6:
        return ""
    sums = []
    for column in range(1, len(rows[0])):
        total = sum(row[column] for row in rows if row[column] is not None)
        sums.append(f"<td>{_plain(round(total, places), places)}</td>")
    return f"<tfoot><tr><td>Total</td>{''.join(sums)}</tr></tfoot>"


def _around(draw: random.Random) -> str:
    pieces = ["<p>Text & more <i>text</p>"]
    if draw.random() < 0.5:
        pieces.append("<table><tr><td><a href=/>Home</a><td><a href=/b>Back</a></table>")
    if draw.random() < 0.3:
        pieces.append("<table hidden><tr><td>1<td>2<tr><td>3<td>4<tr><td>5<td>6</table>")
    return "".join(pieces)
