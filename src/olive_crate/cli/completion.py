"""Completion in a shell: a script with all commands and options; a TAB starts nothing."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from typing import NamedTuple

import typer

from ..errors import PlanError, nearest
from .help import first_sentence


class Word(NamedTuple):
    """A command or an option, and what it is for."""

    name: str
    help: str


Table = dict[str, tuple[list[Word], list[Word]]]
"""By the words of a command (`crate add`, empty for the command itself): subcommands, options."""


def script(app: typer.Typer, shell: str) -> str:
    """The script for a shell. Raises `PlanError` for an unknown one."""
    if shell not in SHELLS:
        raise PlanError(
            f'--completion: expected bash, zsh or fish, got "{shell}"{nearest(shell, SHELLS)}'
        )
    return "\n".join(SHELLS[shell](dict(_tables(typer.main.get_command(app), ""))))


def _tables(command: object, path: str) -> Iterator[tuple[str, tuple[list[Word], list[Word]]]]:
    subcommands = getattr(command, "commands", {})
    options = [
        Word(name, getattr(each, "help", None) or "")
        for each in command.params  # type: ignore[attr-defined]
        for name in (*each.opts, *each.secondary_opts)
        if name.startswith("--")
    ]
    listed = [Word(name, first_sentence(each)) for name, each in subcommands.items()]
    yield path, (listed, [*options, Word("--help", "Show the help page.")])
    for name, each in subcommands.items():
        yield from _tables(each, f"{path} {name}".lstrip())


def _quoted(text: str) -> str:
    return "'" + text.replace("'", "'\\''") + "'"


def _bash(table: Table) -> Iterator[str]:
    yield "# olive-crate: add this to ~/.bashrc, or write it to a file that bash-completion reads."
    yield "_olive_crate() {"
    yield "    local word=${COMP_WORDS[COMP_CWORD]} path= words= each"
    yield '    for each in "${COMP_WORDS[@]:1:COMP_CWORD-1}"; do'
    yield '        case "${path:+$path }$each" in'
    for path in table:
        if path:
            yield f'            {_quoted(path)}) path="{path}" ;;'
    yield "        esac"
    yield "    done"
    yield '    case "$path" in'
    for path, (subcommands, options) in table.items():
        words = " ".join(each.name for each in options)
        names = " ".join(each.name for each in subcommands)
        yield f"        {_quoted(path)})"
        yield f"            if [[ $word == -* ]]; then words={_quoted(words)}; "
        yield f"            else words={_quoted(names)}; fi ;;"
    yield "    esac"
    yield '    COMPREPLY=($(compgen -W "$words" -- "$word"))'
    yield "}"
    yield "complete -o default -F _olive_crate olive-crate"


def _zsh(table: Table) -> Iterator[str]:
    yield "#compdef olive-crate"
    yield "# olive-crate: write this to a file _olive-crate in a folder of $fpath."
    yield "_olive_crate() {"
    yield "    local path_so_far= each"
    yield "    local -a found"
    yield "    for each in ${words[2,CURRENT-1]}; do"
    yield '        case "${path_so_far:+$path_so_far }$each" in'
    for path in table:
        if path:
            yield f"            {_quoted(path)}) path_so_far={_quoted(path)} ;;"
    yield "        esac"
    yield "    done"
    yield '    case "$path_so_far" in'
    for path, (subcommands, options) in table.items():
        yield f"        {_quoted(path)})"
        yield "            if [[ $words[CURRENT] == -* ]]; then"
        yield f"                found=({_described(options)})"
        yield f"            else found=({_described(subcommands)}); fi ;;"
    yield "    esac"
    yield "    if (( $#found )); then _describe olive-crate found; else _files; fi"
    yield "}"
    yield 'if [[ $funcstack[1] == _olive-crate ]]; then _olive_crate "$@"'
    yield "else compdef _olive_crate olive-crate; fi"


def _described(words: list[Word]) -> str:
    return " ".join(_quoted(f"{each.name}:{each.help}") for each in words)


def _fish(table: Table) -> Iterator[str]:
    yield "# olive-crate: write this to ~/.config/fish/completions/olive-crate.fish"
    for path, (subcommands, options) in table.items():
        parts = path.split()
        seen = "; and ".join(f"__fish_seen_subcommand_from {each}" for each in parts)
        names = " ".join(each.name for each in subcommands)
        here = seen or "__fish_use_subcommand"
        if parts and names:
            here = f"{seen}; and not __fish_seen_subcommand_from {names}"
        for word in subcommands:
            yield (
                f"complete -c olive-crate -n {_quoted(here)} -f -a {word.name}"
                f" -d {_quoted(word.help)}"
            )
        for word in options:
            yield (
                f"complete -c olive-crate -n {_quoted(here)} -l {word.name[2:]}"
                f" -d {_quoted(word.help)}"
            )


SHELLS: dict[str, Callable[[Table], Iterator[str]]] = {"bash": _bash, "zsh": _zsh, "fish": _fish}
