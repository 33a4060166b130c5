"""Reports: one file that fetches nothing, says what the library says, and escapes what it shows."""

from __future__ import annotations

import base64
import hashlib
import re
import shutil
from html.parser import HTMLParser

import pytest
from conftest import browser

import olive_crate as oc
from olive_crate.demo.walk import write_demo

VOID = {"meta", "input", "br", "link", "hr", "img"}


class Page(HTMLParser):
    """The tags, texts and identifiers of a page, which has to be well formed."""

    def __init__(self, text: str) -> None:
        super().__init__()
        self.open: list[str] = []
        self.tags: list[tuple[str, dict]] = []
        self.texts: list[str] = []
        self.feed(text)
        self.close()
        assert not self.open

    def handle_starttag(self, tag, attrs):
        self.tags.append((tag, dict(attrs)))
        if tag not in VOID:
            self.open.append(tag)

    def handle_startendtag(self, tag, attrs):
        self.tags.append((tag, dict(attrs)))

    def handle_endtag(self, tag):
        assert self.open.pop() == tag

    def handle_data(self, data):
        if self.open and self.open[-1] not in ("script", "style"):
            self.texts.append(data)

    @property
    def text(self) -> str:
        return " ".join(" ".join(self.texts).split())


@pytest.fixture(scope="module")
def folder(tmp_path_factory):
    made = tmp_path_factory.mktemp("demo")
    write_demo(made)
    return made


def page_of(dataset: oc.Dataset, tmp_path, **options) -> tuple[Page, str]:
    dataset.report(tmp_path / "r.html", replace=True, **options)
    text = (tmp_path / "r.html").read_text("utf-8")
    return Page(text), text


@pytest.mark.parametrize(
    "name", ["deliveries_2025.csv", "deliveries.plan.toml", "survey.plan.toml", "panel_2025.xlsx"]
)
def test_a_report_is_whole_and_fetches_nothing(folder, tmp_path, name):
    path = folder / name
    dataset = oc.load(oc.Plan.read(path) if name.endswith("toml") else path)
    page, text = page_of(dataset, tmp_path)
    for _, attributes in page.tags:
        assert not {"src", "srcset", "action", "style", "onclick"} & set(attributes)
        target = attributes.get("href", "#")
        assert target.startswith("#")
    assert not re.search(r"url\(|@import|fetch\(|XMLHttp", text)
    known = [attributes["id"] for _, attributes in page.tags if "id" in attributes]
    assert len(known) == len(set(known))
    links = [each["href"][1:] for tag, each in page.tags if tag == "a"]
    assert set(links) <= set(known)
    articles = [each for tag, each in page.tags if tag == "article"]
    assert len(articles) == len(dataset.names)
    assert all(
        name.lower() in each["data-find"]
        for name, each in zip(dataset.names, articles, strict=True)
    )
    pictures = [each for tag, each in page.tags if tag == "svg"]
    assert len(pictures) >= len(dataset.names)
    assert all(each["role"] == "img" and each["aria-label"] for each in pictures)
    assert {tag for tag, _ in page.tags} >= {"header", "nav", "main", "footer", "h1"}
    assert f"{dataset.rows:,}" in page.text
    for finding in dataset.check():
        assert finding.kind in page.text
    for point in dataset.receipt.decided:
        assert point.certain or point.answered or "Open points" in page.text
    for label in filter(None, (each.label for each in dataset.variables)):
        assert label in page.text


def test_the_content_policy_allows_the_own_style_and_script_alone(folder, tmp_path):
    _, text = page_of(oc.load(folder / "panel_2025.xlsx"), tmp_path)
    policy = re.search(r'http-equiv="Content-Security-Policy" content="([^"]+)"', text)[1]
    assert policy.startswith("default-src 'none'; ")
    for tag in ("style", "script"):
        (body,) = re.findall(f"<{tag}>(.*?)</{tag}>", text, re.DOTALL)
        digest = base64.b64encode(hashlib.sha256(body.encode()).digest()).decode()
        assert f"{tag}-src 'sha256-{digest}'" in policy.replace("&#39;", "'")


EVIL = "<script>alert(1)</script>"


def test_names_labels_and_cells_are_escaped_and_made_visible(tmp_path):
    data = f'id;"{EVIL}";t\u202eurn\n' + "".join(
        f'{n};"<b onload=x>{n % 3}</b>";\u202e\x1b[31m{n % 4}\n' for n in range(60)
    )
    dataset = oc.load(data.encode(), delimiter=";", encoding="utf-8")
    dataset = dataset.declare("id", label=f"\"{EVIL}'&", meanings={1: "<i>one"})
    page, text = page_of(dataset, tmp_path, title=EVIL)
    assert [tag for tag, _ in page.tags if tag == "script"] == ["script"]
    assert not [tag for tag, _ in page.tags if tag in ("b", "i")]
    assert "\u202e" not in text and "\x1b" not in text
    assert EVIL in page.text


