"""A small server on this machine alone that plays the web: for trying things out, and for tests.

    /                          a page with two tables
    /deliveries.csv            delimited text
    /documents/panel/view      the page of a published workbook; its link leads to the file
    /documents/panel/export.xlsx
    /news.atom, /news.rss, /news.json      a feed that has a further entry each time
    /slow.csv, /cut.csv, /unsteady.csv, /error.csv, /busy.csv, /gone.csv, /members.csv, /moved.csv,
    /to-file.csv, /round.csv   ways to fail, or nearly

Files have an ETag, and are given in ranges (RFC 9110, 13 and 14).
"""

from __future__ import annotations

import base64
import hashlib
import json
import re
import threading
import time
from collections import Counter
from collections.abc import Iterator
from contextlib import contextmanager
from datetime import UTC, datetime, timedelta
from email.utils import format_datetime
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from importlib.resources import files
from typing import Any

HOST = "127.0.0.1"
TYPES = {
    "csv": "text/csv; charset=cp1252",
    "html": "text/html; charset=utf-8",
    "xlsx": "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet",
    "atom": "application/atom+xml",
    "rss": "application/rss+xml",
    "json": "application/feed+json",
}
DATA = {
    "/": "harvest.html",
    "/harvest.html": "harvest.html",
    "/deliveries.csv": "deliveries_2025.csv",
    "/documents/panel/export.xlsx": "panel_2025.xlsx",
    **dict.fromkeys(
        (
            *("/slow.csv", "/cut.csv", "/unsteady.csv", "/busy.csv", "/members.csv"),
            "/no-ranges.csv",
        ),
        "deliveries_2025.csv",
    ),
}
"""What lies at an address, as a file of the demo data."""
SHOWN = (
    *("/harvest.html", "/deliveries.csv", "/documents/panel/view", "/news.atom", "/news.rss"),
    *("/news.json", "/slow.csv", "/cut.csv", "/error.csv", "/gone.csv", "/members.csv"),
)
"""Addresses that are named when the server starts."""
LOGIN = "grower:olives"
"""The user and the password that `/members.csv` asks for."""
VIEW = b"""<!doctype html><title>Panel 2025</title>
<p>This page only shows the document: <a href="export.xlsx">take the workbook</a>.</p>"""
FIRST_DAY = datetime(2025, 11, 3, 8, 0, tzinfo=UTC)


class DemoServer(ThreadingHTTPServer):
    """The server, with what it was asked."""

    daemon_threads = True

    def __init__(self, port: int = 0) -> None:
        super().__init__((HOST, port), _Handler)
        self.asked: Counter[str] = Counter()
        self.given: Counter[str] = Counter()
        """Bodies that were sent, by address."""
        self.changed = b""
        """Put behind the delimited file, to play a file that changes."""

    @property
    def address(self) -> str:
        """Where it answers."""
        return f"http://{HOST}:{self.server_address[1]}"

    def handle_error(self, request: Any, client_address: Any) -> None:
        """A client that goes away is no error of the server."""

    def body(self, path: str) -> bytes | None:
        """What lies at a path; `None` where there is nothing."""
        if path in ("/news.atom", "/news.rss", "/news.json"):
            return _feed(path.rpartition(".")[2], 3 + self.asked[path])
        if path == "/documents/panel/view":
            return VIEW
        if path not in DATA:
            return None
        held = (files("olive_crate.demo") / "data" / DATA[path]).read_bytes()
        return held + self.changed if path == "/deliveries.csv" else held


