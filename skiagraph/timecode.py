"""Frame numbers as timecode and back, from the source's own start, non-drop and drop-frame.

Source: SMPTE ST 12-1. Drop-frame counts skip the first two numbers of each minute but every tenth at a nominal 30, four
at 60, so that the count keeps step with the clock at 29.97 and 59.94 frames per second.
"""

from __future__ import annotations

import re
from dataclasses import dataclass
from fractions import Fraction

from skiagraph.errors import SkiagraphError

_TEXT = re.compile(r"(\d+)[:.;](\d+)[:.;](\d+)([:.;])(\d+)")


# Rates that are usual, as people write them.
USUAL_RATES = ("23.976", "24", "25", "29.97", "30", "50", "59.94", "60")


def rate_of(text: str) -> Fraction:
    """Frames a second from a number or a fraction; 23.976, 29.97, 59.94 and 119.88 mean so many thousandths of 1001.

    Raises ValueError.
    """
    try:
        rate = Fraction(text.strip().replace(",", "."))
    except ZeroDivisionError:
        raise ValueError(f"{text} is no rate") from None
    whole = Fraction(round(rate * 1001 / 1000) * 1000, 1001)
    rate = whole if rate.denominator != 1 and abs(rate - whole) < Fraction(1, 100) else rate
    if not Fraction(1, 100) <= rate <= 1000:
        raise ValueError(f"{text} is no rate")
    return rate.limit_denominator(1_000_000)


@dataclass(frozen=True, slots=True)
class Timecode:
    """How the frames of a clip are counted. fps: nominal whole rate; first: count of the clip's frame 0; drop:
    drop-frame."""

    fps: int
    first: int = 0
    drop: bool = False

    @staticmethod
    def of(rate: Fraction | float, start: str = "") -> Timecode:
        """The counting of a clip by its rate and its own start, as HH:MM:SS:FF or, where frames are dropped,
        HH:MM:SS;FF.

        A start that does not read as a timecode counts from zero.
        """
        fps = max(1, round(float(rate)))
        found = _TEXT.fullmatch(start.strip())
        if not found:
            return Timecode(fps)
        drop = found[4] in ";." and fps in (30, 60)
        hours, minutes, seconds, frames = (int(found[n]) for n in (1, 2, 3, 5))
        if minutes > 59 or seconds > 59 or frames >= fps:
            return Timecode(fps)
        return Timecode(fps, _count(hours, minutes, seconds, frames, fps, drop), drop)

    def text(self, frame: int) -> str:
        """Frame number of the clip as HH:MM:SS:FF; past 24 hours it begins anew, as clocks do."""
        count = self.first + frame
        sign, count = ("-", -count) if count < 0 else ("", count)
        if self.drop:
            count = _with_dropped(count, self.fps)
        seconds, rest = divmod(count, self.fps)
        hours = seconds // 3600 % 24 if self.first else seconds // 3600
        return f"{sign}{hours:02d}:{seconds // 60 % 60:02d}:{seconds % 60:02d}{';' if self.drop else ':'}{rest:02d}"

    def frame(self, text: str) -> int:
        """Frame number of the clip from HH:MM:SS:FF, from any shorter tail of it, which counts from the clip's first
        frame, or from a plain frame number. Raises SkiagraphError for anything else."""
        parts = re.split(r"[:;]", text.strip())
        if not 1 <= len(parts) <= 4 or not all(re.fullmatch(r"\d+", part) for part in parts):
            raise SkiagraphError(f"“{text}” is not a timecode; write it as {self.text(112)} or as a frame number.")
        if len(parts) == 1:
            return int(parts[0])
        hours, minutes, seconds, frames = [0] * (4 - len(parts)) + [int(part) for part in parts]
        if minutes > 59 or seconds > 59 or frames >= self.fps:
            raise SkiagraphError(
                f"“{text}” is not a timecode at {self.fps} frames per second; frames run from 00 to {self.fps - 1:02d}."
            )
        if self.drop and len(parts) == 4:
            return _count(hours, minutes, seconds, frames, self.fps, True) - self.first
        count = ((hours * 60 + minutes) * 60 + seconds) * self.fps + frames
        return count - (self.first if len(parts) == 4 else 0)


def _count(hours: int, minutes: int, seconds: int, frames: int, fps: int, drop: bool) -> int:
    """Frames from 00:00:00:00; a number that drop-frame skips is taken for the next that exists."""
    total = hours * 60 + minutes
    if drop and seconds == 0 and minutes % 10 and frames < fps // 15:
        frames = fps // 15
    count = (total * 60 + seconds) * fps + frames
    return count - fps // 15 * (total - total // 10) if drop else count


def _with_dropped(count: int, fps: int) -> int:
    """The number shown for a count of frames when numbers are dropped."""
    skip = fps // 15
    ten, minute = fps * 600 - 9 * skip, fps * 60 - skip
    tens, rest = divmod(count, ten)
    count += 9 * skip * tens
    return count + skip * ((rest - skip) // minute) if rest > skip else count


def format_timecode(frame: int, rate: Fraction | float, start: str = "") -> str:
    """Frame number as timecode, counted from the source's start."""
    return Timecode.of(rate, start).text(frame)


def parse_timecode(text: str, rate: Fraction | float, start: str = "") -> int:
    """Frame number of a timecode. Raises SkiagraphError."""
    return Timecode.of(rate, start).frame(text)
