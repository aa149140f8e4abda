"""A part of a clip, from one frame to another, as a film of its own: its times begin at nothing, its timecode where the
part begins."""

from __future__ import annotations

from dataclasses import dataclass
from fractions import Fraction

from skiagraph.media.clip import ClipInfo
from skiagraph.media.index import FrameIndex
from skiagraph.timecode import Timecode


@dataclass(frozen=True, slots=True)
class Part:
    """Frames first .. last, both included. begins, ends: times in the source, s, of the first frame and after the last.
    timecode: of the first frame, empty where the source has none."""

    first: int
    last: int
    begins: Fraction
    ends: Fraction
    timecode: str = ""

    @staticmethod
    def of(info: ClipInfo, index: FrameIndex, first: int, last: int) -> Part:
        """The part of a clip; its ends are taken back into the clip. Raises ValueError where nothing is left."""
        first, last = max(0, first), min(last, len(index) - 1)
        if first > last:
            raise ValueError("a part has at least one frame")
        begins = Fraction(int(index.pts[first])) * index.time_base
        after = (
            Fraction(int(index.pts[last + 1])) * index.time_base
            if last + 1 < len(index)
            else Fraction(int(index.pts[last])) * index.time_base + 1 / Fraction(info.rate)
        )
        text = Timecode.of(info.rate, info.timecode).text(first) if info.timecode else ""
        return Part(first, last, begins, after, text)

    def __len__(self) -> int:
        return self.last - self.first + 1

    def ticks(self, time_base: Fraction) -> int:
        """When it begins, in ticks of a time base."""
        return round(self.begins / time_base)
