"""A third kind of server: it conforms, and takes the free choices of the RFCs that the stand-ins do not take.

Its own XML (no prefixes for DAV:, comments, CDATA, collections without a slash, one response for several addresses,
missing properties said or not, changes two at a time), ETags with odd characters, paths that are not UTF-8, and no word
of ETags after every second PUT. What answers wrongly does so by a table of faults, request by request.
"""

from __future__ import annotations

import re
import threading
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass, field
from hashlib import sha256
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from secrets import token_hex
from urllib.parse import unquote_to_bytes

from lxml import etree

PAGE = b"<!DOCTYPE html><html><body><form>Sign in</form></body></html>"
SHELL = b"BEGIN:VCALENDAR\r\nVERSION:2.0\r\nPRODID:-//Third//EN\r\nEND:VCALENDAR\r\n"
_OPEN = '<multistatus xmlns="DAV:" xmlns:k="urn:ietf:params:xml:ns:caldav">'
_DAV, _CAL = "{DAV:}", "{urn:ietf:params:xml:ns:caldav}"


@dataclass
class Kept:
    etag: str
    data: bytes
    changed: int


@dataclass
class Answer:
    status: int
    body: bytes = b""
    headers: dict[str, str] = field(default_factory=dict)
    short: bool = False


class Nonces:
    """Signing in by Digest with nonces that are good for one request each (RFC 7616 §3.3, §3.4)."""

    def __init__(self) -> None:
        self.fresh: set[str] = set()
        self.known: set[str] = set()
        self.lock = threading.Lock()
        self.stale = 0

    def refuses(self, method: str, said: str) -> str:
        """What to ask for; "" where a request is signed as it should be."""
        parts = {name: quoted or plain for name, quoted, plain in re.findall(r'(\w+)=(?:"([^"]*)"|([^\s,]+))', said)}
        nonce = parts.get("nonce", "")
        with self.lock:
            first, ours = nonce in self.fresh, nonce in self.known
            self.fresh.discard(nonce)
            self.stale += ours and not first
            if first and parts.get("response") == self._response(method, parts):
                return ""
            new = token_hex(8)
            self.fresh.add(new)
            self.known.add(new)
        more = ", stale=true" if ours and not first else ""
        return f'Digest realm="third", nonce="{new}", qop="auth", algorithm=SHA-256{more}'

    def _response(self, method: str, parts: dict[str, str]) -> str:
        who = _hash("office:third:tern-4")
        what = _hash(f"{method}:{parts['uri']}")
        return _hash(":".join([who, *(parts[x] for x in ("nonce", "nc", "cnonce", "qop")), what]))


def _hash(text: str) -> str:
    return sha256(text.encode()).hexdigest()


