"""Tables of a notebook: readable on light and dark, sorted by a click, nothing cut in the midst.

Colours are those of the page around them, made fainter where that helps, so that no theme needs to
be known. Cells of a few words are not broken: a date stays whole at its hyphens. What sorts a table
is one handler on it; where a notebook is not trusted to run it, the table is as it is.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from html import escape

from .text import cleaned, visible

LONG = 28
"""Characters from which on a cell may be broken between words."""
STYLE = """<style>
.olive-crate{color:inherit;font-variant-numeric:tabular-nums}
.olive-crate .scroll{overflow-x:auto;margin:.4em 0}
.olive-crate table{border-collapse:collapse;color:inherit;background:none;font-size:90%;margin:0}
.olive-crate tr,.olive-crate tbody tr:nth-child(odd){background:none}
.olive-crate th,.olive-crate td{padding:.2em .7em;text-align:left!important;vertical-align:top;
white-space:nowrap!important;color:inherit;
border:0 solid rgba(128,128,128,.25);border-bottom-width:1px}
.olive-crate thead th{border-bottom:1px solid rgba(128,128,128,.7);font-weight:600}
.olive-crate table .r{text-align:right!important}
.olive-crate table .long{white-space:normal!important;min-width:18em;max-width:44em}
.olive-crate table .raw{white-space:pre!important;font-family:monospace}
.olive-crate tbody tr:hover{background:rgba(128,128,128,.12)}
.olive-crate table.sort th{cursor:pointer}
.olive-crate table.sort th[aria-sort=ascending]::after{content:" \\2191"}
.olive-crate table.sort th[aria-sort=descending]::after{content:" \\2193"}
.olive-crate summary{cursor:pointer;margin:.3em 0}
.olive-crate p{margin:.3em 0}
</style>"""
SORT = (
    "var h=event.target.closest('th');if(h){var up=h.getAttribute('aria-sort')!='ascending',"
    "n=h.cellIndex,b=this.tBodies[0],v=function(r){return r.cells[n].textContent},"
    "f=function(t){return parseFloat(t.replace(/,/g,''))};"
    "this.querySelectorAll('th').forEach(function(e){e.removeAttribute('aria-sort')});"
    "h.setAttribute('aria-sort',up?'ascending':'descending');"
    "Array.from(b.rows).sort(function(p,q){var a=v(p),c=v(q),x=f(a),y=f(c),"
    "d=isNaN(x)||isNaN(y)?a.localeCompare(c):x-y;return up?d:-d})"
    ".forEach(function(r){b.appendChild(r)})}"
)
"""Sorts the rows by the column that is clicked: as numbers where both are, else as texts."""


def framed(html: str) -> str:
    """All that one value shows, with the look of its tables."""
    return f'<div class="olive-crate">{STYLE}{html}</div>'


def table(
    headings: Sequence[str],
    rows: Iterable[Sequence[str]],
    right: str = "",
    *,
    sort: bool = False,
    raw: bool = False,
) -> str:
    """An HTML table; `right` has an `r` for each column to be aligned to the right.

    With `sort`, a click on a heading sorts it; with `raw`, the last column keeps its blanks.
    """

    def cells(row: Sequence[str], tag: str) -> str:
        return "".join(_cell(str(cell), tag, index) for index, cell in enumerate(row))

    def _cell(text: str, tag: str, index: int) -> str:
        words = "r" if right[index : index + 1] == "r" else ""
        if tag == "td" and raw and index == len(headings) - 1:
            words = "raw"
        elif len(text) > LONG:
            words = f"{words} long".strip()
        called = f' class="{words}"' if words else ""
        key = ' tabindex="0"' if tag == "th" and sort else ""
        return f"<{tag}{called}{key}>{escape(visible(text))}</{tag}>"

    body = "".join(f"<tr>{cells(row, 'td')}</tr>" for row in rows)
    sorts = (
        f' class="sort" onclick="{escape(SORT)}"'
        " onkeydown=\"if(event.key=='Enter')event.target.click()\""
        if sort
        else ""
    )
    head = f"<thead><tr>{cells(headings, 'th')}</tr></thead>"
    return f'<div class="scroll"><table{sorts}>{head}<tbody>{body}</tbody></table></div>'


def folded(summary: str, html: str, is_open: bool = False) -> str:
    """Something that is shown when its summary is clicked."""
    opened = " open" if is_open else ""
    return f"<details{opened}><summary>{escape(cleaned(summary))}</summary>{html}</details>"


def paragraph(text: str) -> str:
    """A line of text."""
    return f"<p>{escape(cleaned(text))}</p>"
