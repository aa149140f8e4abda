"""What a file is: streams, size, rate, colour. Opening it turns the library's failures into one sentence."""

from __future__ import annotations

import contextlib
import hashlib
import math
import re
from collections.abc import Iterator
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path

import av
import av.error
import av.filter

from skiagraph.errors import CannotOpenMedia, NameIsNoText
from skiagraph.media.confined import Inside, answered
from skiagraph.media.hdr import Mastering, mastering_of
from skiagraph.media.pictures import CONTAINER, RATE, decoded, open_picture, pictures_at

# A file's identity is that of so many pieces of so many bytes, since whole films are too long to hash at every opening;
# older projects took so many bytes at each end.
SAMPLES, PIECES, PIECE, HASH_SPAN = "samples", 64, 1 << 16, 1 << 20
# That of numbered pictures is of their names and sizes, and of so many bytes in the middle of each.
NUMBERED, MIDDLE = "pictures", 1 << 12
# Code point of ITU-T H.273 that says nothing.
UNSPECIFIED = 2
# AVFieldOrder of FFmpeg by which field is shown first: both coded and shown so, or only shown.
_PROGRESSIVE, _TOP_FIRST, _BOTTOM_FIRST = 1, (2, 5), (3, 4)
# Demuxers that read the film, or the sound, from the one file that was named. All others stay shut: lists that open
# further files (concat, HLS, DASH, SDP, numbered pictures), devices, and those that make a picture out of any text or
# data.
_OF_ONE_FILE = (
    "3g2,3gp,m4a,mj2,mov,mp4,matroska,webm,avi,mpeg,mpegts,mpegtsraw,mpegvideo,mxf,flv,asf,ogg,nut,gxf,lxf,dv,"
    "wtv,rm,ty,dhav,nsv,swf,"
    "gif,apng,yuv4mpegpipe,ivf,obu,av1,h261,h263,h264,hevc,vvc,m4v,mjpeg,dnxhd,dirac,cavsvideo,vc1,"
    "aac,ac3,aiff,amr,au,caf,eac3,flac,mp3,w64,wav,wv"
)
# Endings that films usually have: what a person is offered, and what is looked at in a folder.
FILM_SUFFIXES = (
    ".mp4",
    ".mov",
    ".mkv",
    ".mxf",
    ".avi",
    ".webm",
    ".m4v",
    ".mts",
    ".m2ts",
    ".ts",
    ".mpg",
    ".mpeg",
    ".dv",
    ".wmv",
)
# Px of the largest picture: four times 8K. And bytes of the largest pixel that is known before one is decoded: four
# samples of 16 bits.
LARGEST, MOST_PIXEL_BYTES = 1 << 27, 8
# How lists of other files begin.
_LISTS = (b"ffconcat", b"#EXTM3U", b"<?xml", b"<MPD", b"v=0", b"[playlist]", b"[Reference]", b"<asx")

# FFmpeg's own silent log, not PyAV's: that one takes the interpreter lock in decoder threads, and while this thread
# holds the lock in a seek the two wait for each other for ever (measured with PyAV 18.1.0).
av.logging.restore_default_callback()
av.logging.set_libav_level(av.logging.PANIC)


@dataclass(frozen=True, slots=True)
class SoundInfo:
    """One sound stream. stream: its index in the container."""

    stream: int
    codec: str
    rate: int
    channels: int
    language: str = ""


@dataclass(frozen=True, slots=True)
class ClipInfo:
    """What was found on opening a clip.

    width, height: stored picture, px, before rotation. rotation: degrees clockwise (0, 90, 180, 270) that turn the
    stored picture upright. rate: mean frames per second. time_base: unit of time stamps, seconds. start_pts: of the
    stream. duration_s: as the container claims; picture_s: as it claims for the picture alone, 0 where it does not.
    Colour fields are the ITU-T H.273 code points (2 = unspecified); color_range: 1 limited, 2 full, 0 unspecified.
    fields: which of the two fields of an interlaced picture is first in time, top or bottom; empty where pictures are
    whole. mastering: what footage of high dynamic range says of its display and light.
    """

    path: Path
    container: str
    codec: str
    width: int
    height: int
    rotation: int
    pixel_format: str
    bit_depth: int
    sample_aspect: Fraction
    rate: Fraction
    time_base: Fraction
    start_pts: int
    duration_s: float
    claimed_frames: int
    color_primaries: int
    color_trc: int
    colorspace: int
    color_range: int
    timecode: str
    sound: tuple[SoundInfo, ...]
    file_size: int
    picture_s: float = 0.0
    fields: str = ""
    mastering: Mastering = Mastering()

    @property
    def upright_size(self) -> tuple[int, int]:
        """Width and height as a person sees the clip, in its own px."""
        return (self.height, self.width) if self.rotation in (90, 270) else (self.width, self.height)

    @property
    def upright_aspect(self) -> Fraction:
        """Width of a pixel over its height, in the upright picture."""
        return 1 / self.sample_aspect if self.rotation in (90, 270) else self.sample_aspect


