"""Files on the web, from the demo's server: fetched once, whole or not at all, and kept."""

from __future__ import annotations

import time

import pytest

import olive_crate as oc
from olive_crate.demo.server import LOGIN, serving
from olive_crate.sources import requests


@pytest.fixture
def server(monkeypatch):
    monkeypatch.setattr(requests, "PAUSE", 0.01)
    with serving() as made:
        yield made


def test_a_file_is_fetched_once_for_everything_that_is_done_with_it(server, demo):
    address = f"{server.address}/deliveries.csv"
    found = oc.load(address)
    here = oc.load(demo / "deliveries_2025.csv")
    assert server.given["/deliveries.csv"] == 1
    assert found.names == here.names
    assert all(found[n].values.equals(here[n].values) for n in here.names)
    assert found.receipt.imbalances() == []
    assert found.receipt.source == address


WORKS = {
    "moved.csv": 1,
    "slow.csv": 1,
    "unsteady.csv": 2,
    "busy.csv": 1,
}


@pytest.mark.parametrize("path", WORKS)
def test_what_may_pass_is_tried_again(server, path, demo):
    found = oc.load(f"{server.address}/{path}")
    assert len(found) == len(oc.load(demo / "deliveries_2025.csv"))
    assert sum(server.given.values()) == WORKS[path]


FAILS = {
    "error.csv": "answers 500 Internal Server Error; the server failed",
    "gone.csv": "answers 404 Not Found; there is nothing at this address",
    "members.csv": "answers 401 Unauthorized; asks for a user and a password",
    "cut.csv": r"only [\d,]+ of [\d,]+ bytes came",
    "no-ranges.csv": r"only [\d,]+ of [\d,]+ bytes came",
    "to-file.csv": "redirected to file:///etc/hosts, which is not followed",
    "round.csv": "redirected over 10 times",
}


@pytest.mark.parametrize("path", FAILS)
def test_what_fails_is_said_with_its_reason(server, path):
    with pytest.raises(oc.SourceError, match=FAILS[path]) as caught:
        oc.load(f"{server.address}/{path}?token=hush-hush")
    assert "hush-hush" not in str(caught.value)
    assert f"{server.address}/{path}?…" in str(caught.value)


def test_hosts_that_cannot_be_reached_are_said(monkeypatch):
    monkeypatch.setattr(requests, "PAUSE", 0.01)
    with pytest.raises(oc.SourceError, match="refuses the connection"):
        oc.load("http://127.0.0.1:9/a.csv")
    with pytest.raises(oc.SourceError, match="no such host"):
        oc.load("http://no-such-host.invalid/a.csv")


def test_a_login_in_an_address_is_sent_and_never_shown(server):
    address = server.address.replace("://", f"://{LOGIN}@") + "/members.csv"
    found = oc.load(address)
    shown = (str(found.receipt), str(found.plan), repr(found.plan), found.plan.code())
    assert not any("olives@" in text or LOGIN in text for text in shown)
    assert len(oc.load(found.plan)) == len(found)


def test_a_query_string_is_not_written_and_asked_for_again(server, tmp_path, command):
    address = f"{server.address}/deliveries.csv?token=abc"
    plan = oc.draft(address)
    plan.write(tmp_path / "d.plan.toml")
    assert "abc" not in (tmp_path / "d.plan.toml").read_text("utf-8")
    assert len(oc.load(plan)) > 300
    done = command("summary", "d.plan.toml")
    assert done.returncode == 1
    assert "pass the full address" in done.stderr
    done = command("summary", address, "--plan", "d.plan.toml")
    assert done.returncode == 0, done.stderr


def test_too_large_a_file_is_refused(server, monkeypatch):
    monkeypatch.setenv("OLIVE_CRATE_MOST_BYTES", "1000")
    with pytest.raises(oc.SourceError, match=r"over 1,000 bytes; set OLIVE_CRATE_MOST_BYTES"):
        oc.load(f"{server.address}/deliveries.csv")


