"""The readers' door: an ASGI application of its own. It knows shares and nothing else, and can write nothing.

Addresses under it: ``s/TOKEN/`` the page, ``s/TOKEN/feed.ics``, ``feed.json`` (jCal), ``busy.ifb``, ``file.ics``,
``entry/KEY.ics``; ``reader/…`` what the page is made of; ``robots.txt``. All links are relative, so that it can stand
behind a proxy under any path.
"""

from __future__ import annotations

import base64
import binascii
import gzip
import hashlib
import secrets
from functools import partial
from pathlib import Path
from urllib.parse import parse_qsl, urlsplit

import structlog
from anyio import CapacityLimiter, to_thread
from argon2 import PasswordHasher
from argon2.exceptions import Argon2Error, InvalidHash
from starlette.types import Receive, Scope, Send

from datebridge.api.packing import takes_gzip
from datebridge.api.public.answers import Answer, ReaderRequest, conditional, send_answer, too_many
from datebridge.api.public.limits import Limit, client_of
from datebridge.api.public.pages import Offer, look_of, render
from datebridge.api.public.refusals import Refusal, refusal_page
from datebridge.api.public.words import language_of
from datebridge.clock import now
from datebridge.core.choices import Form
from datebridge.core.sharing.formats import FORMATS, by_path
from datebridge.core.text.writer import write_calendar
from datebridge.services.accounts import secrets as sealed
from datebridge.services.sharing.addresses import KnownShare, Registry, address_of
from datebridge.services.sharing.plans import day_in, today_in
from datebridge.services.sharing.render_cache import ShareRenderer, colours_of
from datebridge.settings import Settings
from datebridge.store.database import Store
from datebridge.store.shares import Address
from datebridge.store.use import GIVEN, REFUSED, SAME, UseBook

log = structlog.get_logger()
WEB = Path(__file__).resolve().parents[2] / "web" / "reader"
_KINDS = {".css": "text/css; charset=utf-8", ".js": "text/javascript; charset=utf-8", ".woff2": "font/woff2"}
_PAGE = (
    "default-src 'none'; style-src 'self'; style-src-attr 'unsafe-inline'; script-src 'self'; font-src 'self';"
    " img-src 'self' data:; connect-src 'self'; form-action 'self'; base-uri 'none'; frame-ancestors {sites}"
)
#: Longer addresses than any program sends, and more passwords than are ever in use at once.
_LONGEST, _PASSWORDS = 4_000, 5_000


