"""The formats a covered clip can be written in: what pictures are encoded with, and what holds them.

Every pair that fits is a format.

A codec or a container more is an entry more in CODECS or CONTAINERS.
"""

from __future__ import annotations

import os
from dataclasses import dataclass, field
from fractions import Fraction
from pathlib import Path

import av

from skiagraph.errors import CannotWriteMedia

# SVT-AV1 writes what it does to the terminal unless its environment says otherwise: errors only.
os.environ.setdefault("SVT_LOG", "1")

# Px of a picture that counts as large: more than 4K.
LARGE_PX = 12_000_000
# Encoder flags: transforms and motion within fields.
_FIELDS = {"flags": "+ildct+ilme"}
_YUV_8_10 = ("yuv420p", "yuv422p", "yuv444p", "yuv420p10le", "yuv422p10le", "yuv444p10le")
# What a film is encoded with where nobody asks for less: by eye like the source (near), a little less at about half the
# size, and for a quick look over a line.
GRADES = {"near": "Near the source", "good": "Good", "small": "Small"}
# Frames a second that MXF counts in (SMPTE ST 377-1 and FFmpeg's table of it).
_STEADY = tuple(
    Fraction(*r)
    for r in (
        (24000, 1001),
        (24, 1),
        (25, 1),
        (30000, 1001),
        (30, 1),
        (48, 1),
        (50, 1),
        (60000, 1001),
        (60, 1),
        (100, 1),
        (120, 1),
    )
)


@dataclass(frozen=True, slots=True)
class Codec:
    """encoder: FFmpeg's name; options: of the encoder; grades: of GRADES, what the encoder is told besides, none where
    the codec sets its own rate; pixel_formats: what it may be given, empty for all it knows; limited_only: its samples
    are always of limited range; interlaced: what it is told besides where the top or the bottom field is first, empty
    for one that cannot keep fields; large: what it is told besides for pictures of more than LARGE_PX, so that it looks
    less far ahead: each picture it holds takes tens of megabytes; hdr: name of the option that takes the mastering
    display; says_aspect: its frames say how wide a pixel is; smallest: width and height px under which it refuses."""

    key: str
    label: str
    encoder: str
    options: dict[str, str] = field(default_factory=dict)
    grades: dict[str, dict[str, str]] = field(default_factory=dict)
    pixel_formats: tuple[str, ...] = ()
    lossless: bool = False
    limited_only: bool = False
    interlaced: dict[str, dict[str, str]] = field(default_factory=dict)
    large: dict[str, str] = field(default_factory=dict)
    hdr: str = ""
    says_aspect: bool = True
    smallest: tuple[int, int] = (2, 2)


@dataclass(frozen=True, slots=True)
class Container:
    """codecs: keys of those it holds; tags: by which it calls some of them; rates: frames a second that it can count
    in, steadily, empty where each frame has a time of its own; sound: codecs of sound that may be copied into it, empty
    for all that fit; sound_rate: the only one it holds, Hz, 0 for any; languages: whether it says which a track is in;
    says_aspect: whether it says how wide a pixel is, with the library as it is (PyAV 18.1 sets none for Matroska and
    MXF)."""

    key: str
    label: str
    suffix: str
    muxer: str
    codecs: tuple[str, ...]
    options: dict[str, str] = field(default_factory=dict)
    tags: dict[str, str] = field(default_factory=dict)
    rates: tuple[Fraction, ...] = ()
    sound: tuple[str, ...] = ()
    sound_rate: int = 0
    languages: bool = True
    says_aspect: bool = True


_DNXHR = dict(limited_only=True, says_aspect=False, smallest=(256, 120))
_PRORES = dict(limited_only=True, interlaced={"top": _FIELDS, "bottom": _FIELDS})

