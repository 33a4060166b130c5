"""The command `olive-crate`: each subcommand prints what its library call returns.

Exit status: 0 done; 1 the file or the plan is at fault; 2 wrong usage; 3 done, but a check failed
or a promise is broken; 130 interrupted.
"""

from __future__ import annotations

import os
import sys
from importlib import import_module
from typing import Annotated

import typer

from .help import STEPS, GroupedCommand, Steps

INTERRUPTED = 130
"""The status by which the parser of arguments says that it has caught an interrupt."""
SENTENCES = {name: words for step in STEPS.values() for name, words in step.items()}
COMMANDS = tuple(SENTENCES)


def app(arguments: list[str]) -> typer.Typer:
    """The command, with only the subcommand that is asked for: building all costs start-up time."""
    made = typer.Typer(
        name="olive-crate",
        cls=Steps,
        add_completion=False,
        no_args_is_help=True,
        rich_markup_mode=None,
        pretty_exceptions_enable=False,
        context_settings={"help_option_names": ["-h", "--help"]},
    )
    made.callback()(_root)
    asked = [name for name in COMMANDS if arguments[:1] == [name]]
    listed = not asked and not set(arguments) & set(COMMANDS)
    if listed:  # only their names and what they do will be told
        for name, words in SENTENCES.items():
            made.command(name, help=words)(_only_listed)
        return made
    from .options import with_flags

    given = arguments if asked else None
    for name in asked or COMMANDS:
        command = getattr(import_module(f".{name}", __name__), name)
        if isinstance(command, typer.Typer):
            made.add_typer(command, name=name)
        else:
            made.command(name, cls=GroupedCommand)(with_flags(command, given))
    return made


def _only_listed() -> None:
    """In place of a command that is only listed."""


def _version(asked: bool) -> None:
    if asked:
        from .. import __version__, kernels

        typer.echo(f"olive-crate {__version__}, kernels: {kernels.in_use()}")
        raise typer.Exit


def _completion(shell: str | None) -> None:
    if shell is not None:
        from .completion import script

        typer.echo(script(app(["", *COMMANDS]), shell))
        raise typer.Exit


def _root(
    version: Annotated[
        bool, typer.Option("--version", callback=_version, is_eager=True, help="Show the version.")
    ] = False,
    color: Annotated[
        str,
        typer.Option(
            help="Colour: auto (on a terminal, unless NO_COLOR is set), always or never.",
            metavar="WHEN",
        ),
    ] = "auto",
    completion: Annotated[
        str | None,
        typer.Option(
            callback=_completion,
            is_eager=True,
            metavar="SHELL",
            help="Print what makes bash, zsh or fish complete commands and options.",
        ),
    ] = None,
) -> None:
    """Read text files and workbooks into analysis datasets, and see what came in.

    Start with: olive-crate look FILE. Then draft a plan, correct it, and pack.
    """
    from .screen import use_color

    use_color(color)


def main() -> None:
    """Run the command; errors become one message on standard error and an exit status."""
    from ..errors import OliveCrateError

    try:
        _run(sys.argv[1:])
    except SystemExit as stop:
        if stop.code == INTERRUPTED:
            raise KeyboardInterrupt from None
        read = sys.modules.get(f"{__name__}.datasets")  # which a help page needs not
        sys.exit(stop.code or (3 if read is not None and read.broken else 0))
    except OliveCrateError as error:
        _fail(error.for_command())
    except BrokenPipeError:
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())
        sys.exit(1)
    except MemoryError:
        _fail("out of memory; pack works in bounded memory")
    except OSError as error:
        _fail(f"{error.filename or 'a file'}: {error.strerror or error}")
    except Exception as error:
        if os.environ.get("OLIVE_CRATE_TRACE"):
            raise
        _fail(
            f"internal error: {type(error).__name__}: {error}\n"
            "set OLIVE_CRATE_TRACE=1 for a traceback, and please report it"
        )


def _run(arguments: list[str], may_ask: bool = True) -> None:
    """Run the command, once more with what a person at the terminal answers for a password."""
    from ..errors import PasswordNeeded

    arguments, color = _taken_out(arguments, "--color")
    try:
        app(arguments)([*color, *arguments])
    except PasswordNeeded as needed:
        if not (may_ask and needed.may_be_asked and sys.stdin.isatty() and sys.stderr.isatty()):
            raise
        from ..show.text import cleaned
        from ..sources.connecting import PASSWORD, USER

        typer.echo(cleaned(str(needed.problem)), err=True)
        if USER not in os.environ:
            os.environ[USER] = typer.prompt("User", err=True)
        os.environ[PASSWORD] = typer.prompt("Password", hide_input=True, err=True)
        _run([*color, *arguments], may_ask=False)


def _taken_out(arguments: list[str], option: str) -> tuple[list[str], list[str]]:
    """The arguments without an option of the command itself, which may come after a subcommand."""
    ends = arguments.index("--") if "--" in arguments else len(arguments)
    for at, each in enumerate(arguments[:ends]):
        if each == option or each.startswith(f"{option}="):
            length = 2 if each == option else 1
            return arguments[:at] + arguments[at + length :], arguments[at : at + length]
    return arguments, []


def _fail(message: str, status: int = 1) -> None:
    sys.stdout.flush()
    from ..show.text import cleaned

    sys.stderr.write(f"olive-crate: {cleaned(message)}\n")
    sys.exit(status)
