"""The options of reading: one table that everything else about them is made from.

An entry is an option's name, its type, its check, the section of a plan that holds it, and a line
of help. Signatures, docstrings, plan files, flags and `docs/options.md` are made from the table. A
new option is an entry here, a field of its section, and the place that uses it.
"""

# No postponed annotations here: the table is the annotations themselves.

from collections.abc import Mapping, Sequence
from typing import TYPE_CHECKING, Annotated, Any, Literal, TypedDict, Union

from . import checks
from .checks import one_of, positions, table_path, whole_number
from .option import (
    FIELD_FLAGS,
    LIMITS,
    PLAIN_FLAGS,
    PROMISE_FLAGS,
    ROW_FLAGS,
    Flag,
    Option,
    with_fields,
    with_levels,
    with_meaning_sets,
    with_rows,
    with_types,
    with_variables,
)

if TYPE_CHECKING:
    from ..declaration.variable import Variable
    from .model import Rows


class ReadingOptions(TypedDict, total=False):
    """The options of `look`, `draft`, `load` and `pack`; each is also a key of a plan."""

    layout: Annotated[
        Literal["delimited", "fixed", "sheet", "query", "page", "feed", "frame"] | None,
        Option(
            "Text",
            "Layout of the records: delimited, fixed, sheet, query, page, feed or frame.",
            one_of("delimited", "fixed", "sheet", "query", "page", "feed", "frame"),
        ),
    ]
    encoding: Annotated[
        str | None,
        Option("Text", "Name of the encoding, such as cp1252.", checks.encoding, "source"),
    ]
    delimiter: Annotated[
        str | None,
        Option(
            "Text",
            "One or more characters, or comma, tab, semicolon, pipe, space, blanks, none.",
            checks.delimiter,
            "delimited",
        ),
    ]
    quote: Annotated[
        str | None,
        Option("Text", "Character around quoted fields, or none.", checks.quoting, "delimited"),
    ]
    escape: Annotated[
        str | None, Option("Text", "Escape character, or none.", checks.quoting, "delimited")
    ]
    comment: Annotated[
        str | None, Option("Text", "Prefix of comment lines.", checks.comment, "delimited")
    ]
    trim: Annotated[
        bool | Literal["left", "right"] | None,
        Option(
            "Text",
            "Strip blanks around fields.",
            checks.trim,
            "delimited",
            "no; yes for fixed-width text",
            flags=(Flag("--trim", "Strip blanks around fields: yes, no, left or right."),),
        ),
    ]
    decimal: Annotated[str | None, Option("Text", "Decimal mark.", checks.decimal, "delimited")]
    grouping: Annotated[
        str | None, Option("Text", "Digit grouping mark.", checks.grouping, "delimited")
    ]
    fields: Annotated[
        str | Mapping[str, Any] | Sequence[Any] | None,
        Option(
            "Fixed-width text",
            "List of fields, or the path of a layout table, DDI or CSVW file.",
            table_path,
            "fixed",
            apply=with_fields,
            flags=FIELD_FLAGS,
        ),
    ]
    lines_per_record: Annotated[
        int | None,
        Option(
            "Fixed-width text",
            "Lines of each record.",
            whole_number(1),
            "fixed",
            "as many as the fields need",
            flags=(Flag("--lines-per-record", metavar="COUNT"),),
        ),
    ]
    record_length: Annotated[
        int | None,
        Option(
            "Fixed-width text",
            "Characters of a record, where there are no line ends.",
            whole_number(1),
            "fixed",
            flags=(Flag("--record-length", metavar="COUNT"),),
        ),
    ]
    record_type: Annotated[
        Mapping[str, Any] | None,
        Option(
            "Fixed-width text",
            "Where records say their type, and the type to read.",
            checks.record_type,
            "fixed",
            "all records",
            flags=(Flag("--record-type", "Read only records of this type: 1-2=G.", "AT=TYPE"),),
        ),
    ]
    positions: Annotated[
        Literal["characters", "bytes"] | None,
        Option(
            "Fixed-width text",
            "Unit of positions: characters or bytes.",
            positions,
            "fixed",
            "characters",
        ),
    ]
    tabs: Annotated[
        int | None,
        Option(
            "Fixed-width text",
            "Expand tabs to multiples of this many positions.",
            whole_number(1),
            "fixed",
            "a tab is an error",
        ),
    ]
    sheet: Annotated[
        str | int | Sequence[str | int] | None,
        Option("Workbooks", "Name or number of the sheet, or a pattern.", checks.sheet, "sheet"),
    ]
    range: Annotated[
        str | None, Option("Workbooks", "B9:K310, B9:, B:K, or a name.", checks.cell_range, "sheet")
    ]
    block: Annotated[
        int | None,
        Option("Workbooks", "Number of a block in a look.", whole_number(1), "sheet", "largest"),
    ]
    hidden: Annotated[
        Literal["keep", "skip"] | None,
        Option(
            "Workbooks",
            "Hidden rows and columns: keep or skip.",
            one_of("keep", "skip"),
            "sheet",
            "keep",
        ),
    ]
    merged: Annotated[
        Literal["keep", "fill"] | None,
        Option(
            "Workbooks",
            "Merged cells: keep the value in the first cell, or fill all of them.",
            one_of("keep", "fill"),
            "sheet",
            "keep",
        ),
    ]
    turned: Annotated[
        bool | None,
        Option("Workbooks", "Variables stand in rows: yes or no.", checks.truth, "sheet", "no"),
    ]
    table: Annotated[
        str | int | None,
        Option(
            "Databases and web",
            "Table of a database by name; table of a page by number, caption or id.",
            checks.sheet_or_table,
            "table",
            "the only one, or a page's largest",
        ),
    ]
    keep_copy: Annotated[
        bool | None,
        Option(
            "Databases and web",
            "Keep a copy of a file on the web beside the plan: yes or no.",
            checks.truth,
            "source",
            "no",
        ),
    ]
    query: Annotated[
        str | None,
        Option(
            "Databases and web", "One SELECT instead of a table.", checks.query, "table", "none"
        ),
    ]
    rows: Annotated[
        Union[Mapping[str, Any], "Rows", None],
        Option(
            "Rows",
            "Rows of the names, labels, units and data, numbered as in an editor.",
            section="rows",
            apply=with_rows,
            flags=ROW_FLAGS,
        ),
    ]
    names: Annotated[
        Sequence[str] | None,
        Option(
            "Variables",
            "Names of the columns.",
            checks.unique_names,
            default="from the heading",
            flags=(Flag("--names", "Names of columns: id,date,acid, or @FILE.", "NAMES"),),
        ),
    ]
    plain_names: Annotated[
        bool | int | None,
        Option(
            "Variables",
            "Make names plain: lower case with _, of at most this many characters.",
            checks.plain_names,
            default="as in the heading",
            flags=PLAIN_FLAGS,
        ),
    ]
    types: Annotated[
        str | Mapping[str, str] | None,
        Option(
            "Variables",
            "Type of all variables, or types by name.",
            apply=with_types,
            field="type",
            flags=(Flag("--type", "NAME=TYPE, or one TYPE for all. Repeatable.", "TYPE", True),),
        ),
    ]
    levels: Annotated[
        Mapping[str, str] | None,
        Option(
            "Variables",
            "Levels of measurement by name: nominal, ordinal, interval or ratio.",
            None,
            "variable",
            "from the type",
            with_levels,
            (Flag("--level", "NAME=LEVEL. Repeatable.", "LEVEL", True),),
        ),
    ]
    missing: Annotated[
        Any,
        Option(
            "Variables",
            "Missing codes for all variables, with their reasons.",
            section="missing",
            default="none",
            check=checks.missing,
            field="missing",
            flags=(Flag("--missing", "Code for all, repeatable: -9 or 777=lost.", "CODE", True),),
        ),
    ]
    meaning_sets: Annotated[
        Mapping[str, Any] | None,
        Option(
            "Variables",
            "Meanings that several variables share, by the name of the set.",
            section="meaning_sets",
            default="none",
            apply=with_meaning_sets,
        ),
    ]
    variables: Annotated[
        Mapping[str, Any] | Sequence["Variable"] | None,
        Option(
            "Variables",
            "Declarations by name.",
            section="variable",
            default="none",
            apply=with_variables,
        ),
    ]
    keep: Annotated[
        str | Sequence[str] | None,
        Option(
            "Variables",
            "Variables to read.",
            checks.names,
            default="all",
            flags=(Flag("--keep", "Variables to read: id,acid..grade.", "NAMES"),),
        ),
    ]
    order: Annotated[
        str | Sequence[str] | None,
        Option("Variables", "Variables to put first.", checks.names, default="as in the file"),
    ]
    promised: Annotated[
        Mapping[str, Any] | None,
        Option(
            "Reading",
            "What the sender promised: rows, key, relations, totals.",
            checks.promised,
            "promised",
            "nothing",
            field="promised",
            flags=PROMISE_FLAGS,
        ),
    ]
    ignore: Annotated[
        Sequence[str | Mapping[str, str]] | None,
        Option(
            "Reading",
            "Findings that check leaves out: KIND, or KIND: VARIABLE.",
            checks.ignored,
            "check",
            "none",
            flags=(Flag("--ignore", metavar="KIND", repeatable=True),),
            field="ignored",
        ),
    ]
    limit: Annotated[
        int | None,
        Option(
            "Reading",
            "Maximum number of rows to read.",
            whole_number(0),
            default="all",
            flags=(Flag("--limit", metavar="ROWS"),),
        ),
    ]
    unreadable: Annotated[
        Literal["report", "stop"],
        Option(
            "Reading",
            "Cells that cannot be read: report them, or stop.",
            one_of("report", "stop", optional=False),
            default="report",
        ),
    ]
    on_error: Annotated[
        Literal["stop", "set aside"],
        Option(
            "Reading",
            "A file of a set that cannot be read: stop, or set aside.",
            one_of("stop", "set aside", optional=False),
            default="stop",
        ),
    ]
    file_as: Annotated[
        str | None,
        Option("Variables", "Variable for each case's file.", checks.variable_name, "", "none"),
    ]
    row_as: Annotated[
        str | None,
        Option("Variables", "Variable for each case's row.", checks.variable_name, "", "none"),
    ]
    changing: Annotated[
        Literal["refuse", "take"],
        Option(
            "Reading",
            "A file that changes while it is read: refuse it, or take what was there.",
            one_of("refuse", "take", optional=False),
            default="refuse",
        ),
    ]
    limits: Annotated[
        Mapping[str, int] | None,
        Option("Reading", LIMITS, checks.limits, "source", "see docs/security.md"),
    ]
    workers: Annotated[
        int | None,
        Option(
            "Reading",
            "Number of threads.",
            whole_number(1, 64),
            default="one per core, at most 8",
            flags=(Flag("--workers", metavar="COUNT"),),
        ),
    ]


OPTIONS: dict[str, Option] = {
    name: annotation.__metadata__[0] for name, annotation in ReadingOptions.__annotations__.items()
}
TYPES: dict[str, Any] = {
    name: annotation.__origin__ for name, annotation in ReadingOptions.__annotations__.items()
}
