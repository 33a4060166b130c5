"""Frequency tables as plain text: every share under its own base, missing cells apart below."""

from __future__ import annotations

from typing import NamedTuple

from ..declaration.values import value_text
from ..declaration.variable import NUMERIC, Variable
from ..describe.counts import Count, Counts, CountTables, Crossed, value_words
from ..errors import several
from .text import WIDTH, cut, table, width_of

MOST = 40
"""Values that are shown; of more, the commonest, and the rest counted together."""
BAR = 12
"""Columns of the longest bar."""
EIGHTHS = " ▏▎▍▌▋▊▉"


class CountsTable(NamedTuple):
    """The parts of a frequency table."""

    headings: list[str]
    answered: list[list[str]]
    missing: list[list[str]]
    total: list[str]
    right: str
    shares: list[float]
    """The share of each row that is answered, for bars."""


def tables_text(tables: CountTables) -> str:
    """The frequency tables of several variables."""
    return "\n\n".join(map(counts_text, tables))


def counts_text(made: Counts, width: int = WIDTH, most: int = MOST, bars: bool = False) -> str:
    """A frequency table; with `bars`, a bar beside each share."""
    title = cut(titled(made.variable, "  "), width)
    parts = table_of(made, most)
    rows = [*parts.answered, *parts.missing, parts.total]
    lines = table(parts.headings, rows, parts.right, width - (BAR + 2) * bars)
    if bars:
        longest = max(map(width_of, lines), default=0)
        first = 2
        for place, share in enumerate(parts.shares, first):
            padding = " " * (longest - width_of(lines[place]) + 2)
            lines[place] = (lines[place] + padding + _bar(share, max(parts.shares))).rstrip()
    rule = lines[1]
    ends = [len(lines) - 1] if not parts.missing else [len(lines) - 1, 2 + len(parts.answered)]
    for place in ends:
        lines.insert(place, rule)
    return "\n".join([title, *lines])


def _bar(share: float, longest: float) -> str:
    eighths = round(8 * BAR * share / longest) if longest else 0
    return "█" * (eighths // 8) + EIGHTHS[eighths % 8].strip()


def titled(variable: Variable, between: str) -> str:
    """Name and label, the label where it says more than the name."""
    label = variable.label or ""
    more = label and label.casefold() != variable.name.casefold()
    return f"{variable.name}{between}{label}" if more else variable.name


def table_of(made: Counts, most: int) -> CountsTable:
    """The rows of a frequency table: answered cases, missing ones by reason, the sum."""
    rows, folded = _folded(made, most)
    labels = any(each.label for each in made.rows)
    cells = [_row(each, made.variable, bool(folded)) for each in rows]
    shares = [each.share_answered for each in rows]
    if folded:
        count = sum(each.cases for each in folded)
        answered = _share(count, made.answered)
        other = several(len(folded), "other value")
        cells.append([other, "", f"{count:,}", _share(count, made.cases), answered, ""])
        shares.append(count / made.answered)
    missing = [
        [f"[{reason}]", "", f"{count:,}", _share(count, made.cases), "", ""]
        for reason, count in made.missing.items()
    ]
    total = ["all", "", f"{made.cases:,}", _share(made.cases, made.cases), "", ""]
    heads = ["value", "label", "cases", f"of {made.cases:,}"]
    heads += [f"of {made.answered:,} answered", "up to here"]
    used = [place for place in range(6) if (place != 1 or labels) and (place != 5 or not folded)]
    used = [place for place in used if place != 4 or made.missing]
    right = ("r" if made.variable.type in NUMERIC else "l") + "lrrrr"

    def only(row: list[str]) -> list[str]:
        return [row[place] for place in used]

    return CountsTable(
        only(heads),
        list(map(only, cells)),
        list(map(only, missing)),
        only(total),
        "".join(right[place] for place in used),
        shares,
    )


def _folded(made: Counts, most: int) -> tuple[list[Count], list[Count]]:
    """The values to show, and those to be counted together."""
    rows = list(made.rows)
    if len(rows) <= most:
        return rows, []
    ranked = sorted(range(len(rows)), key=lambda place: -rows[place].cases)[: most - 1]
    kept = set(ranked)
    return [rows[place] for place in ranked], [
        each for place, each in enumerate(rows) if place not in kept
    ]


def _row(each: Count, variable: Variable, folded: bool) -> list[str]:
    value = each.value
    return [
        value if isinstance(value, str) else value_text(value, variable.decimals),
        each.label,
        f"{each.cases:,}",
        _percent(each.share),
        _percent(each.share_answered),
        "" if folded else _percent(each.running),
    ]


def _percent(share: float) -> str:
    return f"{100 * share:.1f} %"


def _share(count: int, total: int) -> str:
    return _percent(count / total) if total else ""


def crossed_text(made: Crossed, width: int = WIDTH) -> str:
    """Counts with their sums; cases that lack either value are counted below."""
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
        lines.append(f"{several(made.either_missing, 'row')} of {made.total:,} lack a value:")
        for variable, missing in (
            (made.down, made.down_missing),
            (made.across, made.across_missing),
        ):
            why = ", ".join(f"{reason} {count:,}" for reason, count in missing.items())
            lines += [f"  {variable.name}: {why}"] if why else []
        lines += [f"  both: {made.both_missing:,}"] if made.both_missing else []
    return "\n".join(lines)
