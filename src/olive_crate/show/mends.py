"""What would mend a matter, as the Python text that does it."""

from __future__ import annotations

from ..evidence import Mend


def mend_text(mend: Mend | None) -> str:
    """`declare("acid", type="number")`, or options of the read; empty for none."""
    if mend is None:
        return ""
    if mend.variables:
        names = list(mend.variables)
        return mend_of_several(mend, names if len(names) > 1 else names[0])
    if not mend.variable:
        return ", ".join(f"{key}={_value(value)}" for key, value in mend.parts.items())
    return mend_of_several(mend, mend.variable)


def mend_of_several(mend: Mend, names: str | list[str]) -> str:
    """The same for a run of variables, or a list of them."""
    parts = "".join(f", {_argument(key, value)}" for key, value in mend.parts.items())
    return f"declare({_value(names)}{parts})"


def _argument(key: str, value: object) -> str:
    """A keyword argument; `from` is no name in Python."""
    return f"{key}={_value(value)}" if key != "from" else f'**{{"from": {_value(value)}}}'


def _value(value: object) -> str:
    """A value as Python writes it, texts in double quotes."""
    if isinstance(value, str):
        return '"' + repr(f"'{value}")[2:-1].replace('"', '\\"') + '"'
    if isinstance(value, (list, tuple)):
        return "[" + ", ".join(map(_value, value)) + "]"
    if isinstance(value, dict):
        return "{" + ", ".join(f"{_value(k)}: {_value(v)}" for k, v in value.items()) + "}"
    return repr(value)
