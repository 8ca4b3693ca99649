"""Answers at the readers' door: conditional, packed, in part, and with headers that keep them apart from all else."""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass, field
from email.utils import formatdate, parsedate_to_datetime

from starlette.types import Send

from datebridge.api.packing import takes_gzip
from datebridge.core.choices import Form
from datebridge.core.sharing.formats import FORMATS
from datebridge.services.sharing.render_cache import RenderedForm

_SAFE = (
    (b"x-content-type-options", b"nosniff"),
    (b"referrer-policy", b"no-referrer"),
    (b"cross-origin-resource-policy", b"same-origin"),
    (b"permissions-policy", b"camera=(), geolocation=(), microphone=()"),
)
#: What is no page may load nothing and be in no frame.
NOTHING = "default-src 'none'; frame-ancestors 'none'"
_RANGE = re.compile(r"bytes=(\d{0,18})-(\d{0,18})", re.ASCII)


@dataclass(slots=True)
class ReaderRequest:
    """A request. `share`, `reader` and `form` say what it was for, once that is known; 0 and "" until then."""

    method: str
    headers: Mapping[bytes, bytes]
    query: Mapping[str, str]
    client: str
    share: int = 0
    reader: int = 0
    form: str = ""

    def header(self, name: bytes) -> str:
        return self.headers.get(name, b"").decode("latin-1")


@dataclass(slots=True)
class Answer:
    """What is sent. `policy` is its content security policy."""

    status: int
    body: bytes = b""
    media: str = "text/plain; charset=utf-8"
    headers: dict[str, str] = field(default_factory=dict)
    policy: str = NOTHING


async def send_answer(answer: Answer, method: str, send: Send) -> None:
    """Send it; a HEAD gets all of it but the body (RFC 9110 §9.3.2)."""
    headers = [(name.lower().encode(), value.encode("latin-1", "replace")) for name, value in answer.headers.items()]
    headers += [*_SAFE, (b"content-security-policy", answer.policy.encode())]
    if answer.status != 304:
        headers += [(b"content-type", answer.media.encode()), (b"content-length", str(len(answer.body)).encode())]
    await send({"type": "http.response.start", "status": answer.status, "headers": headers})
    await send({"type": "http.response.body", "body": b"" if method == "HEAD" else answer.body})


def too_many(words: str, seconds: int) -> Answer:
    """It was asked too often (RFC 6585 §4)."""
    return Answer(429, words.encode(), headers={"Retry-After": str(seconds)})


def conditional(
    made: RenderedForm, form: Form, title: str, interval: int, everybody: bool, asked: ReaderRequest
) -> Answer:
    """A form as it is asked for: whole, in part, packed, or not at all where it is still the same (RFC 9110 §13).

    Args:
        interval: for how many seconds it may be taken for fresh; 0 for one that does not change any more.
        everybody: anybody may keep it, also what stands between (RFC 9111 §5.2.2).
    """
    packs = takes_gzip(asked.header(b"accept-encoding")) and len(made.packed) < len(made.body)
    plain, packed = f'"{made.etag}"', f'"{made.etag}-gz"'
    headers = {
        "ETag": packed if packs else plain,
        "Last-Modified": formatdate(made.changed, usegmt=True),
        "Cache-Control": f"{'public' if everybody else 'private'}, max-age={interval or 86_400}",
        "Vary": "Accept-Encoding",
        "Accept-Ranges": "bytes",
        "X-Robots-Tag": "noindex, nofollow",
    }
    if _is_same(made, (plain, packed), asked):
        return Answer(304, b"", FORMATS[form].media, headers)
    if form is Form.FILE:
        name = re.sub(r"[^A-Za-z0-9.-]+", "-", title).strip("-.")[:80] or "calendar"
        headers["Content-Disposition"] = f'attachment; filename="{name}.ics"'
    wanted = asked.header(b"range")
    if wanted and asked.header(b"if-range") in ("", plain):
        headers["ETag"] = plain
        part = _part(wanted, len(made.body))
        if part is not None:
            return _in_part(made.body, part, FORMATS[form].media, headers)
        return Answer(200, made.body, FORMATS[form].media, headers)
    if packs:
        return Answer(200, made.packed, FORMATS[form].media, {**headers, "Content-Encoding": "gzip"})
    return Answer(200, made.body, FORMATS[form].media, headers)


def _is_same(made: RenderedForm, tags: tuple[str, str], asked: ReaderRequest) -> bool:
    text = asked.header(b"if-none-match")
    if text:
        etags = {tag.strip().removeprefix("W/") for tag in text[:2_000].split(",")}
        return "*" in etags or not etags.isdisjoint(tags)
    since = asked.header(b"if-modified-since")
    if not since:
        return False
    try:
        return made.changed <= parsedate_to_datetime(since).timestamp()
    except (ValueError, TypeError, OverflowError):
        return False


def _part(wanted: str, size: int) -> tuple[int, int] | None:
    """From which octet to which, both included; None where one gives the whole, since several parts are asked for."""
    match = _RANGE.fullmatch(wanted.replace(" ", ""))
    if match is None or not (match[1] or match[2]):
        return None
    if not match[1]:
        return max(0, size - int(match[2])), size - 1
    return int(match[1]), min(int(match[2]), size - 1) if match[2] else size - 1


def _in_part(body: bytes, part: tuple[int, int], media: str, headers: dict[str, str]) -> Answer:
    first, last = part
    if first > last or first >= len(body):
        return Answer(416, b"", media, {**headers, "Content-Range": f"bytes */{len(body)}"})
    text = f"bytes {first}-{last}/{len(body)}"
    return Answer(206, body[first : last + 1], media, {**headers, "Content-Range": text})