CODECS = {
    c.key: c
    for c in (
        Codec(
            "h264",
            "H.264",
            "libx264",
            {"preset": "medium", "crf": "17"},
            {"near": {}, "good": {"crf": "21"}, "small": {"crf": "25"}},
            _YUV_8_10,
            hdr="x264-params",
            large={"x264-params": "rc-lookahead=8:sync-lookahead=0:threads=2"},
            interlaced={"top": {"x264-params": "tff=1", **_FIELDS}, "bottom": {"x264-params": "bff=1", **_FIELDS}},
        ),
        Codec(
            "h265",
            "H.265",
            "libx265",
            {"preset": "fast", "crf": "19", "x265-params": "log-level=none"},
            {"near": {}, "good": {"crf": "23"}, "small": {"crf": "27"}},
            _YUV_8_10 + ("yuv420p12le", "yuv422p12le", "yuv444p12le"),
            hdr="x265-params",
            large={"x265-params": "log-level=none:rc-lookahead=8:frame-threads=1"},
        ),
        Codec(
            "av1",
            "AV1",
            "libsvtav1",
            {"preset": "8", "crf": "12"},
            {"near": {}, "good": {"crf": "24"}, "small": {"crf": "36"}},
            ("yuv420p", "yuv420p10le"),
            hdr="svtav1-params",
            large={"svtav1-params": "lookahead=8:lp=2"},
            smallest=(64, 64),
            says_aspect=False,
        ),
        Codec(
            "prores",
            "ProRes 422",
            "prores_ks",
            {"profile": "2", "vendor": "apl0"},
            pixel_formats=("yuv422p10le",),
            **_PRORES,
        ),
        Codec(
            "prores-hq",
            "ProRes 422 HQ",
            "prores_ks",
            {"profile": "3", "vendor": "apl0"},
            pixel_formats=("yuv422p10le",),
            **_PRORES,
        ),
        Codec(
            "prores-4444",
            "ProRes 4444",
            "prores_ks",
            {"profile": "4", "vendor": "apl0"},
            pixel_formats=("yuv444p10le",),
            **_PRORES,
        ),
        Codec("dnxhr-sq", "DNxHR SQ", "dnxhd", {"profile": "dnxhr_sq"}, pixel_formats=("yuv422p",), **_DNXHR),
        Codec("dnxhr-hq", "DNxHR HQ", "dnxhd", {"profile": "dnxhr_hq"}, pixel_formats=("yuv422p",), **_DNXHR),
        Codec("dnxhr-hqx", "DNxHR HQX", "dnxhd", {"profile": "dnxhr_hqx"}, pixel_formats=("yuv422p10le",), **_DNXHR),
        Codec(
            "ffv1",
            "FFV1 lossless",
            "ffv1",
            {"level": "3", "slicecrc": "1"},
            lossless=True,
            interlaced={"top": {}, "bottom": {}},
        ),
    )
}

_EDITED = ("prores", "prores-hq", "prores-4444", "dnxhr-sq", "dnxhr-hq", "dnxhr-hqx")

CONTAINERS = {
    c.key: c
    for c in (
        Container("mp4", "MP4", ".mp4", "mp4", ("h264", "h265", "av1"), {"movflags": "+faststart"}, {"h265": "hvc1"}),
        Container("mov", "MOV", ".mov", "mov", ("h264", "h265", *_EDITED), tags={"h265": "hvc1"}),
        Container("mkv", "MKV", ".mkv", "matroska", ("h264", "h265", "av1", "ffv1"), says_aspect=False),
        Container(
            "mxf",
            "MXF",
            ".mxf",
            "mxf",
            (*_EDITED, "ffv1"),
            rates=_STEADY,
            sound=("pcm_s16le", "pcm_s24le"),
            sound_rate=48000,
            languages=False,
            says_aspect=False,
        ),
    )
}


