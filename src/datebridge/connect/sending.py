"""Requests and answers on the wire, by aiohttp: its parser is written in C, which spares more than half of the work.

Everything above goes on speaking of httpx's requests, answers and errors.
"""

from __future__ import annotations

import ssl
from collections.abc import AsyncIterator, Iterator
from contextlib import contextmanager

import aiohttp
import httpx
from multidict import CIMultiDict
from yarl import URL

#: How long the head of an answer may be, in bytes, a line and in all: some servers name all they can in one header.
_LONGEST_LINE = 100_000
#: What aiohttp would add, and nobody asked for.
_OURS = ("Accept", "Accept-Encoding", "Content-Type", "User-Agent")


class Sending(httpx.AsyncBaseTransport):
    """Sends requests of one host over a few connections that are kept. Each is sent once, whatever becomes of it.

    Args:
        trusted: the certificates that are trusted; None where no request is encrypted.
    """

    def __init__(self, connections: int, trusted: ssl.SSLContext | None) -> None:
        self._session = aiohttp.ClientSession(
            connector=aiohttp.TCPConnector(limit=connections, ssl=trusted or True),
            auto_decompress=False,
            cookie_jar=aiohttp.DummyCookieJar(),
            max_field_size=_LONGEST_LINE,
            max_line_size=_LONGEST_LINE,
            skip_auto_headers=_OURS,
            trust_env=False,
        )
        # It would send a PUT again by itself where a kept connection was closed, and so nobody would know which of
        # the two was answered.
        self._session._retry_connection = False

    async def handle_async_request(self, request: httpx.Request) -> httpx.Response:
        bounds: dict[str, float | None] = request.extensions["timeout"]
        with _as_httpx_has_them():
            answer = await self._session.request(
                request.method,
                URL(str(request.url), encoded=True),
                headers=CIMultiDict((name.decode("latin-1"), value.decode()) for name, value in request.headers.raw),
                data=request.content or None,
                allow_redirects=False,
                server_hostname=request.extensions.get("sni_hostname"),
                proxy=request.extensions.get("proxy"),
                timeout=aiohttp.ClientTimeout(sock_connect=bounds["connect"], sock_read=bounds["read"]),
            )
        version = answer.version or aiohttp.HttpVersion11
        return httpx.Response(
            answer.status,
            headers=list(answer.raw_headers),
            stream=_Content(answer),
            extensions={"http_version": b"HTTP/%d.%d" % version},
        )

    async def aclose(self) -> None:
        await self._session.close()


class _Content(httpx.AsyncByteStream):
    """The content of an answer as it comes; the connection is kept where it was read to its end."""

    def __init__(self, answer: aiohttp.ClientResponse) -> None:
        self._answer = answer

    async def __aiter__(self) -> AsyncIterator[bytes]:
        with _as_httpx_has_them():
            async for piece in self._answer.content.iter_any():
                yield piece

    async def aclose(self) -> None:
        if self._answer.content.at_eof():
            self._answer.release()
        else:
            self._answer.close()


@contextmanager
def _as_httpx_has_them() -> Iterator[None]:
    """What goes wrong, by the names httpx has for it."""
    try:
        yield
    except aiohttp.ClientConnectorCertificateError as error:
        raise httpx.ConnectError(str(error)) from error.certificate_error
    except aiohttp.ClientConnectorError as error:
        raise httpx.ConnectError(str(error)) from error
    except (aiohttp.InvalidURL, aiohttp.NonHttpUrlClientError) as error:
        raise httpx.InvalidURL(str(error)) from error
    except TimeoutError as error:
        raise httpx.ReadTimeout(str(error)) from error
    except (aiohttp.ClientError, OSError) as error:
        raise httpx.ReadError(str(error)) from error
    except (ValueError, UnicodeError) as error:  # a line break in a header, say
        raise httpx.LocalProtocolError(str(error)) from error