def open_container(path: Path | str) -> av.container.InputContainer:
    """Open a file for reading. Raises CannotOpenMedia with a sentence that says what, where and what to do."""
    path = Path(path)
    NameIsNoText.unless_text(path.absolute())
    if not path.exists():
        raise CannotOpenMedia(f"There is no file {path}; check the name or choose another clip.", path=path)
    if path.is_dir():
        raise CannotOpenMedia(f"{path} is a folder and holds no numbered pictures; choose a clip inside it.", path=path)
    if not path.is_file():
        raise CannotOpenMedia(f"{path} is no plain file but a pipe or a device; save it as a file first.", path=path)
    if _size_of(path) == 0:
        raise CannotOpenMedia(f"{path.name} is empty; copy it again from its source.", path=path)
    try:
        return av.open(
            str(path.absolute()),
            metadata_errors="replace",
            options={"format_whitelist": _OF_ONE_FILE, "protocol_whitelist": "file"},
        )
    except PermissionError as error:
        raise CannotOpenMedia(
            f"{path.name} may not be read; ask its owner for permission to read it.", path=path
        ) from error
    except (av.error.FFmpegError, OSError, ValueError) as error:
        if _begins_a_list(path):
            raise CannotOpenMedia(
                f"{path.name} is a list of other files and holds no picture itself; choose the clips it names.",
                path=path,
            ) from error
        raise CannotOpenMedia(
            f"{path.name} is not a video that can be read: it is of an unsupported kind, or its beginning "
            "is damaged; copy it again or convert it.",
            path=path,
        ) from error


def _begins_a_list(path: Path) -> bool:
    with contextlib.suppress(OSError):
        with open(path, "rb") as file:
            return file.read(64).lstrip().startswith(_LISTS)
    return False


def picture_stream(container, path: Path) -> av.video.stream.VideoStream:
    """The stream that holds the picture; cover pictures of sound files do not count."""
    for stream in container.streams.video:
        if "attached_pic" not in str(stream.disposition).lower():
            if stream.codec_context is None or stream.codec_context.width == 0:
                raise CannotOpenMedia(
                    f"{path.name} holds a kind of picture that cannot be read; convert it first.", path=path
                )
            return stream
    raise CannotOpenMedia(f"{path.name} has no picture in it; choose a file with video.", path=path)


def probe(path: Path | str, rate: Fraction = RATE) -> ClipInfo:
    """What a clip is, found out in a process of its own.

    A folder of numbered pictures, or one of them, is the clip that they make.

    rate: frames a second of numbered pictures, which carry none. Raises CannotOpenMedia.
    """
    path = Path(path).absolute()
    NameIsNoText.unless_text(path)
    pictures = pictures_at(path)
    if pictures is not None:
        with readable(pictures.first):
            size = pictures.size
        return answered(
            serve_probe_of_pictures, pictures.first, size, rate, name=pictures.first.name, error=CannotOpenMedia
        )
    return answered(serve_probe, path, name=path.name, error=CannotOpenMedia)


def serve_probe(inside: Inside, path: Path) -> None:
    """What the process does."""
    for _ in inside.requests():
        inside.answer(_probed(path, inside))


def serve_probe_of_pictures(inside: Inside, first: Path, size: int, rate: Fraction) -> None:
    """What the process does for numbered pictures: all that is to be known of them is in the first."""
    for _ in inside.requests():
        with open_picture(first) as container:
            context = container.streams.video[0].codec_context
            codec = context.name
            _allow(inside, context, first)
        inside.answer(
            _info_of(
                decoded(first), first, container=CONTAINER, codec=codec, rate=rate, time_base=1 / rate, file_size=size
            )
        )


