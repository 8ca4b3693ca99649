"""Bodies as they come over the wire: unpacked piece by piece, and counted before they take room."""

from __future__ import annotations

import zlib

from datebridge.connect.errors import Unreachable

_PIECE = 1 << 20
#: The octet a member of gzip begins with.
_MEMBER = 0x1F
#: Either of the two ways a packed body may begin (RFC 1950, RFC 1952), told by its first bytes.
_ANY_HEADER = zlib.MAX_WBITS | 32


class Body:
    """A body that is taken in piece by piece.

    >>> body = Body("", 5, "calendars.example")
    >>> body.add(b"BEGIN"), body.end()
    (None, b'BEGIN')

    Raises:
        Unreachable: if it is packed in a way nobody asked for, damaged, or unpacks to more than `most` bytes.
    """

    def __init__(self, encoding: str, most: int, host: str) -> None:
        self._most, self._host = most, host
        self._data = bytearray()
        names = [name.strip().lower() for name in encoding.split(",") if name.strip().lower() not in ("", "identity")]
        if len(names) > 1 or not set(names) <= {"gzip", "x-gzip", "deflate"}:
            raise Unreachable("answer", f"{host} compresses its answer in a way that was not requested.")
        self._unpacking = zlib.decompressobj(_ANY_HEADER) if names else None
        self._is_gzip = bool(names) and names != ["deflate"]
        # Many servers send "deflate" without the header it should have.
        self._may_be_bare = names == ["deflate"]

    def add(self, piece: bytes) -> None:
        if self._unpacking is None:
            self._keep(piece)
            return
        while piece:
            if self._unpacking.eof:
                # Several members follow one another (RFC 1952 §2.2); what else follows is padding.
                if piece[0] != _MEMBER or not self._is_gzip:
                    return
                self._unpacking = zlib.decompressobj(_ANY_HEADER)
            try:
                self._keep(self._unpacking.decompress(piece, _PIECE))
            except zlib.error as error:
                if not self._may_be_bare:
                    raise self._damaged() from error
                self._unpacking = zlib.decompressobj(-zlib.MAX_WBITS)
                self._may_be_bare = False
                continue
            self._may_be_bare = False
            piece = self._unpacking.unconsumed_tail or self._unpacking.unused_data

    def end(self) -> bytes:
        """The whole of it."""
        if self._unpacking is not None and not self._unpacking.eof:
            raise self._damaged()
        return bytes(self._data)

    def _keep(self, data: bytes) -> None:
        if len(self._data) + len(data) > self._most:
            raise Unreachable(
                "large", f"{self._host} sends more than {max(1, self._most >> 20)} MB, the most that is accepted."
            )
        self._data += data

    def _damaged(self) -> Unreachable:
        return Unreachable("answer", f"{self._host} sends a compressed answer that is damaged.")
