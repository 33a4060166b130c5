"""olive-crate crate: datasets that belong together, looked after as one."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any

import typer

from .help import Group, GroupedCommand
from .options import reading, sources_argument, sources_of, with_flags
from .screen import progress, show, show_json, width

if TYPE_CHECKING:
    from ..api.crate import Crate

crate = typer.Typer(
    cls=Group,
    no_args_is_help=True,
    rich_markup_mode=None,
    context_settings={"help_option_names": ["-h", "--help"]},
    help="Look after datasets that belong together: add, refresh, seal.",
)
CHECK_FAILED = 3
where_option = Annotated[
    Path,
    typer.Option("--crate", "-c", help="The crate: its folder, or a sealed one.", metavar="PATH"),
]
json_option = Annotated[bool, typer.Option("--json", help="Print JSON.")]
folder_argument = Annotated[
    Path, typer.Argument(metavar="CRATE", help="The crate: its folder, or a sealed one.")
]
HERE = Path(".")


def _opened(path: Path) -> Crate:
    from ..api.crate import Crate

    return Crate.open(path)


def _printed(value: Any, as_json: bool, text: str, well: bool = True) -> None:
    """Print a value; end with 3 where a check has failed."""
    if as_json:
        show_json(value.to_dict())
    else:
        show(text)
    if not well:
        raise typer.Exit(CHECK_FAILED)


@crate.command(cls=GroupedCommand)
def new(
    folder: Annotated[Path, typer.Argument(help="Folder to make the crate in.")],
    title: Annotated[str, typer.Option(help="What the crate is called.")] = "",
    keep: Annotated[
        int | None,
        typer.Option(help="Earlier packed datasets that each table keeps (default: 1).", min=0),
    ] = None,
    group: Annotated[
        Path | None,
        typer.Option(
            "--group", help="CSVW metadata of a table group to make it of.", metavar="FILE"
        ),
    ] = None,
) -> None:
    """Make a crate in a folder."""
    from ..api.crate import Crate

    made = Crate.new(folder, title=title, keep=keep, group=group)
    if group is not None:
        show(f"made {made.path} of {', '.join(made.names)}")
        return
    show(f"made {made.path}; add a table with: olive-crate crate add FILE --crate {made.path}")


@crate.command(cls=GroupedCommand)
@with_flags
@reading
def add(
    source: sources_argument,
    where: where_option = HERE,
    name: Annotated[
        str | None, typer.Option(help="Name of the table (default: the file's).")
    ] = None,
    copy: Annotated[
        bool, typer.Option("--copy", help="Copy the source into the crate (default: refer to it).")
    ] = False,
    options: dict[str, Any] | None = None,
) -> None:
    """Add a table.

    Its plan is drafted or taken; the table is read and packed.
    """
    from ..dataset.crates import Refresh
    from ..show.crates import refresh_text
    from ..sources.sets import PLAN_FILE

    if source == ["-"]:
        raise typer.BadParameter("a crate reads its tables again; name a file or an address")
    made = _opened(where)
    is_plan = len(source) == 1 and source[0].endswith(PLAN_FILE)  # which names the table
    what = source[0] if is_plan else sources_of(source, options or {})
    with progress("adding") as bar:
        told = made.add(what, name=name, copy=copy, progress=bar, **(options or {}))
    show(refresh_text(Refresh(made.path, (told,)), width()))
    if told.broken:
        raise typer.Exit(CHECK_FAILED)


@crate.command(cls=GroupedCommand)
def remove(
    name: Annotated[str, typer.Argument(help="Name of the table.")], where: where_option = HERE
) -> None:
    """Remove a table.

    Its plan and its packed datasets go; its source stays.
    """
    _opened(where).remove(name)
    show(f"removed {name}")


@crate.command(cls=GroupedCommand)
def rename(
    old: Annotated[str, typer.Argument(help="Name of the table.")],
    new_name: Annotated[str, typer.Argument(metavar="NEW", help="Its new name.")],
    where: where_option = HERE,
) -> None:
    """Rename a table, in relations too."""
    _opened(where).rename(old, new_name)
    show(f"renamed {old} to {new_name}")


@crate.command(cls=GroupedCommand)
def status(
    where: folder_argument = HERE,
    online: Annotated[
        bool, typer.Option("--online", help="Ask addresses and databases whether they answer.")
    ] = False,
    as_json: json_option = False,
) -> None:
    """Show the state of each table.

    Exits with 3 if a table needs a refresh or is broken.
    """
    from ..show.crates import status_text

    made = _opened(where).status(online=online)
    _printed(made, as_json, status_text(made, width()), made.is_current)


@crate.command(cls=GroupedCommand)
def refresh(
    names: Annotated[
        list[str] | None, typer.Argument(metavar="[TABLE...]", help="Tables (default: all).")
    ] = None,
    where: where_option = HERE,
    again: Annotated[bool, typer.Option("--again", help="Read what has not changed, too.")] = False,
    take_moved: Annotated[
        bool,
        typer.Option("--take-moved", help="Let plans name files that were found elsewhere."),
    ] = False,
    as_json: json_option = False,
) -> None:
    """Read changed tables again and show what is new.

    Exits with 3 if a promise is broken.
    """
    from ..show.crates import refresh_text

    with progress("refreshing") as bar:
        made = _opened(where).refresh(
            *(names or ()), again=again, take_moved=take_moved, progress=bar
        )
    _printed(made, as_json, refresh_text(made, width()), made.is_well)


@crate.command(cls=GroupedCommand)
def compare(
    name: Annotated[str, typer.Argument(help="Name of the table.")],
    where: where_option = HERE,
    to: Annotated[
        str, typer.Option("--with", help="previous, or how many refreshes before.")
    ] = "previous",
    key: Annotated[
        str | None,
        typer.Option("--key", help="Match cases by these variables: id,day.", metavar="NAMES"),
    ] = None,
    as_json: json_option = False,
) -> None:
    """Compare a table with its dataset before the last refresh.

    Exits with 3 if anything differs.
    """
    from ..show.comparison import comparison_text

    back: Any = int(to) if to.isdigit() else to
    keys = None if key is None else [part.strip() for part in key.split(",")]
    made = _opened(where).compare(name, to=back, key=keys)
    _printed(made, as_json, comparison_text(made, width()), made.equal)


@crate.command(cls=GroupedCommand)
def keys(
    names: Annotated[
        list[str] | None, typer.Argument(metavar="[TABLE...]", help="Tables (default: all).")
    ] = None,
    where: where_option = HERE,
    together: Annotated[
        list[str] | None,
        typer.Option(help="Variables to be tried together: answers:grower,year."),
    ] = None,
    as_json: json_option = False,
) -> None:
    """Show which keys join the tables.

    Lists candidate keys and the values that they share.
    """
    from ..show.crates import keys_text

    composites = []
    for text in together or []:
        table, colon, variables = text.partition(":")
        if not colon:
            raise typer.BadParameter(f"expected TABLE:NAME,NAME, got {text!r}")
        composites.append((table, [part.strip() for part in variables.split(",")]))
    made = _opened(where).keys(*(names or ()), together=composites)
    _printed(made, as_json, keys_text(made, width()))


@crate.command(cls=GroupedCommand)
def relate(
    one: Annotated[str, typer.Argument(metavar="TABLE.NAMES", help="answers.grower")],
    other: Annotated[str, typer.Argument(metavar="TABLE.NAMES", help="growers.id")],
    where: where_option = HERE,
    remove: Annotated[
        bool, typer.Option("--remove", help="Take back the relations between the two tables.")
    ] = False,
) -> None:
    """Promise that one table refers to another.

    Every value of the first variable occurs in the second, where it is unique.
    """
    if remove:
        gone = _opened(where).unrelate(one.partition(".")[0], other.partition(".")[0])
        show("\n".join(f"took back {each.name}" for each in gone))
        return
    ends = []
    for text in (one, other):
        table, dot, variables = text.partition(".")
        if not dot:
            raise typer.BadParameter(f"expected TABLE.NAME, got {text!r}")
        ends.append((table, [part.strip() for part in variables.split(",")]))
    made = _opened(where).relate(*ends[0], *ends[1])
    show(f"promised {made.name}; it is checked at the next refresh")


@crate.command(cls=GroupedCommand)
def seal(
    where: folder_argument = HERE,
    output: Annotated[
        Path | None, typer.Option("--output", "-o", help="The archive to write: season.zip.")
    ] = None,
    sources: Annotated[bool, typer.Option("--sources", help="Put the sources in, too.")] = False,
    texts: Annotated[
        bool, typer.Option("--texts/--no-texts", help="Delimited text of each table.")
    ] = True,
    only_list: Annotated[
        bool, typer.Option("--list", help="Only tell what would be in it.")
    ] = False,
    replace: Annotated[bool, typer.Option("--replace", help="Overwrite an existing file.")] = False,
    as_json: json_option = False,
) -> None:
    """Write the crate as one archive with checksums (RFC 8493)."""
    from ..show.crates import sealed_text

    if output is None and not only_list:
        raise typer.BadParameter("name the archive: --output season.zip")
    made = _opened(where).seal(
        output, sources=sources, texts=texts, replace=replace, only_list=only_list
    )
    _printed(made, as_json, sealed_text(made, width()))