def _allow(inside: Inside, context, path: Path) -> None:
    """Allow the memory that the pictures of a file take. Raises CannotOpenMedia where they are too large."""
    if context.width * context.height > LARGEST:
        raise CannotOpenMedia(
            f"{path.name} says that its picture is {context.width} × {context.height}, which is more than can be worked"
            " on; make it smaller first.",
            path=path,
        )
    inside.allow(MOST_PIXEL_BYTES * context.width * context.height)


def _info_of(first: av.VideoFrame, path: Path, **known) -> ClipInfo:
    """What a clip is by its first frame and what else is known of it."""
    others = dict(sample_aspect=Fraction(1), start_pts=0, duration_s=0.0, claimed_frames=0, timecode="", sound=())
    tags = {name: int(getattr(first, name)) for name in ("color_primaries", "color_trc", "colorspace", "color_range")}
    return ClipInfo(
        path=path,
        width=first.width,
        height=first.height,
        rotation=round(-first.rotation / 90) * 90 % 360,
        pixel_format=first.format.name,
        bit_depth=max((component.bits for component in first.format.components), default=8),
        mastering=mastering_of(first),
        **{**tags, **others, **known},
    )


def _probed(path: Path, inside: Inside) -> ClipInfo:
    with open_container(path) as container:
        stream = picture_stream(container, path)
        context = stream.codec_context
        _allow(inside, context, path)
        # What the container says; frames may say nothing.
        tags = {name: int(getattr(context, name)) for name in ("color_primaries", "color_trc", "colorspace")}
        first = _first_frame(container, stream, path)
        tags = {name: tag for name, tag in tags.items() if int(getattr(first, name)) == UNSPECIFIED}
        rate = stream.average_rate or stream.guessed_rate or stream.base_rate or Fraction(25)
        duration = (
            stream.duration * stream.time_base if stream.duration else Fraction(container.duration or 0, 1_000_000)
        )
        aspect = stream.sample_aspect_ratio or (_aspect_of(first) if context.name == "ffv1" else None) or Fraction(1)
        return _info_of(
            first,
            path,
            container=container.format.name,
            codec=context.name,
            sample_aspect=Fraction(aspect) if aspect > 0 else Fraction(1),
            rate=Fraction(rate),
            time_base=Fraction(stream.time_base),
            start_pts=stream.start_time or 0,
            duration_s=float(duration),
            claimed_frames=stream.frames,
            timecode=_timecode(container, stream),
            fields=_fields_of(context.field_order, first),
            sound=sounds_of(container),
            file_size=_size_of(path),
            picture_s=_tagged_duration(stream),
            **tags,
        )


def sounds_of(container) -> tuple[SoundInfo, ...]:
    """The sound tracks of an open file that can be decoded."""
    return tuple(
        SoundInfo(
            s.index,
            s.codec_context.name,
            s.codec_context.sample_rate,
            s.codec_context.channels,
            s.metadata.get("language", ""),
        )
        for s in container.streams.audio
        if s.codec_context is not None
    )


def _fields_of(order: int, frame: av.VideoFrame) -> str:
    """Which field of an interlaced clip is first in time.

    Where the stream does not say it the frame does, in a flag that PyAV 18.1 does not tell: so a filter is asked to
    take the fields apart, which gives the first one first.
    """
    if order in _TOP_FIRST or order in _BOTTOM_FIRST:
        return "top" if order in _TOP_FIRST else "bottom"
    if order == _PROGRESSIVE or not frame.interlaced_frame:
        return ""
    graph = av.filter.Graph()
    source = graph.add_buffer(
        width=frame.width, height=frame.height, format=frame.format.name, time_base=Fraction(1, 25)
    )
    apart = graph.add("separatefields")
    source.link_to(apart)
    apart.link_to(graph.add("buffersink"))
    try:
        graph.configure()
        graph.push(frame)
        first, whole = (bytes(f.planes[0]) for f in (graph.pull(), frame))
    except av.error.FFmpegError:
        return "top"
    row = frame.planes[0].line_size
    return "top" if first[:row] == whole[:row] or first[:row] != whole[row : 2 * row] else "bottom"


def _size_of(path: Path) -> int:
    with readable(path):
        return path.stat().st_size


