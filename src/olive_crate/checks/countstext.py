"""Frequency tables as plain text."""

from __future__ import annotations

from ..celltexts import shown
from ..variables import NUMERIC, Variable
from ..words import WIDTH, cut, several, table
from .counts import Count, Counts, Crossed, value_words


def counts_text(made: Counts, width: int = WIDTH, most: int = 40) -> str:
    """A frequency table; of many values the commonest, the rest counted together."""
    variable = made.variable
    title = titled(variable, "  ")
    return "\n".join([cut(title, width), *table(*table_of(made, most), width)])


def titled(variable: Variable, between: str) -> str:
    """Name and label, the label where it says more than the name."""
    label = variable.label or ""
    more = label and label.casefold() != variable.name.casefold()
    return f"{variable.name}{between}{label}" if more else variable.name


def table_of(made: Counts, most: int) -> tuple[list[str], list[list[str]], str]:
    labels = any(each.label for each in made.rows)
    rows = list(made.rows)
    folded: list[Count] = []
    if len(rows) > most:
        ranked = sorted(range(len(rows)), key=lambda place: -rows[place].count)[: most - 1]
        kept = set(ranked)
        folded = [each for place, each in enumerate(rows) if place not in kept]
        rows = [rows[place] for place in ranked]
    cells = [
        [
            shown(each.value, made.variable.decimals)
            if not isinstance(each.value, str)
            else each.value,
            each.label,
            f"{each.count:,}",
            f"{each.percent:.1f}",
            f"{each.valid_percent:.1f}",
            "" if folded else f"{each.cumulative:.1f}",
        ]
        for each in rows
    ]
    if folded:
        count = sum(each.count for each in folded)
        words = [f"{count:,}", _share(count, made.total), _share(count, made.valid), ""]
        cells.append([several(len(folded), "other value"), "", *words])
    cells.append(["valid", "", f"{made.valid:,}", _share(made.valid, made.total), "", ""])
    for reason, count in made.missing.items():
        cells.append([f"[{reason}]", "", f"{count:,}", _share(count, made.total), "", ""])
    if made.missing:
        cells.append(["total", "", f"{made.total:,}", _share(made.total, made.total), "", ""])
    heads = ["value", "label", "count", "percent", "valid percent", "cumulative"]
    used = [place for place in range(6) if (place != 1 or labels) and (place != 5 or not folded)]
    right = "rl" if made.variable.type in NUMERIC else "ll"
    right += "rrrr"
    return (
        [heads[place] for place in used],
        [[row[place] for place in used] for row in cells],
        "".join(right[place] for place in used),
    )


def _share(count: int, total: int) -> str:
    return f"{100 * count / total:.1f}" if total else ""


def crossed_text(made: Crossed, width: int = WIDTH) -> str:
    """Counts with their sums; what lacks either value is told below."""
    heads = [f"{made.down.name} by {made.across.name}"]
    heads += [value_words(each, made.across) for each in made.across_values] + ["sum"]
    rows = [
        [value_words(value, made.down), *(f"{count:,}" for count in row), f"{sum(row):,}"]
        for value, row in zip(made.down_values, made.counts, strict=True)
    ]
    sums = [sum(column) for column in zip(*made.counts, strict=True)]
    rows.append(["sum", *(f"{count:,}" for count in sums), f"{sum(sums):,}"])
    lines = table(heads, rows, "l" + "r" * (len(heads) - 1), width)
    if made.either_missing:
        lines.append(f"{several(made.either_missing, 'row')} of {made.total:,} lack either value")
    return "\n".join(lines)