def test_a_look_at_a_large_file_fetches_its_head_alone(server, monkeypatch):
    head, row = b"a,b\n", b"1234567,some words\n"
    big = head + row * 2_000_000
    monkeypatch.setattr(type(server), "body", lambda self, path: big)
    began = time.perf_counter()
    look = oc.look(f"{server.address}/big.csv")
    assert [each.type for each in look.variables] == ["integer", "text"]
    assert look.lines is None
    assert time.perf_counter() - began < 30


def test_a_link_to_a_published_workbook_leads_to_the_file(server, demo):
    view = f"{server.address}/documents/panel/view"
    assert oc.load(view).names == oc.load(demo / "panel_2025.xlsx").names
    assert len(oc.load(f"{view}#sheet=Tasters")) == 4
    assert len(oc.load(f"{view}?sheet=3")) == 4
    plan = oc.draft(f"{view}#sheet=Tasters")
    assert plan.sheet.sheet == "Tasters"
    assert len(oc.load(plan)) == 4
    with pytest.raises(oc.LayoutError, match='no sheet "Codez"; did you mean "Codes"'):
        oc.load(f"{view}#sheet=Codez")


def test_users_add_patterns_of_links(server, tmp_path, monkeypatch):
    monkeypatch.setenv("XDG_CONFIG_HOME", str(tmp_path))
    folder = tmp_path / "olive-crate"
    folder.mkdir()
    export = f"{server.address}/documents/{{name}}/export.xlsx"
    text = f'[[link]]\npattern = "{server.address}/papers/{{name}}"\nexport = "{export}"\n'
    (folder / "links.toml").write_text(text + 'sheet = "part"\n', "utf-8")
    assert len(oc.load(f"{server.address}/papers/panel?part=Tasters")) == 4
    (folder / "links.toml").write_text(text.replace("{name}/export", "{other}/export"), "utf-8")
    with pytest.raises(oc.PlanError, match=r"export names \{other\}"):
        oc.load(f"{server.address}/papers/panel")


def test_a_copy_is_kept_and_asked_for_again_only_if_changed(server, tmp_path, monkeypatch):
    monkeypatch.chdir(tmp_path)
    address = f"{server.address}/deliveries.csv"
    oc.draft(address, keep_copy=True, limit=50).write(tmp_path / "d.plan.toml")
    plan = oc.Plan.read(tmp_path / "d.plan.toml")
    first = oc.load(plan)
    copies = sorted(each.name for each in tmp_path.glob("deliveries.*.csv"))
    assert len(copies) == 1
    (tmp_path / "any").touch()
    assert (tmp_path / copies[0]).stat().st_mode == (tmp_path / "any").stat().st_mode
    given = server.given["/deliveries.csv"]
    assert len(oc.load(plan)) == len(first)
    assert server.given["/deliveries.csv"] == given
    record = (tmp_path / f"{copies[0]}.source.toml").read_text("utf-8")
    assert f'address = "{address}"' in record
    assert "etag" in record

    server.changed = b";;;\r\n"
    changed = oc.load(plan)
    assert any("the file has changed since" in str(each) for each in changed.receipt.decided)
    assert f"kept as {copies[0]}" in " ".join(str(changed.receipt).split())
    kept = sorted(each.name for each in tmp_path.glob("deliveries.*.csv"))
    assert len(kept) == 2
    assert copies[0] in kept


