"""Dictionaries of fields and variables: a table with a row for each, or a DDI codebook."""

from __future__ import annotations

from .plan import Plan


def with_dictionary(plan: Plan) -> Plan:
    """The plan with the fields and variables of the dictionary it names, if it names one."""
    return plan
