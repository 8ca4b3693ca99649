"""Who asks: Basic (RFC 7617) and Digest (RFC 7616), as a server checks them.

>>> door = Door("Lantern", {"ida": "tern"}.get)
>>> door.person("Basic aWRhOnRlcm4=", "GET"), door.person("", "GET")
('ida', '')
"""

from __future__ import annotations

import base64
import hashlib
import re
import secrets
from collections import Counter
from collections.abc import Callable

_PART = re.compile(r'(\w+)=(?:"((?:[^"\\]|\\.)*)"|([^\s,]+))')
_HASHES = {"SHA-256": hashlib.sha256, "MD5": hashlib.md5}
#: How many requests one nonce is good for; and how many nonces are remembered.
_USES, _REMEMBERED = 64, 1024


def token_of(name: str, password: str) -> str:
    """The access token of somebody with a password; "" without one."""
    return f"{name}.{hashlib.blake2b(password.encode(), digest_size=12).hexdigest()}" if password else ""


class Door:
    """Lets people in by their passwords.

    Args:
        password: finds somebody's.
    """

    def __init__(self, realm: str, password: Callable[[str], str | None]) -> None:
        self.realm, self._password = realm, password
        self._nonces: Counter[str] = Counter()

    def challenges(self, digest: bool, basic: bool, tokens: bool = False, metadata: str = "") -> list[str]:
        """WWW-Authenticate values, one a scheme; the strongest does not come first, as on many servers.

        `metadata` says where it tells its sign-on host (RFC 9728 §5.1).
        """
        offered = [f'Basic realm="{self.realm}", charset="UTF-8"'] if basic else []
        where = f', resource_metadata="{metadata}"' if metadata else ""
        offered += [f'Bearer realm="{self.realm}"{where}'] if tokens else []
        if digest:
            if len(self._nonces) > _REMEMBERED:
                self._nonces.clear()
            nonce = secrets.token_hex(16)
            self._nonces[nonce] = 0
            offered += [
                f'Digest realm="{self.realm}", qop="auth", algorithm={name}, nonce="{nonce}"'
                for name in ("MD5", "SHA-256")
            ]
        return offered

    def person(
        self, authorization: str, method: str, digest: bool = True, basic: bool = True, tokens: bool = False
    ) -> str:
        """Who sent a request; "" where that cannot be told, or the password or token is wrong."""
        scheme, _, rest = authorization.partition(" ")
        if scheme.lower() == "bearer" and tokens:
            name, _, password = rest.partition(".")
            return name if secrets.compare_digest(token_of(name, self._password(name) or ""), rest) and password else ""
        if scheme.lower() == "basic" and basic:
            return self._basic(rest)
        if scheme.lower() == "digest" and digest:
            return self._digest({m[0].lower(): m[1] or m[2] for m in _PART.findall(rest)}, method)
        return ""

    def _basic(self, token: str) -> str:
        try:
            name, _, password = base64.b64decode(token).decode().partition(":")
        except ValueError:
            return ""
        kept_password = self._password(name)
        return (
            name
            if kept_password is not None and secrets.compare_digest(kept_password.encode(), password.encode())
            else ""
        )

    def _digest(self, fields: dict[str, str], method: str) -> str:
        name, nonce = fields.get("username", ""), fields.get("nonce", "")
        password, make = self._password(name), _HASHES.get(fields.get("algorithm", "MD5").upper())
        if password is None or make is None or nonce not in self._nonces or self._nonces[nonce] >= _USES:
            return ""
        self._nonces[nonce] += 1

        def hashed(text: str) -> str:
            return make(text.encode()).hexdigest()

        own = hashed(f"{name}:{self.realm}:{password}")
        what = hashed(f"{method}:{fields.get('uri', '')}")
        middle = ":".join(fields.get(part, "") for part in ("nonce", "nc", "cnonce", "qop"))
        return name if secrets.compare_digest(hashed(f"{own}:{middle}:{what}"), fields.get("response", "")) else ""
