"""Links that lead to a page, where a file is meant: turned into the address that gives the file.

A service that keeps documents gives out links to a page that shows them. A pattern says what such
links look like and which address gives the document itself. Patterns of the user's own stand in a
file, `links.toml`, in the folder for settings:

    [[link]]
    pattern = "https://papers.example/d/{document}/view"
    export = "https://papers.example/d/{document}/export.xlsx"
    sheet = "part"          # the parameter or fragment that names a sheet, if there is one

One pattern is known from the start: that of the small server which `olive-crate demo --serve` runs.
"""

from __future__ import annotations

import os
import re
import sys
import tomllib
from pathlib import Path
from urllib.parse import parse_qs, urlsplit

import msgspec

from ..declaration.converting import converted
from ..declaration.patterns import late
from ..errors import PlanError
from .addresses import full_address, remembered
from .source import Source

WORD = late(r"\{(\w+)\}")
FILE = "links.toml"


class Link(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """What the links of a service look like, and where the file is."""

    pattern: str
    export: str
    sheet: str = ""
    """The parameter or the key of the fragment that names a sheet."""


DEMO = Link(
    "http://127.0.0.1:{port}/documents/{document}/view",
    "http://127.0.0.1:{port}/documents/{document}/export.xlsx",
    "sheet",
)


def opened_link(address: str) -> Source:
    """The file that an address of the web leads to."""
    from .web import web_source

    target, sheet = exported(full_address(address))
    source = web_source(remembered(target) if target != address else address)
    return msgspec.structs.replace(source, sheet=sheet) if sheet else source


def exported(address: str) -> tuple[str, str]:
    """The address that gives the file of a link, and the sheet that the link names, if any."""
    parts = urlsplit(address)
    bare = f"{parts.scheme}://{parts.netloc}{parts.path}"
    for link in (*own_links(), DEMO):
        match = _pattern(link.pattern).fullmatch(bare)
        if match is None:
            continue
        given = parse_qs(parts.query) | parse_qs(parts.fragment)
        sheet = given.get(link.sheet, [""])[0] if link.sheet else ""
        return _filled(link.export, match.groupdict()), sheet
    return address, _sheet_in(parts.fragment)


def _sheet_in(fragment: str) -> str:
    """The sheet that `#sheet=Growers` names."""
    return parse_qs(fragment).get("sheet", [""])[0]


def _filled(text: str, words: dict[str, str]) -> str:
    return WORD.sub(lambda word: words[word[1]], text)


def _pattern(text: str) -> re.Pattern[str]:
    pieces = WORD.split(text)
    made = "".join(
        f"(?P<{piece}>[^/?#]+)" if number % 2 else re.escape(piece)
        for number, piece in enumerate(pieces)
    )
    return re.compile(made)


def settings_folder() -> Path:
    """The folder for the user's settings (XDG Base Directory Specification; `%APPDATA%`)."""
    if sys.platform == "win32":
        base = os.environ.get("APPDATA") or str(Path.home())
    else:
        base = os.environ.get("XDG_CONFIG_HOME") or str(Path.home() / ".config")
    return Path(base) / "olive-crate"


def own_links() -> tuple[Link, ...]:
    """The user's own patterns. Raises `PlanError` for a file that does not hold any."""
    path = settings_folder() / FILE
    try:
        held = tomllib.loads(path.read_text("utf-8"))
    except OSError:
        return ()
    except (tomllib.TOMLDecodeError, UnicodeDecodeError) as error:
        raise PlanError(f"{path}: not valid TOML: {error}") from None
    try:
        links = converted(held.get("link", []), tuple[Link, ...])
    except msgspec.ValidationError as error:
        raise PlanError(f"{path}: link: {error}") from None
    for link in links:
        words = WORD.findall(link.pattern)
        unknown = [each for each in WORD.findall(link.export) if each not in words]
        if unknown or len(set(words)) != len(words):
            raise PlanError(
                f'{path}: link: export names {{{unknown[0]}}}, which "{link.pattern}" does not'
                if unknown
                else f'{path}: link: "{link.pattern}" names a part twice'
            )
    return links