class Door:
    """The application. `store` has been opened to be read; what is counted goes into `book`."""

    def __init__(self, settings: Settings, store: Store, book: UseBook) -> None:
        self.settings, self.store, self.book = settings, store, book
        self.registry, self.renderer = Registry(store), ShareRenderer(store)
        self.clients = Limit(settings.share_client_rate, 10)
        self.shares = Limit(settings.share_rate, 2)
        self.misses = Limit(settings.share_misses / 60, 60)
        self.hasher = PasswordHasher()
        self._salt = secrets.token_bytes(32)
        self._opened: dict[tuple[int, bytes], str] = {}
        self._assets = _assets()
        self._kept_for = 0
        #: Each takes 64 MB for a moment, so few at once.
        self._verifying = CapacityLimiter(2)
        #: The path a proxy has the door under, where it hands it on.
        self._under = urlsplit(settings.share_address).path.rstrip("/")

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] != "http":
            return
        asked = self._asked(scope)
        try:
            answer = await self._answer(scope, asked)
        except Exception:  # whatever happened, no address and no text is told
            log.exception("a reader could not be answered", form=asked.form)
            answer = Answer(500, b"Something went wrong here. Please try again later.")
        kind = SAME if answer.status == 304 else GIVEN if answer.status < 400 else REFUSED
        if asked.form or answer.status >= 400:
            size = len(answer.body) if kind == GIVEN and asked.method != "HEAD" else 0
            self.book.count(now(), asked.share, asked.reader, asked.form, kind, size)
        await send_answer(answer, asked.method, send)

    # ---- who asks, and for what --------------------------------------------------------------------

    def _asked(self, scope: Scope) -> ReaderRequest:
        headers = dict(scope["headers"])
        client = str(scope["client"][0]) if scope.get("client") else ""
        if self.settings.share_proxy and client == self.settings.share_proxy:
            client = headers.get(b"x-forwarded-for", b"").decode("latin-1").rpartition(",")[2].strip() or client
        try:
            query = dict(parse_qsl(scope["query_string"][:_LONGEST].decode("latin-1"), max_num_fields=20))
        except ValueError:
            query = {}
        return ReaderRequest(scope["method"], headers, query, client_of(client))

    async def _answer(self, scope: Scope, asked: ReaderRequest) -> Answer:
        path = scope["path"].removeprefix(scope.get("root_path", "")).removeprefix(self._under).lstrip("/")
        if asked.method not in ("GET", "HEAD"):
            return Answer(405, b"Calendars can only be read here.", headers={"Allow": "GET, HEAD"})
        kind, _, rest = path.partition("/")
        if (kind == "reader" and rest in self._assets) or path == "robots.txt":
            if not self.clients.take(asked.client):
                return too_many("Too many requests at once.", 5)
            return self._asset(rest, asked) if rest else Answer(200, b"User-agent: *\nDisallow: /reader/\n")
        token, slash, what = rest.partition("/")
        if kind != "s" or not token or len(path) > _LONGEST:
            return self._miss(asked)
        self.registry.look()
        if self._kept_for != self.registry.readings:
            self._kept_for = self.registry.readings
            self.renderer.forget(self.registry.live)
        address = self.registry.find(token)
        share = self.registry.shares.get(address.share) if address is not None else None
        if address is None or share is None:
            return self._miss(asked)
        if not self.clients.take(asked.client):  # wrong addresses are counted apart: they keep no reader out
            return too_many("Too many requests at once.", 5)
        asked.share, asked.reader = address.share, address.reader
        if not slash:
            return Answer(307, headers={"Location": f"{token}/"})
        return await self._of_share(share, address, token, what, asked)

    def _miss(self, asked: ReaderRequest) -> Answer:
        if not self.misses.take(asked.client):
            return too_many("Too many unknown addresses. Please wait a minute.", 60)
        return refusal_page(Refusal.UNKNOWN, asked.header(b"accept-language"))

    async def _of_share(
        self, known: KnownShare, address: Address, token: str, what: str, asked: ReaderRequest
    ) -> Answer:
        entry = what.removeprefix("entry/") if what.startswith("entry/") else ""
        form = Form.FILE if entry else by_path(what)
        asked.form = str(form or "")
        refused = self._refused(known, address, form, what, asked)
        if refused is not None:
            return refused
        reader = self.registry.readers[address.reader]
        if reader.password and not await self._opens(address.reader, reader.password, asked):
            return refusal_page(Refusal.PASSWORD, asked.header(b"accept-language"), known)
        if form is None or form is Form.PAGE:
            return await to_thread.run_sync(self._page, known, token, asked)
        if entry:
            return await to_thread.run_sync(self._entry, known, entry.removesuffix(".ics"), asked)
        made = self.renderer.ready(address.share, known.plan, known.version, form, self.registry.state)
        if made is None:
            made = await to_thread.run_sync(self.renderer.made, address.share, known.plan, known.version, form)
        share = known.share
        interval = share.interval if share.fixed_at is None else 0
        return conditional(made, form, share.title, interval, not (reader.name or reader.password), asked)

    def _refused(
        self, known: KnownShare, address: Address, form: Form | None, what: str, asked: ReaderRequest
    ) -> Answer | None:
        refused = partial(refusal_page, accepted=asked.header(b"accept-language"), known=known)
        if address.target:
            return self._moved(address, what) or refused(Refusal.ENDED)
        if address.ended:
            return refused(Refusal.ENDED)
        if known.share.until is not None and known.share.until <= now():
            return refused(Refusal.EXPIRED)
        if form is None or form not in known.share.forms:
            return refused(Refusal.NO_FORM)
        if not self.shares.take(address.share):
            return too_many("Too many requests at once.", 5)
        return None

    def _moved(self, address: Address, what: str) -> Answer | None:
        try:
            target = sealed.unseal(self.settings, address.target)
        except sealed.KeyLost:
            return None
        if target.endswith("/") and by_path(what) is not None:  # another door like this one: the same form there
            target += what
        elif target.startswith("../") and "/" in what:  # from one entry, the way up is longer
            target = "../" * what.count("/") + target
        return Answer(301, headers={"Location": target, "Cache-Control": "no-cache"})

    async def _opens(self, reader: int, digest: str, asked: ReaderRequest) -> bool:
        """Whether a program gives the password (RFC 7617); the user name may be any."""
        scheme, _, given = asked.header(b"authorization").partition(" ")
        if scheme.lower() != "basic" or len(given) > 1_000:
            return False
        try:
            password = base64.b64decode(given.strip(), validate=True).partition(b":")[2]
        except binascii.Error:
            return False
        key = reader, hashlib.blake2b(password, key=self._salt).digest()
        if self._opened.get(key) == digest:
            return True
        if not self.misses.take(asked.client):  # before it is tried: many at once are many
            return False
        if not await to_thread.run_sync(self._verify, digest, password, limiter=self._verifying):
            return False
        self.misses.give_back(asked.client)
        if len(self._opened) > _PASSWORDS:
            self._opened.clear()
        self._opened[key] = digest
        return True

    def _verify(self, digest: str, password: bytes) -> bool:
        try:
            return self.hasher.verify(digest, password)
        except (Argon2Error, InvalidHash):
            return False

    # ---- what is given ---------------------------------------------------------------------------

    def _asset(self, name: str, asked: ReaderRequest) -> Answer:
        data, packed, media, etag = self._assets[name]
        headers = {"ETag": etag, "Cache-Control": "public, max-age=3600", "Vary": "Accept-Encoding"}
        if asked.header(b"if-none-match") == etag:
            return Answer(304, b"", media, headers)
        if packed and takes_gzip(asked.header(b"accept-encoding")):
            return Answer(200, packed, media, {**headers, "Content-Encoding": "gzip"})
        return Answer(200, data, media, headers)

    def _page(self, known: KnownShare, token: str, asked: ReaderRequest) -> Answer:
        share, plan = known.share, known.plan
        page_data = self.renderer.page_data(asked.share, plan, known.version)
        today = today_in(plan.zone)
        feed = address_of(self.settings, token) + FORMATS[Form.FEED].path if Form.FEED in share.forms else ""
        as_of = day_in(share.fixed_at, plan.zone) if share.fixed_at else None
        offer = Offer(
            plan.title,
            plan.zone,
            feed,
            Form.FILE in share.forms,
            share.fixed_at is None,
            as_of,
            colours_of(self.store),
            "../../reader/",
            "",
            share.indexed,
        )
        accepted = asked.header(b"accept-language")
        html = render(page_data, look_of(asked.query, today), offer, today, accepted).encode("utf-8", "replace")
        headers = {
            "Cache-Control": "private, no-cache",
            "Vary": "Accept-Language, Accept-Encoding",
            "Content-Language": language_of(accepted).code,
        }
        if not share.indexed:
            headers["X-Robots-Tag"] = "noindex, nofollow"
        if takes_gzip(asked.header(b"accept-encoding")):
            html, headers["Content-Encoding"] = gzip.compress(html, 5), "gzip"
        sites = " ".join(share.sites) or "'none'"
        return Answer(200, html, "text/html; charset=utf-8", headers, _PAGE.format(sites=sites))

    def _entry(self, known: KnownShare, key: str, asked: ReaderRequest) -> Answer:
        page_data = self.renderer.page_data(asked.share, known.plan, known.version)
        entry = page_data.find(key)
        if entry is None:
            return refusal_page(Refusal.UNKNOWN, asked.header(b"accept-language"))
        texts = [one.redacted.text for one in page_data.series_of(entry)]
        body = b"".join(write_calendar(known.plan.cover.lines, page_data.given.zones, texts))
        headers = {"Content-Disposition": 'attachment; filename="entry.ics"', "Cache-Control": "private, no-cache"}
        return Answer(200, body, FORMATS[Form.FILE].media, headers)

    def close(self) -> None:
        self.book.write_down()
        self.registry.close()
        self.store.close()


def _assets() -> dict[str, tuple[bytes, bytes, str, str]]:
    """What the page is made of: few files, read once; each with its packed form, media type and ETag."""
    assets = {}
    for file in WEB.iterdir() if WEB.is_dir() else ():
        if file.suffix in _KINDS:
            data = file.read_bytes()
            packed = gzip.compress(data, 9, mtime=0) if file.suffix != ".woff2" else b""
            assets[file.name] = data, packed, _KINDS[file.suffix], f'"{hashlib.sha256(data).hexdigest()[:24]}"'
    return assets
