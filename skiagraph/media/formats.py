"""The formats a covered clip can be written in."""

from __future__ import annotations

from dataclasses import dataclass, field
from pathlib import Path

import av

from skiagraph.errors import CannotWriteMedia


@dataclass(frozen=True, slots=True)
class ExportFormat:
    """key: name on the command line and in the project; muxer, encoder: FFmpeg's names; pixel_formats: what the encoder
    may be given, empty for all it knows; options: of the encoder; mux_options: of the container; tag: codec tag;
    limited_only: its samples are always of limited range; interlaced: what the encoder is told besides where the top or the bottom
    field is first, empty for one that cannot keep fields; large: what it is told
    besides for pictures of more than LARGE_PX, so that it looks less far ahead: each picture it holds takes tens of megabytes."""

    key: str
    label: str
    suffix: str
    muxer: str
    encoder: str
    options: dict = field(default_factory=dict)
    mux_options: dict = field(default_factory=dict)
    pixel_formats: tuple[str, ...] = ()
    tag: str = ""
    lossless: bool = False
    limited_only: bool = False
    interlaced: dict[str, dict] = field(default_factory=dict)
    large: dict = field(default_factory=dict)

    def pixel_format_for(self, name: str) -> str:
        """The encoder's pixel format that keeps most of the given one: itself where it can be."""
        allowed = self.pixel_formats or tuple(f.name for f in av.Codec(self.encoder, "w").video_formats or ())
        plain = {"yuvj420p": "yuv420p", "yuvj422p": "yuv422p", "yuvj444p": "yuv444p"}.get(name, name)
        if plain in allowed:
            return plain
        if av.VideoFormat(plain).is_rgb and self.pixel_formats:
            # Of formats without RGB the one that keeps its colour at every pixel, where there is one.
            depth = "10le" if max(c.bits for c in av.VideoFormat(plain).components) > 8 else ""
            if f"yuv444p{depth}" in allowed:
                return f"yuv444p{depth}"
        best, _ = av.codec.codec.find_best_pix_fmt_of_list([av.VideoFormat(f) for f in allowed], av.VideoFormat(plain), False)
        return best.name


    def pixel_format_of_size(self, name: str, width: int, height: int) -> str:
        """The given pixel format, or the one with colour at every pixel where the size is odd and colour is kept for pairs of pixels,
        which encoders refuse. Raises CannotWriteMedia where the format has none."""
        halved = av.VideoFormat(name)
        odd = halved.chroma_width(16) < 16 and width % 2 or halved.chroma_height(16) < 16 and height % 2
        if not odd or not self.pixel_formats:
            return name
        whole = name.replace("420p", "444p").replace("422p", "444p")
        if whole not in self.pixel_formats:
            raise CannotWriteMedia(f"{self.label} needs an even width and height, and the clip has {width} × {height}; choose another format.")
        return whole


_YUV_10 = ("yuv420p", "yuv422p", "yuv444p", "yuv420p10le", "yuv422p10le", "yuv444p10le")

# Px of a picture that counts as large: more than 4K.
LARGE_PX = 12_000_000
# Encoder flags: transforms and motion within fields.
_FIELDS = {"flags": "+ildct+ilme"}

FORMATS: dict[str, ExportFormat] = {f.key: f for f in (
    ExportFormat("h264-mp4", "H.264 · MP4", ".mp4", "mp4", "libx264", {"preset": "medium", "crf": "17"}, {"movflags": "+faststart"}, _YUV_10,
                 large={"x264-params": "rc-lookahead=8:sync-lookahead=0:threads=2"}, interlaced={"top": {"x264-params": "tff=1", **_FIELDS}, "bottom": {"x264-params": "bff=1", **_FIELDS}}),
    ExportFormat("h265-mp4", "H.265 · MP4", ".mp4", "mp4", "libx265", {"preset": "fast", "crf": "19", "x265-params": "log-level=none"},
                 {"movflags": "+faststart"}, _YUV_10 + ("yuv420p12le", "yuv422p12le", "yuv444p12le"), "hvc1",
                 large={"x265-params": "log-level=none:rc-lookahead=8:frame-threads=1"}),
    ExportFormat("prores-mov", "ProRes 422 · MOV", ".mov", "mov", "prores_ks", {"profile": "2", "vendor": "apl0"}, {}, ("yuv422p10le",), limited_only=True,
                 interlaced={"top": _FIELDS, "bottom": _FIELDS}),
    ExportFormat("ffv1-mkv", "FFV1 lossless · MKV", ".mkv", "matroska", "ffv1", {"level": "3", "slicecrc": "1"}, lossless=True,
                 interlaced={"top": {}, "bottom": {}}),
)}


def format_for(target: Path | str, key: str | None = None) -> ExportFormat:
    """The format of a given key, or the one that a file name's ending asks for. Raises CannotWriteMedia."""
    if key:
        if key not in FORMATS:
            raise CannotWriteMedia(f"“{key}” is not a format; choose one of {', '.join(FORMATS)}.")
        return FORMATS[key]
    suffix = Path(target).suffix.lower()
    for candidate in FORMATS.values():
        if candidate.suffix == suffix:
            return candidate
    raise CannotWriteMedia(f"“{Path(target).name}” does not end in a known format; end it in .mp4, .mov or .mkv.", path=target)