class _Handler(BaseHTTPRequestHandler):
    server: DemoServer
    protocol_version = "HTTP/1.1"

    def log_message(self, *_: Any) -> None:
        """Nothing is printed."""

    def do_GET(self) -> None:
        path = self.path.partition("?")[0]
        self.server.asked[path] += 1
        if self._misbehaves(path):
            return
        body = self.server.body(path)
        if body is None:
            self._short(404, b"nothing here")
            return
        etag = f'"{hashlib.sha256(body).hexdigest()[:16]}"'
        if self.headers.get("If-None-Match") == etag:
            self._short(304, b"", {"ETag": etag})
            return
        self.server.given[path] += 1
        self._send(path, body, etag)

    def _send(self, path: str, body: bytes, etag: str) -> None:
        start, status = 0, 200
        asked = re.fullmatch(r"bytes=(\d+)-", self.headers.get("Range", ""))
        ranges = path != "/no-ranges.csv"
        if asked and ranges and self.headers.get("If-Range") in (None, etag):
            start, status = int(asked[1]), 206
        self.send_response(status)
        name = DATA.get(path, path).rpartition(".")[2]
        self.send_header("Content-Type", TYPES.get(name, "text/html"))
        self.send_header("Content-Length", str(len(body) - start))
        self.send_header("ETag", etag)
        if ranges:
            self.send_header("Accept-Ranges", "bytes")
        if status == 206:
            self.send_header("Content-Range", f"bytes {start}-{len(body) - 1}/{len(body)}")
        self.end_headers()
        self._write(path, body[start:], start)

    def _write(self, path: str, body: bytes, start: int) -> None:
        """Send a body, all of it unless the address is one that fails."""
        half = len(body) // 2
        if path == "/slow.csv":
            for at in range(0, len(body), 1 + len(body) // 8):
                self.wfile.write(body[at : at + 1 + len(body) // 8])
                self.wfile.flush()
                time.sleep(0.15)
            return
        broken = path in ("/cut.csv", "/no-ranges.csv") or (path == "/unsteady.csv" and not start)
        self.wfile.write(body[:half] if broken else body)
        self.close_connection = broken

    def _misbehaves(self, path: str) -> bool:
        """Answer with what is no file; true where that was all."""
        if path == "/error.csv" or (path == "/busy.csv" and self.server.asked[path] % 2):
            self._short(500 if path == "/error.csv" else 503, b"out of order")
        elif path == "/members.csv" and not self._is_member():
            self._short(401, b"members only", {"WWW-Authenticate": 'Basic realm="members"'})
        elif path == "/moved.csv":
            self._short(302, b"", {"Location": "/deliveries.csv"})
        elif path == "/to-file.csv":
            self._short(302, b"", {"Location": "file:///etc/hosts"})
        elif path == "/round.csv":
            self._short(302, b"", {"Location": "/round.csv"})
        else:
            return False
        return True

    def _is_member(self) -> bool:
        login = base64.b64encode(LOGIN.encode()).decode("ascii")
        return self.headers.get("Authorization") == f"Basic {login}"

    def _short(self, status: int, body: bytes, more: dict[str, str] | None = None) -> None:
        self.send_response(status)
        for name, value in {"Content-Length": str(len(body)), **(more or {})}.items():
            self.send_header(name, value)
        self.end_headers()
        if status != 304:
            self.wfile.write(body)


def _feed(kind: str, count: int) -> bytes:
    """So many notices of the mill, the newest first."""
    entries = [(n, FIRST_DAY + timedelta(days=n, hours=n % 5)) for n in range(count, 0, -1)]
    if kind == "json":
        items = [
            {
                "id": f"notice-{n}",
                "title": f"Notice {n}",
                "date_published": when.isoformat(),
                "tags": ["mill"],
                "_tonnes": 40 + n * 3,
            }
            for n, when in entries
        ]
        feed = {
            "version": "https://jsonfeed.org/version/1.1",
            "title": "The mill",
            "items": items,
        }
        return json.dumps(feed).encode()
    if kind == "rss":
        inner = "".join(
            f"<item><title>Notice {n}</title><guid>notice-{n}</guid>"
            f"<pubDate>{format_datetime(when)}</pubDate><category>mill</category></item>"
            for n, when in entries
        )
        return (
            f'<rss version="2.0"><channel><title>The mill</title>{inner}</channel></rss>'.encode()
        )
    inner = "".join(
        f"<entry><id>notice-{n}</id><title>Notice {n}</title><updated>{when.isoformat()}</updated>"
        f'<author><name>The mill</name></author><category term="mill"/>'
        f"<tonnes>{40 + n * 3}</tonnes></entry>"
        for n, when in entries
    )
    head = '<?xml version="1.0"?><feed xmlns="http://www.w3.org/2005/Atom"><title>The mill</title>'
    return f"{head}{inner}</feed>".encode()


@contextmanager
def serving(port: int = 0) -> Iterator[DemoServer]:
    """A server that answers while it is needed; on any free port if the one asked for is taken."""
    try:
        server = DemoServer(port)
    except OSError:
        server = DemoServer()
    thread = threading.Thread(target=server.serve_forever, args=(0.05,), daemon=True)
    thread.start()
    try:
        yield server
    finally:
        server.shutdown()
        server.server_close()
        thread.join()
