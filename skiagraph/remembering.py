"""Remembering what was made from values that do not change, by their identity, within a bound of memory.

An entry goes when one of the values it was made from is gone, or when others need its room more.
"""

from __future__ import annotations

import threading
import weakref
from collections import OrderedDict
from collections.abc import Callable, Hashable
from typing import TypeVar

T = TypeVar("T")


class Remembered:
    """Results by the identity of some values and a key. most_bytes: about how much the results may take together, as
    `size` tells.

    May be shared between threads; two that want the same at once may both make it.
    """

    def __init__(self, most_bytes: int, size: Callable[[object], int] = lambda made: getattr(made, "nbytes", 256)):
        self._most, self._size, self._held = most_bytes, size, 0
        self._entries: OrderedDict[Hashable, tuple[object, int, tuple]] = OrderedDict()
        self._lock = threading.RLock()

    def get(self, values: tuple[object, ...], key: Hashable, make: Callable[[], T]) -> T:
        """What was made of these values under this key, or made now."""
        place = (*map(id, values), key)
        with self._lock:
            entry = self._entries.get(place)
            if entry is not None:
                self._entries.move_to_end(place)
                return entry[0]
        made = make()
        size = self._size(made) + 128
        with self._lock:
            if place not in self._entries:
                refs = tuple(
                    weakref.ref(v, lambda _, p=place, me=weakref.ref(self): (lambda s: s and s._forget(p))(me()))
                    for v in values
                )
                self._entries[place] = made, size, refs
                self._held += size
                while self._held > self._most and len(self._entries) > 1:
                    self._forget(next(iter(self._entries)))
        return made

    def _forget(self, place: Hashable) -> None:
        with self._lock:
            entry = self._entries.pop(place, None)
            if entry is not None:
                self._held -= entry[1]

    @property
    def held_bytes(self) -> int:
        return self._held

    def __len__(self) -> int:
        return len(self._entries)
