"""XML from strangers, read without trusting it.

No entity is expanded, nothing outside the document is fetched, and the depth is limited. Elements
are called by their local names: which prefix or version of a namespace a writer chose says nothing.
"""

from __future__ import annotations

from typing import Any
from xml.etree.ElementTree import Element, TreeBuilder
from xml.parsers import expat

from ..errors import SourceError

DEEPEST = 200
XML_FAULTS = (expat.ExpatError, LookupError, ValueError)
"""What the parser raises at XML that is damaged, or in an encoding that it does not know."""


def local(name: str) -> str:
    """A name without its namespace."""
    return name.rpartition("}")[2]


def parser_for(name: str) -> Any:
    """A parser that refuses declared entities. `name` is what messages call the document."""
    parser = expat.ParserCreate(namespace_separator="}")
    parser.buffer_text = True

    def refuse(entity: str, *_: object) -> None:
        raise SourceError(f'{name}: refused because it declares the entity "{entity}"')

    parser.EntityDeclHandler = refuse
    parser.ExternalEntityRefHandler = lambda *_: 0
    return parser


def tree_of(data: bytes, name: str) -> Element:
    """The document as a tree of elements. Raises `SourceError` where it is not well-formed."""
    builder, parser = TreeBuilder(), parser_for(name)
    depth = 0

    def start(tag: str, attributes: dict[str, str]) -> None:
        nonlocal depth
        depth += 1
        if depth > DEEPEST:
            raise SourceError(f"{name}: elements are nested more than {DEEPEST} deep")
        builder.start(local(tag), {local(key): value for key, value in attributes.items()})

    def end(tag: str) -> None:
        nonlocal depth
        depth -= 1
        builder.end(local(tag))

    parser.StartElementHandler, parser.EndElementHandler = start, end
    parser.CharacterDataHandler = builder.data
    try:
        parser.Parse(data, True)
    except XML_FAULTS as error:
        raise SourceError(f"{name}: not well-formed XML: {error}") from None
    return builder.close()
