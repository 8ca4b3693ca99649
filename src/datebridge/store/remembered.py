"""Results remembered until the next batch."""

from __future__ import annotations

import threading
from collections import OrderedDict
from collections.abc import Callable
from typing import Generic, TypeVar

Value = TypeVar("Value")


class Remembered(Generic[Value]):
    """The few results asked for last; keys hold the revision, so what is old is never asked for again.

    Several that ask for the same at once wait for one to make it.
    """

    def __init__(self, most: int) -> None:
        self._most = most
        self._kept: OrderedDict[tuple[object, ...], Value] = OrderedDict()
        self._lock = threading.Lock()
        self._making: dict[tuple[object, ...], threading.Lock] = {}

    def has(self, key: tuple[object, ...]) -> bool:
        """Whether a result is remembered."""
        with self._lock:
            return key in self._kept

    def get(self, key: tuple[object, ...], make: Callable[[], Value]) -> Value:
        with self._lock:
            if key in self._kept:
                self._kept.move_to_end(key)
                return self._kept[key]
            turn = self._making.setdefault(key, threading.Lock())
        with turn:
            with self._lock:
                if key in self._kept:  # somebody else has made it meanwhile
                    return self._kept[key]
            try:
                made = make()
            finally:
                with self._lock:
                    self._making.pop(key, None)
            with self._lock:
                self._kept[key] = made
                while len(self._kept) > self._most:
                    self._kept.popitem(last=False)
            return made
