"""Where the links of an entry lead."""

from __future__ import annotations

import re
from functools import lru_cache


def links_to(text: str, host: str) -> bool:
    """Whether anything in a text links to a host, or to one beneath it.

    >>> links_to("URL:https://Papers.Old.example/1", "old.example"), links_to("TZID:/old.example/Oslo", "old.example")
    (True, False)
    """
    return _pattern(host.lower()).search(text) is not None


@lru_cache(maxsize=64)
def _pattern(host: str) -> re.Pattern[str]:
    return re.compile(rf"://(?:[^\s/@?#]*@)?(?:[\w-]+\.){{0,8}}{re.escape(host)}(?![\w-]|\.\w)", re.IGNORECASE)
