"""What the store's queries share."""

from __future__ import annotations

import json
from collections.abc import Iterable, Iterator, Sequence
from itertools import islice
from typing import Any, TypeVar

from sqlalchemy import Select, func, select

Item = TypeVar("Item")


def among(values: Iterable[Any]) -> Select[tuple[Any]]:
    """Any number of ids or names as something to be IN: one bound value, so that no statement is too long."""
    listed = func.json_each(json.dumps(list(values))).table_valued("value")
    return select(listed.c.value)


def chunks(items: Iterable[Item], size: int = 500) -> Iterator[Sequence[Item]]:
    """So many at a time."""
    iterator = iter(items)
    while chunk := list(islice(iterator, size)):
        yield chunk