def test_a_damaged_copy_is_not_read(server, tmp_path, monkeypatch):
    monkeypatch.chdir(tmp_path)
    oc.draft(f"{server.address}/deliveries.csv", keep_copy=True).write(tmp_path / "d.plan.toml")
    plan = oc.Plan.read(tmp_path / "d.plan.toml")
    whole = oc.load(plan)
    (copy,) = tmp_path.glob("deliveries.*.csv")
    given, data = server.given["/deliveries.csv"], copy.read_bytes()
    copy.write_bytes(data[: len(data) // 2])
    assert oc.load(plan).equals(whole)
    assert copy.read_bytes() == data
    assert not list(tmp_path.glob(".deliveries*"))
    assert server.given["/deliveries.csv"] == given + 1


FEEDS = ("atom", "rss", "json")


@pytest.mark.parametrize("kind", FEEDS)
def test_the_entries_of_a_feed_are_cases_under_the_same_names(server, kind):
    address = f"{server.address}/news.{kind}"
    found = oc.load(address)
    assert found["title"].values.to_pylist()[-1] == "Notice 1"
    assert found["id"].values.to_pylist()[-1] == "notice-1"
    assert set(found["categories"].values.to_pylist()) == {"mill"}
    when = found["updated" if kind == "atom" else "published"]
    assert when.variable.type == "datetime"
    assert str(when.values[-1].as_py()) == "2025-11-04 09:00:00+00:00"
    again = oc.load(oc.draft(address))
    assert len(again) > len(found)
    assert again.receipt.imbalances() == []


ENTRIES = {
    "atom": (
        '<feed xmlns="http://www.w3.org/2005/Atom" xmlns:m="http://m.example"><entry><title>A</title>'
        '<link rel="enclosure" href="a.csv"/><link href="a.html"/><author><name>Ana</name>'
        "<email>a@b</email></author><author><name>Bo</name></author><m:acid>0.4</m:acid>"
        '<content type="xhtml"><div>two <b>words</b></div></content><m:at lat="1.5" long="2"/>'
        "</entry></feed>",
        {
            "title": "A",
            "link": "a.html",
            "enclosure": "a.csv",
            "author": "Ana; Bo",
            "acid": 0.4,
            "content": "two words",
            "at_lat": 1.5,
            "at_long": 2,
        },
    ),
    "rss": (
        '<rss version="2.0"><channel><item><title>A &amp; B</title><link>x</link>'
        "<pubDate>Mon, 06 Oct 2025 10:11:12 +0200</pubDate><guid>g</guid>"
        "<category>a</category><category>b</category><description><![CDATA[<p>hi</p>]]>"
        "</description></item></channel></rss>",
        {"title": "A & B", "link": "x", "id": "g", "categories": "a; b", "summary": "<p>hi</p>"},
    ),
    "a date that is none": (
        "<rss version='2.0'><channel><item><title>A</title><pubDate>soon</pubDate></item></channel>"
        "</rss>",
        {"title": "A", "published": "soon"},
    ),
    "json": (
        '{"version": "https://jsonfeed.org/version/1", "items": [{"id": 7, "authors": '
        '[{"name": "Ana"}, {"url": "u"}], "tags": ["a", "b"], "_more": {"x": 1}, "content_html": '
        '"<p>", "content_text": "t"}]}',
        {
            "id": 7,
            "author": "Ana; u",
            "categories": "a; b",
            "_more": '{"x": 1}',
            "content": "t",
            "content_html": "<p>",
        },
    ),
}


@pytest.mark.parametrize("case", ENTRIES)
def test_what_entries_hold(case):
    text, expected = ENTRIES[case]
    found = oc.load(text.encode())
    assert {name: found[name].values[0].as_py() for name in expected} == expected


NO_FEEDS = {
    "no entries": (b'<feed xmlns="http://www.w3.org/2005/Atom"></feed>', "has no entries"),
    "cut off": (b'<feed xmlns="http://www.w3.org/2005/Atom"><entry>', "not well-formed"),
    "an entity": (
        b'<!DOCTYPE rss [<!ENTITY a "aaaa">]><rss version="2.0"><channel><item>&a;</item></channel>'
        b"</rss>",
        "declares the entity",
    ),
    "json without items": (b'{"version": "https://jsonfeed.org/version/1.1"}', "without items"),
    "broken json": (
        b'{"version": "https://jsonfeed.org/version/1.1", "items": [',
        "not valid JSON",
    ),
}


@pytest.mark.parametrize("case", NO_FEEDS)
def test_what_is_no_whole_feed_is_said(case):
    data, words = NO_FEEDS[case]
    with pytest.raises(oc.OliveCrateError, match=words):
        oc.load(data)


def test_a_set_of_addresses_is_read_and_keeps_no_secret(server):
    addresses = [f"{server.address}/{name}.csv?token=hush" for name in ("deliveries", "moved")]
    found = oc.load(addresses)
    assert len(found.receipt.files) == 2
    assert len(found) == 2 * len(oc.load(addresses[0]))
    shown = (str(found.receipt), repr(found.plan), found.plan.code(), str(oc.files(addresses)))
    assert not any("hush" in text for text in shown)
    assert len(oc.load(found.plan)) == len(found)
