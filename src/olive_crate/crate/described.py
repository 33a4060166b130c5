"""What lies beside the data of a sealed crate: metadata in open standards, and a page for people.

CSVW: "Metadata Vocabulary for Tabular Data", W3C Recommendation of 17 December 2015; a table group
(5.3) with foreign keys (5.9). DDI-Codebook 2.5: one `fileDscr` for each table, and variables that
name it.
"""

from __future__ import annotations

import json
from collections.abc import Mapping
from html import escape

from ..dataset.crates import Relation
from ..dataset.model import PlainDataset
from ..declaration.csvw_terms import CONTEXT
from ..errors import several
from ..formats.csvw import column_word, csvw_table
from ..formats.ddi import codebook_of
from .model import CrateFile

STYLE = """
body { font: 16px/1.5 system-ui, sans-serif; max-width: 60rem; margin: 2rem auto; padding: 0 1rem;
  color: #222; background: #fff }
table { border-collapse: collapse; margin: 0.5rem 0 1.5rem; width: 100% }
th, td { text-align: start; padding: 0.2rem 0.8rem 0.2rem 0; border-bottom: 1px solid #ddd;
  vertical-align: top }
th { font-weight: 600 }
.number { text-align: end }
@media (prefers-color-scheme: dark) { body { color: #ddd; background: #1b1b1b }
  th, td { border-color: #444 } a { color: #9cc4ff } }
"""


def table_group(
    tables: Mapping[str, PlainDataset], relations: tuple[Relation, ...], title: str, texts: bool
) -> bytes:
    """CSVW metadata of all tables, with their relations as foreign keys."""
    made = []
    for name, dataset in tables.items():
        url = f"text/{name}.csv" if texts else f"{name}.csv"
        table, _ = csvw_table(dataset, url, (",", "."), "utf-8", "codes")
        table["tableSchema"].update(_foreign(name, relations, texts))
        made.append(table)
    group = {"@context": CONTEXT, "tables": made}
    if title:
        group["dc:title"] = title
    return (json.dumps(group, ensure_ascii=False, indent=2) + "\n").encode("utf-8")


def _foreign(name: str, relations: tuple[Relation, ...], texts: bool) -> dict[str, object]:
    """The foreign keys of a table (5.9)."""
    keys = [
        {
            "columnReference": list(map(column_word, each.variables)),
            "reference": {
                "resource": f"text/{each.to_table}.csv" if texts else f"{each.to_table}.csv",
                "columnReference": list(map(column_word, each.to_variables)),
            },
        }
        for each in relations
        if each.table == name
    ]
    return {"foreignKeys": keys} if keys else {}


def codebook_xml(tables: Mapping[str, PlainDataset], title: str) -> bytes:
    """One codebook for all tables."""
    files = [(f"{name}.csv", each) for name, each in tables.items()]
    return codebook_of(files, title or "Datasets").encode("utf-8")


def readme_html(tables: Mapping[str, PlainDataset], crate: CrateFile, texts: bool) -> bytes:
    """What is in the archive, for a person with a browser."""
    title = escape(crate.title or "Datasets that belong together")
    body = [
        f"<h1>{title}</h1>",
        "<p>Each table lies in <code>packed/</code> as a Parquet file"
        + (", in <code>text/</code> as delimited text (RFC 4180)" if texts else "")
        + ". Labels, units, types, codes and relations are described in "
        '<a href="csvw-metadata.json">csvw-metadata.json</a> (CSV on the Web) and '
        '<a href="codebook.ddi.xml">codebook.ddi.xml</a> (DDI-Codebook 2.5); how each table was '
        "read from its source is written in <code>plans/</code>. In the Parquet files, a column "
        "with the ending <code>_reason</code> says why a cell of another one is missing.</p>",
        "<p>The folder above this one is a bag after RFC 8493: "
        "<code>manifest-sha256.txt</code> lists the checksum of every file.</p>",
        *_relations_html(crate.relations),
    ]
    for name, dataset in tables.items():
        body += _table_html(name, dataset, crate.tables[name].packed, texts)
    page = (
        f'<!doctype html>\n<html lang="en">\n<head>\n<meta charset="utf-8">\n<title>{title}</title>'
        '\n<meta name="viewport" content="width=device-width">\n'
        '<meta http-equiv="Content-Security-Policy" content="default-src \'none\'; '
        "style-src 'unsafe-inline'\">\n"
        f"<style>{STYLE}</style>\n</head>\n<body>\n<main>\n" + "\n".join(body)
    )
    return (page + "\n</main>\n</body>\n</html>\n").encode("utf-8")


def _relations_html(relations: tuple[Relation, ...]) -> list[str]:
    if not relations:
        return []
    rows = "".join(
        f"<li>every <code>{escape(', '.join(each.variables))}</code> of "
        f"{escape(each.table)} is a <code>{escape(', '.join(each.to_variables))}</code> of "
        f"{escape(each.to_table)}</li>"
        for each in relations
    )
    return ["<h2>Relations</h2>", f"<ul>{rows}</ul>"]


def _table_html(name: str, dataset: PlainDataset, packed: str, texts: bool) -> list[str]:
    links = [f'<a href="{escape(packed)}">Parquet</a>']
    if texts:
        links.append(f'<a href="text/{escape(name)}.csv">text</a>')
    head = "<tr><th>variable<th>label<th>type<th>unit<th>missing codes</tr>"
    rows = [
        f"<tr><td>{escape(each.name)}<td>{escape(each.label or '')}<td>{each.type or 'text'}"
        f"<td>{escape(each.unit or '')}"
        f"<td>{escape('; '.join(f'{code}: {code.why}' for code in each.missing))}</tr>"
        for each in dataset.variables
    ]
    return [
        f"<h2>{escape(name)}</h2>",
        f"<p>{several(dataset.rows, 'case')}, {several(len(dataset.variables), 'variable')}; "
        f"{', '.join(links)}</p>",
        f"<table>{head}{''.join(rows)}</table>",
    ]
