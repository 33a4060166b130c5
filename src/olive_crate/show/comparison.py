"""Comparisons as plain text."""

from __future__ import annotations

from typing import TYPE_CHECKING

from ..checks.comparison import Comparison
from ..errors import several
from .text import WIDTH, name_list, table, wrapped

if TYPE_CHECKING:
    pass


def comparison_text(made: Comparison, width: int = WIDTH) -> str:
    """What agrees, then what differs, with rows and values."""
    if made.figures:
        return _figures_text(made, width)
    lines = [
        f"{several(made.rows, 'row')} here, {made.other_rows:,} there, {made.matched:,} compared"
    ]
    for words, names in (
        ("agree", made.agreeing),
        ("only here", made.only_here),
        ("only there", made.only_there),
    ):
        if names:
            sentence = f"{words}: {several(len(names), 'variable')}, {name_list(names, 8)}"
            lines += wrapped(sentence, width, "    ")
    for where, keys, blank, blanks in (
        ("here", made.doubled_here, made.blank_keys[0], made.blank_here),
        ("there", made.doubled_there, made.blank_keys[1], made.blank_there),
    ):
        if keys:
            sentence = f"keys in several rows {where}, not compared: {'; '.join(keys[:5])}"
            lines += wrapped(f"{sentence}{' …' if len(keys) > 5 else ''}", width, "    ")
        if blank:
            listed = f"{'; '.join(blanks[:5])}{' …' if blank > 5 else ''}"
            sentence = f"keys missing {where}, not compared: {several(blank, 'row')}: {listed}"
            lines += wrapped(sentence, width, "    ")
    for where, keys, total in (
        ("here", made.unmatched_here, made.rows - made.matched - _set_aside(made, 0)),
        ("there", made.unmatched_there, made.other_rows - made.matched - _set_aside(made, 1)),
    ):
        if total:
            sentence = (
                f"without a counterpart {where}: {several(total, 'row')}: {'; '.join(keys[:5])}"
            )
            lines += wrapped(f"{sentence}{' …' if total > 5 else ''}", width, "    ")
    if made.declarations:
        rows = [[each.name, each.part, each.value, each.other] for each in made.declarations]
        lines += ["", *table(["declared", "part", "here", "there"], rows, "", width)]
    for each in made.differing:
        far = "" if each.largest is None else f", by at most {each.largest:.6g}"
        lines += ["", f"{each.name}: {several(each.count, 'cell differs', 'cells differ')}{far}"]
        cells = [
            [f"{x.file} {x.row}".strip(), f"{x.other_file} {x.other_row}".strip(), x.value, x.other]
            for x in each.examples[:5]
        ]
        lines += [
            f"  {x}" for x in table(["row", "there", "here", "there"], cells, "rr", width - 2)
        ]
        if each.count > 5:
            lines.append(f"  and {each.count - 5:,} more")
    lines += ["", "equal" if made.equal else "not equal"]
    return "\n".join(lines)


def _set_aside(made: Comparison, side: int) -> int:
    """Rows that have no key of their own."""
    return made.doubled_rows[side] + made.blank_keys[side]


def _figures_text(made: Comparison, width: int) -> str:
    rows = [
        [
            each.name,
            each.figure,
            each.here,
            each.there,
            "" if each.difference is None else f"{each.difference:.3g}",
            "" if each.agrees else "differs",
        ]
        for each in made.figures
    ]
    heads = ["variable", "figure", "here", "there", "difference", ""]
    bad = sum(not each.agrees for each in made.figures)
    total = several(len(made.figures), "figure")
    sentence = (
        f"{total}: {bad} differ{'s' * (bad == 1)}"
        if bad
        else f"{total}: all agree to the digits given"
    )
    unknown = name_list(made.unknown_headings, 8)
    lines = [f"columns that name no figure: {unknown}"] if unknown else []
    return "\n".join([*table(heads, rows, "llrrrl", width), "", *lines, sentence])
