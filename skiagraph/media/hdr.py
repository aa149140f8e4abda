"""What high dynamic range footage says of the display it was graded on, and of its own light: read from its frames,
told to encoders.

Sources: SMPTE ST 2086 (mastering display), CTA-861.3 (content light level); the memory layout is that of FFmpeg's
AVMasteringDisplayMetadata and AVContentLightMetadata.
"""

from __future__ import annotations

import struct
from dataclasses import dataclass

import av

# Units of the encoders that count in whole numbers: chromaticity, and candela per square metre.
_CHROMA, _LIGHT = 50_000, 10_000


@dataclass(frozen=True, slots=True)
class Mastering:
    """primaries: x, y of red, green, blue and white; darkest, brightest: of the display, cd/m²; most, mean: of the
    content, cd/m², 0 where it is not said."""

    primaries: tuple[tuple[float, float], ...] = ()
    darkest: float = 0.0
    brightest: float = 0.0
    most: int = 0
    mean: int = 0

    def __bool__(self) -> bool:
        return bool(self.primaries or self.most)

    def is_like(self, other: Mastering) -> bool:
        """Whether it says the same, as far as encoders write numbers."""
        here, there = (
            sum(value.primaries, ())
            + (value.darkest, value.brightest / 10_000, value.most / 10_000, value.mean / 10_000)
            for value in (self, other)
        )
        return len(here) == len(there) and all(abs(a - b) < 1e-3 for a, b in zip(here, there))

    def told(self, option: str) -> str:
        """What an encoder's option takes, as name=value:name=value."""
        return _NOTATIONS[option](self)


def mastering_of(frame: av.VideoFrame) -> Mastering:
    """What a decoded frame says."""
    try:
        raw = {data.type.name: bytes(data) for data in frame.side_data}
    except ValueError:
        # Side data of a kind that PyAV 18.1 does not know, as Exif.
        return Mastering()
    primaries, light, most, mean = (), (0.0, 0.0), 0, 0
    if len(known := raw.get("MASTERING_DISPLAY_METADATA", b"")) >= 88:
        numbers = struct.unpack("<22i", known[:88])
        if not any(d == 0 for d in numbers[1:20:2]):
            values = [n / d for n, d in zip(numbers[0:20:2], numbers[1:20:2])]
            primaries = tuple(zip(values[0:8:2], values[1:8:2])) if numbers[20] else ()
            light = (values[8], values[9]) if numbers[21] else light
    if len(known := raw.get("CONTENT_LIGHT_LEVEL", b"")) >= 8:
        most, mean = struct.unpack("<2I", known[:8])
    return Mastering(primaries, *light, most, mean)


def _in_whole_numbers(value: Mastering) -> str:
    red, green, blue, white = (f"({round(x * _CHROMA)},{round(y * _CHROMA)})" for x, y in value.primaries)
    return f"G{green}B{blue}R{red}WP{white}L({round(value.brightest * _LIGHT)},{round(value.darkest * _LIGHT)})"


def _as_decimals(value: Mastering) -> str:
    red, green, blue, white = (f"({x:.5f},{y:.5f})" for x, y in value.primaries)
    return f"G{green}B{blue}R{red}WP{white}L({value.brightest:.4f},{value.darkest:.4f})"


def _pairs(display: str, light: str, written, value: Mastering) -> str:
    parts = [f"{display}={written(value)}"] if value.primaries else []
    return ":".join(parts + ([f"{light}={value.most},{value.mean}"] if value.most else []))


_NOTATIONS = {
    "x264-params": lambda value: _pairs("mastering-display", "cll", _in_whole_numbers, value),
    "x265-params": lambda value: _pairs("master-display", "max-cll", _in_whole_numbers, value),
    "svtav1-params": lambda value: _pairs("mastering-display", "content-light", _as_decimals, value),
}