def test_a_report_without_cells_has_no_text_of_any_cell(tmp_path):
    """Numbers, words, dates, marks, codes, problems: none of them, in whatever part of the page."""
    rows = [
        f"zq{n};{7771 + n};word{n % 4}qx;2031-0{1 + n % 9}-17;{n % 5 if n % 11 else 'markqx'};"
        f"{'noteqx' if n == 3 else n % 97 + 0.125}"
        for n in range(80)
    ]
    data = "id;number;word;day;score;mixed\n" + "\n".join(rows) + "\nTotalqx;;;;;\n"
    dataset = oc.load(
        data.encode(),
        delimiter=";",
        missing=["markqx"],
        types={"mixed": "number"},
        variables={"score": {"meanings": {1: "low", 2: "high"}}},
        rows={"closing": "keep"},
    )
    page, text = page_of(dataset, tmp_path)
    assert "noteqx" in text and "2031-01-17" in text
    page, text = page_of(dataset, tmp_path, no_cells=True)
    shown = re.sub(r"<style>.*?</style>|<script>.*?</script>", "", text, flags=re.DOTALL)
    for token in ("qx", "zq", "2031", "777", "7850", "0.125", "96.125"):
        assert token not in shown, token
    assert "low" in page.text and "holds no text of any cell" in page.text
    assert all(name in page.text for name in dataset.names)


def test_the_command_writes_reports_of_files_packed_datasets_and_crates(here, folder, tmp_path):
    work = tmp_path
    shutil.copytree(folder, work, dirs_exist_ok=True)
    done = here("report", "survey.plan.toml", "-o", "one.html", "--title", "Survey")
    assert done.returncode == 0 and re.fullmatch(r"wrote one.html \(\d+ kB\)\n", done.stdout)
    again = here("report", "survey.plan.toml", "-o", "one.html")
    assert again.returncode == 1 and "already exists; use --replace" in again.stderr
    here("pack", "survey.plan.toml", "-o", "s.parquet")
    assert here("report", "s.parquet", "-o", "two.html").returncode == 0
    here("crate", "new", "mill", "--title", "The mill")
    here("crate", "add", "survey.plan.toml", "--crate", "mill")
    here("crate", "add", "deliveries.plan.toml", "--crate", "mill")
    here("crate", "refresh", "--crate", "mill")
    assert here("report", "mill", "-o", "three.html").returncode == 0
    page = Page((work / "three.html").read_text("utf-8"))
    assert page.text.startswith("mill") or "The mill" in page.text
    assert {"survey", "deliveries"} <= set(page.text.split())
    wrong = here("report", "survey.plan.toml", "-o", "nowhere/x.html")
    assert wrong.returncode == 1 and "nowhere" in wrong.stderr


def test_empty_and_bare_datasets_have_reports(tmp_path):
    for data in (b"a;b\n", b"a;b\n;\n;\n;\n", b"a\n1\n"):
        page, _ = page_of(oc.load(data, delimiter=";"), tmp_path)
        assert "The checks found nothing." in page.text or "Findings" in page.text


def test_shares_of_missing_cells_and_frequencies_are_those_of_the_library(folder, tmp_path):
    dataset = oc.load(oc.Plan.read(folder / "survey.plan.toml"))
    page, text = page_of(dataset, tmp_path)
    made = dataset.counts("replant")
    for row in made.rows:
        assert f"{row.cases:,}" in page.text
    entry = dataset.codebook()["replant"]
    for reason, count in entry.missing.items():
        assert f"{reason} {count}" in page.text
    patterns = dataset.missing_patterns([n for n in dataset.names if dataset[n].is_missing().any()])
    assert f"{patterns.patterns[0].count} (" in page.text
    pairs = re.findall(r"<title>(\w+), (\w+): (-?[\d.]+)</title>", text)
    found = dataset.correlations()
    assert pairs and all(
        abs(found[one, other] - float(value)) <= 0.0051 for one, other, value in pairs
    )


@pytest.mark.skipif(not shutil.which("chromium"), reason="Chromium is not installed")
def test_a_browser_finds_nothing_to_complain_about(folder, tmp_path):
    """Its console stays empty; with another policy it would not."""
    oc.load(folder / "panel_2025.xlsx").report(tmp_path / "good.html")
    text = (tmp_path / "good.html").read_text("utf-8")
    (tmp_path / "bad.html").write_text(re.sub("script-src [^;]+;", "", text), "utf-8")
    told = {name: console(tmp_path / f"{name}.html", tmp_path) for name in ("good", "bad")}
    assert told["good"] == [] and told["bad"]


def console(page, folder) -> list[str]:
    """What a browser's console says of a page."""
    told = ("--enable-logging=stderr", "--v=1", "--virtual-time-budget=2000")
    done = browser(page, folder / "profile", *told)
    return [line for line in done.stderr.splitlines() if "CONSOLE" in line]


def test_a_report_on_some_cases_says_which(folder, here, tmp_path):
    done = here(
        "report", folder / "panel_2025.xlsx", "-o", "some.html", "--where", "[Panel Fruity] > 4"
    )
    assert done.returncode == 0, done.stderr
    text = (tmp_path / "some.html").read_text("utf-8")
    assert "where [Panel Fruity] &gt; 4" in text and "that were read" in text
    oc.Crate.new(tmp_path / "crate")
    refused = here("report", "crate", "-o", "all.html", "--where", "[Panel Fruity] > 4")
    assert refused.returncode == 1 and "not of a crate" in refused.stderr
