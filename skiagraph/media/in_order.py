"""Times of pictures where a file tells only when they are to be decoded, in the order in which they are shown."""

from __future__ import annotations

import heapq
from collections import deque
from collections.abc import Iterable, Iterator

import av

# AVI numbers its packets as they are to be decoded. What reorders pictures while it decodes gives them the numbers of
# other ones.
_DECODE_TIMES = ("avi",)
_REORDERING = ("h264", "hevc", "mpeg4", "mpeg1video", "mpeg2video", "vc1", "wmv3")
# As far as H.264 and HEVC let a picture be decoded before it is shown (ITU-T H.264, A.3.1: max_dec_frame_buffering).
_FURTHEST = 16


def tells_decode_times(container: str, codec: str) -> bool:
    """Whether the times of a stream's packets may be those of decoding."""
    return container in _DECODE_TIMES and codec in _REORDERING or codec == "mpeg4"


def in_order(pictures: Iterable[av.VideoFrame]) -> Iterator[tuple[av.VideoFrame, int | None]]:
    """Pictures as a decoder shows them, each with the time that is its own by that order, and the one that came with
    it.

    What a decoder gives is in order already; so the first picture has the earliest of all times, and so on. One that
    carries no time goes through as it is.
    """
    waiting: deque[tuple[av.VideoFrame, int]] = deque()
    times: list[int] = []

    def next_one() -> tuple[av.VideoFrame, int]:
        picture, told = waiting.popleft()
        picture.pts = heapq.heappop(times)
        return picture, told

    for picture in pictures:
        if picture.pts is None:
            yield picture, None
            continue
        waiting.append((picture, int(picture.pts)))
        heapq.heappush(times, int(picture.pts))
        if len(waiting) > _FURTHEST:
            yield next_one()
    while waiting:
        yield next_one()
