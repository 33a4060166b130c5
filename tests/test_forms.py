"""What a source is decides how it is read; a plan for something else is refused, and says why."""

from __future__ import annotations

import pytest

import olive_crate as oc

TEXT = b"grove,net\nPicual,300\nArbequina,280\n"
PAGE = b"<html><body><table><tr><th>grove</th><th>net</th></tr><tr><td>Picual</td><td>300</td></tr>"
FEED = (
    b'<?xml version="1.0"?><rss version="2.0"><channel><title>mill</title>'
    b"<item><title>opened</title></item></channel></rss>"
)


@pytest.mark.parametrize(
    ("source", "options", "said"),
    [
        (TEXT, {"layout": "query"}, "not a database; leave out query"),
        (TEXT, {"query": "select 1"}, "not a database; leave out query"),
        (PAGE, {"query": "select 1"}, "not a database; leave out query"),
        (FEED, {"layout": "query"}, "not a database; leave out query"),
        (TEXT, {"layout": "frame"}, "not a table in memory; leave out layout"),
        (PAGE, {"layout": "frame"}, "not a table in memory; leave out layout"),
        (TEXT, {"layout": "sheet"}, "not a workbook; leave out sheet"),
        (TEXT, {"sheet": 2}, "not a workbook; leave out sheet"),
        (TEXT, {"range": "A1:B4"}, "not a workbook; leave out sheet"),
        (TEXT, {"block": 1}, "not a workbook; leave out sheet"),
        (TEXT, {"turned": True}, "not a workbook; leave out sheet"),
    ],
)
def test_a_plan_for_a_source_of_another_form_is_refused(source, options, said):
    with pytest.raises(oc.PlanError, match=said):
        oc.load(source, **options)


@pytest.mark.parametrize("layout", [None, "delimited"])
def test_text_without_a_form_is_delimited(layout):
    dataset = oc.load(TEXT, layout=layout)
    assert dataset.names == ["grove", "net"] and dataset.plan.layout == "delimited"


def test_a_page_and_a_feed_are_what_they_are_unless_a_plan_reads_them_as_text():
    assert oc.load(PAGE).plan.layout == "page"
    assert oc.load(FEED).plan.layout == "feed"
    assert oc.load(PAGE, layout="delimited").plan.layout == "delimited"
    alone = {"fields": [("all", 1, 20)], "record_length": len(FEED)}
    assert oc.load(FEED, layout="fixed", **alone).plan.layout == "fixed"


@pytest.mark.parametrize("name", ["mysql", "postgresql", "sqlite", "mariadb", "http", "a b", "%"])
def test_a_file_that_is_called_like_a_scheme_is_a_file(tmp_path, monkeypatch, name):
    (tmp_path / name).write_bytes(TEXT)
    monkeypatch.chdir(tmp_path)
    assert len(oc.load(name)) == len(oc.load(tmp_path / name)) == 2
    assert oc.draft(name).source.path == name


@pytest.mark.parametrize(
    ("missing", "codes"),
    [
        ({777: "lost", -9: ""}, [(777, "lost"), (-9, "")]),
        ({"n.d.": "not done"}, [("n.d.", "not done")]),
        ({7.5: "x"}, [(7.5, "x")]),
        ({(900, 999): "far"}, [("900..999", "far")]),
        ({}, []),
        ([1, "x"], [(1, ""), ("x", "")]),
        ({"value": 3, "reason": "y"}, [(3, "y")]),
        ([{"from": 5, "reason": "up"}], [("5..", "up")]),
        ({"value": "of a variable"}, None),
    ],
)
def test_codes_are_written_in_any_of_their_ways(missing, codes):
    if codes is None:
        codes = [("of a variable", "")]
    found = oc.draft(TEXT, missing=missing).missing
    assert [(str(each), each.reason) for each in found] == [(str(a), b) for a, b in codes]


@pytest.mark.parametrize(
    ("missing", "said"),
    [
        ({True: "yes"}, "expected a number or text"),
        ({777: 5}, "missing"),
        ({777: None}, "missing"),
        ({777: ["a"]}, "needs its reason in words"),
        ({"net": {777: "lost"}}, "if it is a variable"),
        ({(1, 2, 3): "x"}, "a range is"),
        ({(9, 1): "x"}, "ends before it starts"),
        ({7: "blank"}, "is reserved"),
        ({7: "a", "7": "b"}, "two reasons"),
        ([{"of": 5}], 'unknown key "of"'),
    ],
)
def test_codes_that_are_none_say_what_is_wrong(missing, said):
    with pytest.raises(oc.PlanError, match=said):
        oc.draft(TEXT, missing=missing)
