"""Frame numbers as timecode and back. Non-drop counting at the nominal rate."""

from __future__ import annotations

import re
from fractions import Fraction

from skiagraph.errors import SkiagraphError


def format_timecode(frame: int, rate: Fraction | float) -> str:
    """Frame number as HH:MM:SS:FF, counted at the rate rounded to whole frames (29.97 counts as 30, non-drop)."""
    fps = max(1, round(float(rate)))
    sign, frame = ("-", -frame) if frame < 0 else ("", frame)
    seconds, rest = divmod(frame, fps)
    return f"{sign}{seconds // 3600:02d}:{seconds // 60 % 60:02d}:{seconds % 60:02d}:{rest:02d}"


def parse_timecode(text: str, rate: Fraction | float) -> int:
    """Frame number of HH:MM:SS:FF, of any shorter tail of it, or of a plain frame number.

    Raises SkiagraphError for anything else.
    """
    fps = max(1, round(float(rate)))
    parts = text.strip().split(":")
    if not 1 <= len(parts) <= 4 or not all(re.fullmatch(r"\d+", part) for part in parts):
        raise SkiagraphError(f"“{text}” is not a timecode; write it as 00:00:04:12 or as a frame number.")
    if len(parts) == 1:
        return int(parts[0])
    hours, minutes, seconds, frames = [0] * (4 - len(parts)) + [int(part) for part in parts]
    if minutes > 59 or seconds > 59 or frames >= fps:
        raise SkiagraphError(f"“{text}” is not a timecode at {fps} frames per second; frames run from 00 to {fps - 1:02d}.")
    return ((hours * 60 + minutes) * 60 + seconds) * fps + frames
