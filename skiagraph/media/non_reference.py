"""Which pictures of a stream no other is made from, told from the first bytes of their packets: they may be left out
undecoded.

Sources: ITU-T H.264 clause 7.4.1 (nal_ref_idc), ITU-T H.265 table 7-1 (sub-layer non-reference pictures), ITU-T H.262
clause 6.3.9 (picture_coding_type).
"""

from __future__ import annotations

from collections.abc import Callable, Iterator

_START = b"\0\0\1"
_H262_PICTURE, _H262_B = b"\0\0\1\0", 3
# Types of the parts that hold picture, and of those the ones that nothing is made from.
_H264_SLICES = range(1, 6)
_H265_SLICES, _H265_SPARE = range(0, 32), frozenset((0, 2, 4, 6, 8, 10, 12, 14))


def tells_non_reference(codec: str, extradata: bytes | None) -> Callable[[memoryview], bool] | None:
    """For the packets of a stream, whether one holds a picture that no other is made from.

    None where packets do not tell.
    """
    extra = bytes(extradata or b"")
    if codec == "mpeg2video":
        return _h262_is_spare
    if codec == "h264":
        return lambda packet: _all(
            _parts(packet, _length_size(extra, 4)),
            lambda head: head & 31 in _H264_SLICES,
            lambda head: not head >> 5 & 3,
        )
    if codec == "hevc":
        return lambda packet: _all(
            _parts(packet, _length_size(extra, 21)),
            lambda head: head >> 1 & 63 in _H265_SLICES,
            lambda head: (head >> 1 & 63) in _H265_SPARE,
        )
    return None


def _length_size(extra: bytes, place: int) -> int:
    """Bytes of the length before each part; 0 where start codes stand between them. place: of that number in the
    stream's header."""
    return (extra[place] & 3) + 1 if len(extra) > place and extra[0] == 1 else 0


def _parts(packet: memoryview, length_size: int) -> Iterator[int]:
    """First byte of each part of a packet."""
    if not length_size:
        data = bytes(packet)
        place = data.find(_START)
        while 0 <= place < len(data) - 3:
            yield data[place + 3]
            place = data.find(_START, place + 3)
        return
    place = 0
    while place + length_size < len(packet):
        yield packet[place + length_size]
        place += length_size + int.from_bytes(packet[place : place + length_size], "big")


def _all(heads: Iterator[int], is_slice: Callable[[int], bool], is_non_reference: Callable[[int], bool]) -> bool:
    """True when there is picture in the packet, and nothing is made from any of it: both fields, all layers."""
    slices = [is_non_reference(head) for head in heads if is_slice(head)]
    return bool(slices) and all(slices)


def _h262_is_spare(packet: memoryview) -> bool:
    data = bytes(packet)
    types, place = [], data.find(_H262_PICTURE)
    while 0 <= place < len(data) - 5:
        types.append(data[place + 5] >> 3 & 7)
        place = data.find(_H262_PICTURE, place + 4)
    return bool(types) and all(kind == _H262_B for kind in types)
