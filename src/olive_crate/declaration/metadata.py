"""Declarations as the metadata of a field of an Arrow schema, and back."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

import msgspec

from .variable import Variable

PREFIX = "olive_crate."
TEXTS = ("type", "label", "unit", "level", "format", "meaning_set")
"""Parts that are texts, and written as they are: a label may look like JSON."""
NOT_PARTS = ("name", "from")
"""Fields of a declaration that the column itself tells, or that were of its source."""


def metadata_of(variable: Variable) -> dict[str, str]:
    """A declaration as texts by key; what is no text is JSON."""
    plain = msgspec.to_builtins(variable)
    return {
        f"{PREFIX}{key}": value
        if isinstance(value, str)
        else msgspec.json.encode(value).decode("utf-8")
        for key, value in plain.items()
    }


def parts_in_metadata(metadata: Mapping[bytes, bytes] | None) -> dict[str, Any]:
    """The parts of a declaration that `metadata_of` wrote; nothing where they do not hold."""
    plain: dict[str, Any] = {}
    for key, value in (metadata or {}).items():
        name = key.decode("utf-8", "replace")
        if name.startswith(PREFIX) and name.removeprefix(PREFIX) not in NOT_PARTS:
            plain[name.removeprefix(PREFIX)] = value
    try:
        plain = {
            part: value.decode("utf-8") if part in TEXTS else msgspec.json.decode(value)
            for part, value in plain.items()
        }
        made = msgspec.convert({"name": "", **plain}, Variable)
    except (msgspec.MsgspecError, ValueError):
        return {}
    return {name: getattr(made, name) for name in plain}
