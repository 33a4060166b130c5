"""The text of queries: names quoted, one SELECT let through, nothing else."""

from __future__ import annotations

import re
from collections.abc import Sequence

from ...declaration.patterns import late
from ...errors import PlanError

TOKEN = late(
    r"""--[^\n]*|/\*.*?\*/                       # comments
    |'(?:[^']|'')*'|"(?:[^"]|"")*"|`(?:[^`]|``)*`|\[[^\]\d][^\]]*\]   # texts and quoted names
    |\$(\w*)\$.*?\$\1\$                          # texts between dollars
    |\w+|\S""",
    re.VERBOSE | re.DOTALL,
)
COMMENTS = ("--", "/*")
BEGINNINGS = ("select", "with", "values", "table")
REFUSED = {
    "into": "writes a table or a file",
    "insert": "writes",
    "update": "writes or locks",
    "delete": "writes",
    "merge": "writes",
    "attach": "opens another file",
    "call": "runs a procedure",
    "exec": "runs a procedure",
    "outfile": "writes a file",
    "dumpfile": "writes a file",
}
"""Words that make a statement more than reading, wherever they stand in it."""
REACHING_OUT = late(
    r"lo_(im|ex)port|pg_(read|write|file|ls|stat_file|terminate|cancel|reload|rotate|advisory)\w*"
    r"|dblink\w*|load_file|load_extension|set_config|nextval|setval|query_to_xml\w*|xp_\w+"
    r"|pg_sleep\w*|sleep|benchmark|get_lock",
    re.IGNORECASE,
)
"""Functions that reach files, other servers or the state of the server."""


def one_select(query: str, at: str = "query") -> str:
    """The query without a closing semicolon. Raises `PlanError` unless it is one SELECT.

    A read-only transaction alone stops neither the writing of files on the server nor the opening
    of others, so a query that does more than read is refused by its words.
    """
    tokens = [each.group() for each in TOKEN.finditer(query)]
    words = [each for each in tokens if not each.startswith(COMMENTS)]
    while words and words[-1] == ";":
        words.pop()
    if not words or words[0].lower().lstrip("(") not in (*BEGINNINGS, ""):
        raise PlanError(f"{at}: expected one SELECT, got {_shown(query)}")
    if ";" in words:
        raise PlanError(f"{at}: expected one SELECT, got several statements")
    if any(each.startswith(("/*!", "/*M!")) for each in tokens):
        raise PlanError(
            f"{at}: comments that the server runs (/*! … */) are refused; leave them out"
        )
    for place, word in enumerate(words):
        _refuse_word(word, words[place + 1 : place + 2], at)
    return query.strip().rstrip(";").rstrip()


def _refuse_word(word: str, follows: Sequence[str], at: str) -> None:
    lower = word.lower()
    called = list(follows) == ["("]
    if REFUSED.get(lower) and not (called and lower == "insert"):
        raise PlanError(
            f'{at}: expected one SELECT that only reads; "{word}" {REFUSED[lower]}'
            " (a column of that name has to be quoted)"
        )
    if called and REACHING_OUT.fullmatch(word):
        raise PlanError(f"{at}: the function {word} reaches beyond the database; leave it out")


def _shown(query: str) -> str:
    text = " ".join(query.split())
    return repr(text if len(text) <= 60 else text[:59] + "…")


def quoted(name: str, kind: str) -> str:
    """A name as it stands in a query (ISO/IEC 9075-2, delimited identifiers)."""
    mark = "`" if kind in ("mysql", "mariadb") else '"'
    return mark + name.replace(mark, mark * 2) + mark


def page(limit: int, offset: int) -> str:
    """What is put behind a SELECT for so many rows without the first ones."""
    return f" LIMIT {limit}" + (f" OFFSET {offset}" if offset else "")