def _first_frame(container, stream, path):
    try:
        for frame in container.decode(stream):
            return frame
    except (av.error.FFmpegError, OSError) as error:
        raise CannotOpenMedia(
            f"{path.name} is damaged at 00:00:00:00 and no frame of it can be read; copy it again from its source.",
            path=path,
            time_s=0.0,
        ) from error
    raise CannotOpenMedia(f"{path.name} holds no frame that can be read; copy it again from its source.", path=path)


def _aspect_of(frame: av.VideoFrame) -> Fraction | None:
    """Sample aspect that a frame carries, or None.

    PyAV 18.1 does not tell it, so a filter is asked to widen a line by it.
    """
    graph, line = av.filter.Graph(), 27720
    source = graph.add_buffer(
        width=frame.width, height=frame.height, format=frame.format.name, time_base=Fraction(1, 25)
    )
    widened = graph.add("scale", f"w=trunc({line}*sar):h=2:eval=frame")
    source.link_to(widened)
    widened.link_to(graph.add("buffersink"))
    try:
        graph.configure()
        graph.push(frame)
        return Fraction(graph.pull().width, line)
    except av.error.FFmpegError:
        return None


def _timecode(container, stream) -> str:
    """Start timecode, wherever it is kept; Matroska writes its keys in capitals."""
    for part in (stream, container, *container.streams.data):
        for key, value in part.metadata.items():
            if key.lower() == "timecode":
                return value
    return ""


def _tagged_duration(stream) -> float:
    """Seconds that a Matroska track says it lasts, 0 where it does not say."""
    found = re.fullmatch(r"(\d+):(\d+):(\d+(?:\.\d+)?)", stream.metadata.get("DURATION", ""))
    return int(found[1]) * 3600 + int(found[2]) * 60 + float(found[3]) if found else 0.0


@contextlib.contextmanager
def readable(path: Path) -> Iterator[None]:
    """What goes wrong inside with reading a file becomes CannotOpenMedia: it was there a moment ago."""
    try:
        yield
    except OSError as error:
        raise CannotOpenMedia(
            f"{path.name} cannot be read any more ({error.strerror or error}); put it back where it was.", path=path
        ) from error


def fingerprint(path: Path | str, scheme: str = "") -> str:
    """Identity of a file's contents, as scheme:hex; without a scheme, by the one that new clips get.

    Raises OSError, and ValueError for another scheme.

    "samples": SHA-256 over its size and pieces spread over all of it, ends included, so that another take of the same
    size is told apart though the files begin alike. "ends", of older projects: over its size and its first and last
    mebibyte.
    """
    path = Path(path)
    scheme = scheme or (NUMBERED if pictures_at(path) else SAMPLES)
    if scheme == NUMBERED:
        return f"{scheme}:{_of_pictures(path)}"
    size = path.stat().st_size
    digest = hashlib.sha256(str(size).encode())
    with path.open("rb") as file:
        for start, length in _pieces(size, scheme):
            file.seek(start)
            digest.update(file.read(length))
    return f"{scheme}:{digest.hexdigest()}"


def _of_pictures(path: Path) -> str:
    pictures, digest = pictures_at(path), hashlib.sha256()
    for file in pictures.files if pictures else ():
        size = file.stat().st_size
        digest.update(f"{file.name}|{size}|".encode())
        with file.open("rb") as opened:
            opened.seek(max(0, size // 2 - MIDDLE // 2))
            digest.update(opened.read(MIDDLE))
    return digest.hexdigest()


def _pieces(size: int, scheme: str) -> list[tuple[int, int]]:
    if scheme == "ends":
        return [(0, HASH_SPAN)] + ([(max(HASH_SPAN, size - HASH_SPAN), HASH_SPAN)] if size > HASH_SPAN else [])
    if scheme != SAMPLES:
        raise ValueError(f"{scheme!r} is no way to identify a file")
    if size <= PIECES * PIECE:
        return [(0, size)]
    return [(round(n * (size - PIECE) / (PIECES - 1)), PIECE) for n in range(PIECES)]


def library_versions() -> tuple[tuple[str, str], ...]:
    """What decodes and encodes, with versions: (name, version) each."""
    return (
        ("PyAV", av.__version__),
        *((name, ".".join(str(n) for n in version)) for name, version in sorted(av.library_versions.items())),
    )


def even_time(seconds: float) -> str:
    """Seconds as H:MM:SS for a person."""
    whole = math.floor(seconds + 0.5)
    return f"{whole // 3600}:{whole // 60 % 60:02d}:{whole % 60:02d}"
