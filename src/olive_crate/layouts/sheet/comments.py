"""Comments of cells, which say of a heading what its variable is."""

from __future__ import annotations

import xml.etree.ElementTree as ET
from collections.abc import Mapping, Sequence

from ...evidence import CommentLabels, Evidence
from ...sources.ranges import area_of

THREADED, REPLY = "[Threaded comment]", "Comment:"
"""How a conversation begins, where older programs are to show it, and what its text follows."""

Comments = Mapping[tuple[int, int], str]
"""The text of a comment by the row and column of its cell."""


def comments_of(tree: ET.Element) -> Comments:
    """The comments of a part of comments (ECMA-376, part 1, 18.7), without their authors."""
    authors = [each.text or "" for each in tree.iter("author")]
    found = {}
    for each in tree.iter("comment"):
        area = area_of(each.get("ref", ""))
        text = "".join(part.text or "" for part in each.iter("t"))
        number = each.get("authorId", "")
        if area is None or not text.strip():
            continue
        if text.startswith(THREADED) and REPLY in text:
            text = text.partition(REPLY)[2]
        elif number.isdecimal() and int(number) < len(authors) and authors[int(number)]:
            text = text.removeprefix(f"{authors[int(number)]}:")
        found[area.first_row, area.first_column] = text
    return found


def with_comments(
    labels: tuple[str, ...],
    comments: Comments,
    names: Sequence[int],
    columns: Sequence[int],
    evidence: list[Evidence],
) -> tuple[str, ...]:
    """The labels, and where there is none, the comment of the lowest cell of the heading."""
    if not comments or not names:
        return labels
    found = [
        own or next((comments[row, at] for row in reversed(names) if (row, at) in comments), "")
        for own, at in zip(labels, columns, strict=True)
    ]
    found = [" ".join(each.split()) for each in found]
    taken = sum(map(str.__ne__, labels, found))
    if taken:
        evidence.append(CommentLabels(supporting=taken))
    return tuple(found)