@dataclass
class Third:
    """The server's state, and what goes wrong: by fault, for how many requests it still does.

    Attributes:
        overwritten: what a client has written over or deleted, in order.
        drops: properties that are left out of what is written.
        nonces: set where one signs in by Digest, with nonces of which each is good once.
        says: what is answered to some requests whatever they ask, such as to ``PUT /k/b/a.ics`` or to every ``GET``.
    """

    port: int = 0
    objects: dict[bytes, Kept] = field(default_factory=dict)
    gone: dict[bytes, int] = field(default_factory=dict)
    overwritten: list[bytes] = field(default_factory=list)
    faults: dict[str, int] = field(default_factory=dict)
    drops: tuple[str, ...] = ()
    name: str = "Berths"
    clock: int = 1
    puts: int = 0
    ill: bytes = b""
    says: dict[str, Answer] = field(default_factory=dict)
    nonces: Nonces | None = None
    log: list[str] = field(default_factory=list)
    lock: threading.RLock = field(default_factory=threading.RLock)

    @property
    def address(self) -> str:
        return f"http://127.0.0.1:{self.port}/"

    def put(self, name: str, data: bytes) -> None:
        """Somebody else writes an object."""
        self._keep(unquote_to_bytes(name), data)

    def remove(self, name: str) -> None:
        path = unquote_to_bytes(name)
        with self.lock:
            if self.objects.pop(path, None):
                self.clock += 1
                self.gone[path] = self.clock

    def _keep(self, path: bytes, data: bytes) -> Kept:
        with self.lock:
            self.clock += 1
            self.gone.pop(path, None)
            self.objects[path] = Kept(f'"<{self.clock}>&é"', data, self.clock)
            return self.objects[path]

    def strikes(self, fault: str) -> bool:
        with self.lock:
            left = self.faults.get(fault, 0)
            self.faults[fault] = max(0, left - 1)
            return left > 0

    # ---- answering -------------------------------------------------------------------------------

    def answer(self, method: str, path: bytes, headers: dict[str, str], body: bytes) -> Answer:
        self.log.append(f"{method} {path.decode('latin-1')}")
        told = self.says.get(f"{method} {path.decode('latin-1')}") or self.says.get(method)
        if told is not None:
            return told
        if self.nonces is not None:
            refused = self.nonces.refuses(method, headers.get("authorization", ""))
            if refused:
                return Answer(401, headers={"WWW-Authenticate": refused})
        elif "authorization" not in headers:
            return Answer(401, headers={"WWW-Authenticate": 'Basic realm="third"'})
        if path == b"/login":
            return Answer(200, PAGE, {"Content-Type": "text/html"})
        if method == "OPTIONS":
            return Answer(200, headers={"DAV": "1, 3, calendar-access"})
        if path.startswith(b"/k/b/") and path != b"/k/b/":
            return self._object(method, path[5:], headers, body)
        if method == "REPORT":
            return self._report(body)
        if method == "PROPFIND":
            return self._propfind(path, headers.get("depth", "0"))
        if method == "PROPPATCH":
            return self._proppatch()
        return Answer(405)

    def _object(self, method: str, name: bytes, headers: dict[str, str], body: bytes) -> Answer:
        with self.lock:
            there = self.objects.get(name)
            if self.ill and self.ill in name and method != "DELETE":
                return Answer(500)
            if method == "GET":
                return self._got(there)
            if method == "PROPFIND":
                told = _of(_href(name), f"<getetag>{_text(there.etag)}</getetag>") if there else ""
                return _multi(told) if there else Answer(404)
            if method not in ("PUT", "DELETE"):
                return Answer(405)
            if self.strikes("cut before"):
                return Answer(0)
            etag = there.etag if there else ""
            wanted = headers.get("if-match")
            if (wanted and wanted != etag) or ("if-none-match" in headers and there):
                return Answer(412)
            if there and method in ("PUT", "DELETE"):
                self.overwritten.append(there.data)
            lost = self.strikes("cut after")
            if method == "DELETE":
                if there is None:
                    return Answer(404)
                self.remove(name.decode("latin-1"))
                return Answer(0 if lost else 204)
            if self.strikes("keeps nothing"):
                return Answer(201, headers={"ETag": '"never"'})
            if self.strikes("keeps something else"):
                body = re.sub(rb"(?m)^(SUMMARY|LOCATION)[^\n]*\n", b"", body)
            for dropped in self.drops:
                body = re.sub(rb"(?m)^%s[^\n]*\n( [^\n]*\n)*" % dropped.encode(), b"", body)
            kept = self._keep(name, body)
            self.puts += 1
            told = {"ETag": kept.etag} if self.puts % 2 and not self.drops else {}
            return Answer(0) if lost else Answer(204 if there else 201, headers=told)

    def _got(self, there: Kept | None) -> Answer:
        if there is None:
            return Answer(404)
        for fault, said in (("page", PAGE), ("nothing", b""), ("shell", SHELL)):
            if self.strikes(fault):
                return Answer(200, said, {"ETag": there.etag, "Content-Type": "text/calendar"})
        if self.strikes("login"):
            return Answer(302, headers={"Location": "/login"})
        if self.strikes("short"):
            return Answer(200, there.data[: len(there.data) * 3 // 4], {"ETag": there.etag}, short=True)
        return Answer(200, there.data, {"ETag": there.etag, "Content-Type": "text/calendar; charset=utf-8"})

    def _propfind(self, path: bytes, depth: str) -> Answer:
        me = "<resourcetype><collection/></resourcetype><current-user-principal><href>/me</href></current-user-principal>"
        if path == b"/k/b" or path == b"/k/b/":
            inner = _of("/k/b", self._calendar())
            if depth == "1":
                inner += "".join(_of(_href(n), f"<getetag><![CDATA[{k.etag}]]></getetag>") for n, k in self._sorted())
                inner += _of("/k/b/attic", "<resourcetype><collection/></resourcetype>")
            return _multi(inner)
        if path.rstrip(b"/") == b"/k":
            inner = _of("/k", "<resourcetype><collection/></resourcetype>")
            return _multi(inner + (_of("/k/b", self._calendar()) if depth == "1" else ""))
        if path == b"/me":
            home = "<k:calendar-home-set><href><!-- where -->/k</href></k:calendar-home-set>"
            return _multi(_of("/me", f"<displayname>Office</displayname>{home}"))
        return _multi(_of("/", me)) if path == b"/" else Answer(404)

    def _calendar(self) -> str:
        return (
            "<resourcetype><k:calendar/><collection/></resourcetype>"
            f"<displayname>{self.name}<!-- ours --></displayname><sync-token>urn:t:<!-- -->{self.clock}</sync-token>"
            "<supported-report-set><supported-report><report><sync-collection/></report></supported-report>"
            "</supported-report-set>"
        )

    def _sorted(self) -> list[tuple[bytes, Kept]]:
        return sorted(self.objects.items(), key=lambda one: -one[1].changed)

    def _report(self, body: bytes) -> Answer:
        asked = etree.fromstring(body)
        kind = etree.QName(asked).localname
        if kind == "sync-collection":
            return self._changes(asked.findtext(f"{_DAV}sync-token") or "urn:t:0")
        if kind == "calendar-query":
            uid = "".join(str(x) for x in asked.itertext()).strip()
            found = [(n, k) for n, k in self._sorted() if uid.encode() in k.data]
            return _multi("".join(_of(_href(n), f"<getetag>{_text(k.etag)}</getetag>") for n, k in found))
        if self.strikes("expired"):
            return Answer(302, headers={"Location": "/login"})
        hrefs = [e.text or "" for e in asked.iter(f"{_DAV}href")]
        wants = asked.find(f".//{_CAL}calendar-data") is not None
        names = {href: unquote_to_bytes(href)[5:] for href in hrefs}
        if self.ill and any(self.ill in name for name in names.values()):
            return Answer(500)
        lags = self.strikes("lag")
        inner, missing = "", []
        for href in reversed(hrefs):
            there = None if lags else self.objects.get(names[href])
            if there is None:
                missing.append(href)
                continue
            data = there.data
            for fault, said in (("hollow", b""), ("shell", SHELL), ("short", data[: len(data) * 3 // 4])):
                data = said if self.strikes(fault) else data
            shown = f"<k:calendar-data><![CDATA[{data.decode()}]]></k:calendar-data>" if wants else ""
            inner += _of(href, f"{shown}<getetag>{_text(there.etag)}</getetag>")
        if missing:  # one response for all of them (RFC 4918 §14.24)
            inner += f"<response>{''.join(f'<href>{_text(h)}</href>' for h in missing)}<status>HTTP/1.1 404 -</status></response>"
        return _multi(inner)

    def _changes(self, token: str) -> Answer:
        since = int(re.sub(r"\D", "", token) or 0)
        changed = [(k.changed, n, k.etag) for n, k in self.objects.items() if k.changed > since]
        gone = [(at, n, "") for n, at in self.gone.items() if at > since and since]
        page = sorted([*changed, *gone])
        cut, page = len(page) > 2, page[:2]
        inner = "".join(_of(_href(n), f"<getetag>{_text(e)}</getetag>") for _, n, e in page if e)
        left = [_href(n) for _, n, e in page if not e]
        if left:
            inner += f"<response>{''.join(f'<href>{h}</href>' for h in left)}<status>HTTP/1.1 404 -</status></response>"
        if cut:
            inner += "<response><href>/k/b</href><status>HTTP/1.1 507 -</status></response>"
        until = page[-1][0] if cut else self.clock
        return _multi(f"{inner}<sync-token>urn:t:<!-- now -->{until}</sync-token>")

    def _proppatch(self) -> Answer:
        inner = "<propstat><prop><displayname/></prop><status>HTTP/1.1 403 -</status></propstat>"
        inner += "<propstat><prop><k:calendar-description/></prop><status>HTTP/1.1 424 -</status></propstat>"
        return _multi(f"<response><href>/k/b</href>{inner}</response>")


def _text(text: str) -> str:
    return text.replace("&", "&amp;").replace("<", "&lt;")


def _href(name: bytes) -> str:
    return "/k/b/" + "".join(
        chr(b) if chr(b).isascii() and (chr(b).isalnum() or chr(b) in "-._@") else f"%{b:02x}" for b in name
    )


def _of(href: str, properties: str) -> str:
    return (
        f"<response><href>{_text(href)}</href><propstat><prop>{properties}</prop>"
        "<status>HTTP/1.1 200 Yes</status></propstat></response>"
    )


def _multi(inner: str) -> Answer:
    body = f'<?xml version="1.0" encoding="utf-8"?>{_OPEN}{inner}</multistatus>'
    return Answer(207, body.encode(), {"Content-Type": "text/xml"})


def nobody() -> Answer:
    """A principal that names no home."""
    return _multi(_of("/me", "<displayname>Office</displayname>"))


def homes(status: int) -> Answer:
    """A home without calendars, or one that is refused within the answer."""
    if status == 200:
        return _multi(_of("/k", "<resourcetype><collection/></resourcetype>"))
    return _multi(f"<response><href>/k</href><status>HTTP/1.1 {status} -</status></response>")


@contextmanager
def third_server() -> Iterator[Third]:
    """The server, on a free port."""
    state = Third()

    class Handler(BaseHTTPRequestHandler):
        protocol_version = "HTTP/1.1"

        def _all(self) -> None:
            body = self.rfile.read(int(self.headers.get("content-length") or 0))
            headers = {k.lower(): v.encode("latin-1").decode("utf-8", "replace") for k, v in self.headers.items()}
            said = state.answer(self.command, unquote_to_bytes(self.path), headers, body)
            if not said.status:  # the connection is cut
                self.close_connection = True
                return
            self.send_response(said.status)
            for key, value in said.headers.items():
                self.send_header(key, value.encode().decode("latin-1"))
            if said.short:  # its end is the end of the connection
                self.send_header("Connection", "close")
                self.close_connection = True
            else:
                self.send_header("Content-Length", str(len(said.body)))
            self.end_headers()
            self.wfile.write(said.body)

        def log_message(self, *_: object) -> None: ...

        do_GET = do_PUT = do_DELETE = do_OPTIONS = do_PROPFIND = do_PROPPATCH = do_REPORT = do_MKCALENDAR = _all

    server = ThreadingHTTPServer(("127.0.0.1", 0), Handler)
    server.daemon_threads = True
    state.port = server.server_address[1]
    running = threading.Thread(target=server.serve_forever, args=(0.05,), daemon=True)
    running.start()
    try:
        yield state
    finally:
        server.shutdown()
        server.server_close()
        running.join()


#: What goes wrong, as the both-sides runs choose it.
WRONG = ("page", "nothing", "shell", "login", "short", "expired", "hollow", "lag")
FAULTS = (*WRONG, "cut before", "cut after")