@dataclass(frozen=True, slots=True)
class ExportFormat:
    """One codec in one container. key: its name on the command line and in presets."""

    codec: Codec
    container: Container

    @property
    def key(self) -> str:
        return f"{self.codec.key}-{self.container.key}"

    @property
    def label(self) -> str:
        return f"{self.codec.label} · {self.container.label}"

    @property
    def suffix(self) -> str:
        return self.container.suffix

    @property
    def muxer(self) -> str:
        return self.container.muxer

    @property
    def lossless(self) -> bool:
        return self.codec.lossless

    @property
    def says_aspect(self) -> bool:
        """Whether a film says how wide its pixels are."""
        return self.codec.says_aspect or self.container.says_aspect

    def options_for(self, width: int, height: int, fields: str, grade: str = "near") -> dict[str, str]:
        """What the encoder is told of a film of this size and field order ("top", "bottom" or empty)."""
        large = self.codec.large if width * height > LARGE_PX else {}
        return {
            **self.codec.options,
            **self.codec.grades.get(grade, {}),
            **large,
            **(self.codec.interlaced.get(fields, {}) if fields else {}),
        }

    def pixel_format_for(self, name: str) -> str:
        """The encoder's pixel format that keeps most of the given one: itself where it can be."""
        allowed = self.codec.pixel_formats or tuple(
            f.name for f in av.Codec(self.codec.encoder, "w").video_formats or ()
        )
        plain = {"yuvj420p": "yuv420p", "yuvj422p": "yuv422p", "yuvj444p": "yuv444p"}.get(name, name)
        if plain in allowed:
            return plain
        if av.VideoFormat(plain).is_rgb and self.codec.pixel_formats:
            # Of formats without RGB the one that keeps its colour at every pixel, where there is one.
            depth = "10le" if max(c.bits for c in av.VideoFormat(plain).components) > 8 else ""
            if f"yuv444p{depth}" in allowed:
                return f"yuv444p{depth}"
        best, _ = av.codec.codec.find_best_pix_fmt_of_list(
            [av.VideoFormat(f) for f in allowed], av.VideoFormat(plain), False
        )
        return best.name

    def pixel_format_of_size(self, name: str, width: int, height: int) -> str:
        """The given pixel format, or the one with colour at every pixel where the size is odd and colour is kept for
        pairs of pixels, which encoders refuse. Raises CannotWriteMedia where the format has none, or the size is too
        small for it."""
        if width < self.codec.smallest[0] or height < self.codec.smallest[1]:
            raise CannotWriteMedia(
                f"{self.label} holds pictures from {self.codec.smallest[0]} × {self.codec.smallest[1]} on, and the clip"
                f" has {width} × {height}; choose another format."
            )
        halved = av.VideoFormat(name)
        odd = halved.chroma_width(16) < 16 and width % 2 or halved.chroma_height(16) < 16 and height % 2
        if not odd or not self.codec.pixel_formats:
            return name
        whole = name.replace("420p", "444p").replace("422p", "444p")
        if whole not in self.codec.pixel_formats:
            raise CannotWriteMedia(
                f"{self.label} needs an even width and height, and the clip has {width} × {height}; choose another"
                " format."
            )
        return whole


FORMATS: dict[str, ExportFormat] = {
    f.key: f
    for f in (
        ExportFormat(codec, container)
        for codec in CODECS.values()
        for container in CONTAINERS.values()
        if codec.key in container.codecs
    )
}
# What a file's ending alone asks for.
_BY_SUFFIX = {".mp4": "h264-mp4", ".mov": "prores-mov", ".mkv": "ffv1-mkv", ".mxf": "dnxhr-hqx-mxf"}


def format_named(key: str) -> ExportFormat:
    """The format of a key. Raises CannotWriteMedia."""
    if key not in FORMATS:
        raise CannotWriteMedia(f"“{key}” is not a format; choose one of {', '.join(FORMATS)}.")
    return FORMATS[key]


def format_for(target: Path | str, key: str | None = None) -> ExportFormat:
    """The format of a given key, or the one that a file name's ending asks for. Raises CannotWriteMedia."""
    if key:
        return format_named(key)
    found = _BY_SUFFIX.get(Path(target).suffix.lower())
    if found is None:
        raise CannotWriteMedia(
            f"“{Path(target).name}” does not end in a known format; end it in {', '.join(list(_BY_SUFFIX)[:-1])} or"
            f" {list(_BY_SUFFIX)[-1]}.",
            path=target,
        )
    return FORMATS[found]
