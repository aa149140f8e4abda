"""Checksums that a codec keeps in its packets: a picture that is not what was written is told from one that is, where
the decoder would only grumble."""

from __future__ import annotations

import zlib
from collections.abc import Callable

# Bytes with their bits in the other order: FFV1 reckons its CRC-32 from the highest bit on, zlib from the lowest.
_TURNED = bytes(int(f"{n:08b}"[::-1], 2) for n in range(256))
# At the end of each slice of FFV1 from version 3 on: its size, in 24 bits, and where there are checksums a byte of
# state and the CRC.
_SIZE, _TRAILER = 3, 8


def teller(codec: str) -> Callable[[bytes], bool] | None:
    """A function that says of one packet after another whether its checksums tell that it is damaged; None for codecs
    without.

    Source: FFV1, RFC 9043, 4.9 (slice footer).
    """
    return _Ffv1() if codec == "ffv1" else None


class _Ffv1:
    """Whether a film has checksums at all is told by its first packet: without them its slices do not end as they would
    with them."""

    def __init__(self):
        self._has_checksums: bool | None = None

    def __call__(self, packet: bytes) -> bool:
        good = _is_whole(packet)
        if self._has_checksums is None:
            self._has_checksums = good
        return self._has_checksums and not good


def _is_whole(packet: bytes) -> bool:
    """True when the packet is slices from end to end, each with a CRC that agrees."""
    end = len(packet)
    while end > 0:
        if end < _TRAILER:
            return False
        size = int.from_bytes(packet[end - _TRAILER : end - _TRAILER + _SIZE], "big") + _TRAILER
        if size > end or zlib.crc32(packet[end - size : end].translate(_TURNED), 0xFFFFFFFF) ^ 0xFFFFFFFF:
            return False
        end -= size
    return True
