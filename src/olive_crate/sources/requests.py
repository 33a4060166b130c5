"""Requests to servers of the web, and what their answers mean (HTTP/1.1, RFC 9110).

What may pass is tried three times, with growing pauses. Redirects go to http or https only, never
from https back to http, and never from a public host to a private address. A login is sent to the
host that it was given for and to no other.
"""

from __future__ import annotations

import base64
import contextlib
import http.client
import ipaddress
import socket
import ssl
import time
from typing import Any
from urllib.parse import quote, unquote, urljoin, urlsplit, urlunsplit

import msgspec

from ..errors import SourceError
from .addresses import host_of, safe_address

CONNECT_SECONDS, READ_SECONDS = 15.0, 60.0
"""How long to wait for a connection, and for the next bytes."""
TRIES = 3
PAUSE = 0.5
"""Seconds before the second try; each further one waits four times as long."""
PASSING = {408, 425, 429, 500, 502, 503, 504}
"""Answers after which another try may succeed (RFC 9110, 15; RFC 6585)."""
MOVED = {301, 302, 303, 307, 308}
MOST_MOVES = 10
AGENT = "olive-crate"
REASONS = {
    401: "asks for a user and a password",
    403: "refuses this",
    404: "there is nothing at this address",
    410: "was there once, and is gone",
    429: "too many requests; wait and try again",
    500: "the server failed",
}


class Moment(msgspec.Struct, frozen=True):
    """What a server said of a file when it was fetched."""

    address: str
    """As it may be kept."""
    time: str
    """When, in UTC (RFC 3339)."""
    etag: str = ""
    modified: str = ""
    """`Last-Modified`."""


class NotChanged(Exception):
    """The server says that the copy at hand is still the file (304)."""


class Answer:
    """An answer of a server, its body still to be read."""

    def __init__(self, address: str, status: int, headers: Any, body: Any, close: Any) -> None:
        self.address, self.status, self.headers = address, status, headers
        self.body, self.close = body, close


def asked(address: str, start: int, known: Moment | None, same: str | None) -> Answer:
    """The answer to a request, after redirects and, where that may help, further tries."""
    for number in range(TRIES):
        try:
            answer = _followed(address, start, known, same)
        except (OSError, http.client.HTTPException) as error:
            if number == TRIES - 1 or isinstance(error, ssl.SSLCertVerificationError):
                raise SourceError(f"{safe_address(address)}: {why(error)}") from None
        else:
            if answer.status not in PASSING or number == TRIES - 1:
                return _good(answer, address)
            answer.close()
        time.sleep(PAUSE * 4**number)
    raise AssertionError


def _good(answer: Answer, address: str) -> Answer:
    """The answer, where it is one with a body. Raises `SourceError` for any other."""
    status = answer.status
    if status in (200, 206):
        return answer
    answer.close()
    if status == 304:
        raise NotChanged
    phrase = http.client.responses.get(status, "no standard status")
    reason = f"; {REASONS[status]}" if status in REASONS else ""
    raise SourceError(f"{safe_address(address)}: the server answers {status} {phrase}{reason}")


def _followed(address: str, start: int, known: Moment | None, same: str | None) -> Answer:
    first, at = urlsplit(address), address
    private = _is_private(first.hostname or "")
    for _ in range(MOST_MOVES):
        answer = _once(at, start, known, same, with_login=host_of(at) == host_of(address))
        target = answer.headers.get("Location")
        if answer.status not in MOVED or not target:
            return answer
        answer.close()
        new = urljoin(at, target)
        parts, old = urlsplit(new), urlsplit(at)
        if parts.scheme not in ("http", "https") or (old.scheme, parts.scheme) == ("https", "http"):
            raise SourceError(
                f"{safe_address(address)}: is redirected to {safe_address(new)}, which is not "
                "followed; name that address if you trust it"
            )
        if not private and _is_private(parts.hostname or ""):
            raise SourceError(
                f"{safe_address(address)}: is redirected to a private address, which is "
                "not followed"
            )
        at = new
    raise SourceError(f"{safe_address(address)}: is redirected over {MOST_MOVES} times")


def _once(
    address: str, start: int, known: Moment | None, same: str | None, with_login: bool
) -> Answer:
    """One request and its answer."""
    parts = urlsplit(address)
    if parts.scheme not in ("http", "https") or not parts.hostname:
        raise SourceError(f"{safe_address(address)}: not an address of the web")
    made: http.client.HTTPConnection
    if parts.scheme == "https":
        context = ssl.create_default_context()
        made = http.client.HTTPSConnection(
            parts.hostname, parts.port, timeout=CONNECT_SECONDS, context=context
        )
    else:
        made = http.client.HTTPConnection(parts.hostname, parts.port, timeout=CONNECT_SECONDS)
    path = urlunsplit(("", "", quote(parts.path or "/", safe="/%:@!$&'()*+,;=~"), "", ""))
    path += f"?{quote(parts.query, safe='/%:@!$&()*+,;=?~')}" if parts.query else ""
    try:
        made.connect()
        made.sock.settimeout(READ_SECONDS)
        made.request("GET", path, headers=_headers(parts, start, known, same, with_login))
        answer = made.getresponse()
    except BaseException:
        made.close()
        raise
    return Answer(address, answer.status, answer.headers, answer, made.close)


def _headers(
    parts: Any, start: int, known: Moment | None, same: str | None, with_login: bool
) -> dict[str, str]:
    headers = {"User-Agent": AGENT, "Accept": "*/*", "Accept-Encoding": "identity"}
    if with_login and parts.username is not None:
        login = f"{unquote(parts.username)}:{unquote(parts.password or '')}"
        headers["Authorization"] = f"Basic {base64.b64encode(login.encode()).decode('ascii')}"
    if start:
        headers["Range"] = f"bytes={start}-"
        headers["If-Range"] = same or ""
    if known is not None and known.etag:
        headers["If-None-Match"] = known.etag
    elif known is not None and known.modified:
        headers["If-Modified-Since"] = known.modified
    return headers


def _is_private(host: str) -> bool:
    """Is this a host of this machine or of a network of its own?"""
    if host.lower() in ("localhost", "") or host.lower().endswith((".localhost", ".local")):
        return True
    try:
        found = {each[4][0] for each in socket.getaddrinfo(host, None)}
    except OSError:
        return False
    with contextlib.suppress(ValueError):
        return any(
            not ipaddress.ip_address(str(each).partition("%")[0]).is_global for each in found
        )
    return True


def why(error: BaseException) -> str:
    """What went wrong with a request, in words."""
    if isinstance(error, ssl.SSLCertVerificationError):
        return f"the certificate of the server is not trusted ({error.verify_message})"
    if isinstance(error, TimeoutError):
        return "no answer in time"
    if isinstance(error, socket.gaierror):
        return "there is no such host"
    if isinstance(error, ConnectionRefusedError):
        return "the host refuses the connection"
    if isinstance(error, http.client.HTTPException):
        return "the answer is no HTTP, or was cut off"
    return getattr(error, "strerror", None) or str(error) or type(error).__name__
