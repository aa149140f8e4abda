"""The frame index: from frame number to time stamp and sync sample, made once by reading packets, kept in a cache.

Frame numbers count frames in the order of presentation, from 0. Only this folder knows time stamps.
"""

from __future__ import annotations

import contextlib
import hashlib
import math
import os
import tempfile
import zipfile
from dataclasses import dataclass, field
from fractions import Fraction
from pathlib import Path

import av
import av.error
import numpy as np
import platformdirs

from skiagraph.errors import CannotOpenMedia
from skiagraph.jobs import JobControl
from skiagraph.media.checksums import teller
from skiagraph.media.clip import ClipInfo, open_container, picture_stream, probe, readable
from skiagraph.media.confined import Inside, answered
from skiagraph.media.frame import bytes_of
from skiagraph.media.in_order import in_order, tells_decode_times
from skiagraph.media.non_reference import tells_non_reference
from skiagraph.media.pictures import CONTAINER, RATE, pictures_at
from skiagraph.timecode import format_timecode

# A picture that comes twice, or a little out of order, is left out; times that go back further than this end the film.
BACK_S = 0.15
# Raised when the way an index is made changes; an older cache is then made anew.
CACHE_VERSION = 6


@dataclass(frozen=True, slots=True)
class FrameIndex:
    """pts: int64 (n,) strictly rising, in time_base; sync: bool (n,) true where decoding can begin; non_reference: bool
    (n,) true where it is known that no other frame is made from this one.

    damage: a sentence when the clip is good only up to frame n, otherwise empty. offset: the clip's frame that is its
    first one; of a part.
    """

    pts: np.ndarray
    sync: np.ndarray
    non_reference: np.ndarray
    time_base: Fraction
    damage: str = ""
    offset: int = 0

    def __len__(self) -> int:
        return len(self.pts)

    def time_s(self, frame: int) -> float:
        """Seconds from the first frame to the given one; past the end it goes on at the mean rate."""
        if len(self) < 2:
            return 0.0
        if frame < len(self):
            return float((int(self.pts[frame]) - int(self.pts[0])) * self.time_base)
        mean = (int(self.pts[-1]) - int(self.pts[0])) / (len(self) - 1)
        return float((int(self.pts[-1]) - int(self.pts[0]) + mean * (frame - len(self) + 1)) * self.time_base)

    def frame_at(self, seconds: float) -> int:
        """The frame on screen that many seconds after the first one began."""
        ticks = int(self.pts[0]) + seconds / float(self.time_base) + 0.5
        return int(np.clip(np.searchsorted(self.pts, ticks, side="right") - 1, 0, len(self) - 1))

    def frame_after(self, frame: int, seconds: float) -> int:
        """The frame on screen so many seconds after a frame began, or before it where negative; past the ends it counts
        on at the mean rate."""
        if len(self) < 2:
            return frame
        at, mean = self.time_s(frame) + seconds, self.time_s(len(self)) / len(self)
        if at < 0:
            return math.floor(at / mean)
        return (
            self.frame_at(at) if at < self.time_s(len(self)) else len(self) + int((at - self.time_s(len(self))) / mean)
        )

    @property
    def is_variable(self) -> bool:
        """True when the distances between frames differ by more than rounding explains."""
        steps = np.diff(self.pts)
        return bool(len(steps) and steps.max() - steps.min() > 2)

    def cut(self, frames: int, damage: str) -> FrameIndex:
        """The index of the first frames only, with the reason."""
        return FrameIndex(
            self.pts[:frames], self.sync[:frames], self.non_reference[:frames], self.time_base, damage, self.offset
        )

    def part(self, first: int, last: int) -> FrameIndex:
        """The index of frames from first, or a little before it where decoding can begin, to last, that included."""
        begin = int(np.flatnonzero(self.sync[: first + 1])[-1]) if self.sync[: first + 1].any() else 0
        return FrameIndex(
            self.pts[begin : last + 1],
            self.sync[begin : last + 1],
            self.non_reference[begin : last + 1],
            self.time_base,
            self.damage if last + 1 >= len(self) else "",
            self.offset + begin,
        )


def load_index(info: ClipInfo, control: JobControl | None = None, cache_dir: Path | None = None) -> FrameIndex:
    """The clip's index, from the cache when the file is the same, otherwise made and kept.

    Raises CannotOpenMedia when not one frame is good.
    """
    if info.container == CONTAINER:
        return _of_pictures(info)
    with readable(info.path):
        place = _cache_path(info.path, cache_dir)
    with contextlib.suppress(OSError, KeyError, ValueError, EOFError, zipfile.BadZipFile):
        with np.load(place) as kept:
            return FrameIndex(
                kept["pts"],
                kept["sync"],
                kept["non_reference"],
                Fraction(int(kept["base"][0]), int(kept["base"][1])),
                str(kept["damage"]),
            )
    index = build_index(info, control)
    keep_index(info, index, cache_dir)
    return index


def _of_pictures(info: ClipInfo) -> FrameIndex:
    """Numbered pictures are their own index."""
    pictures = pictures_at(info.path)
    if pictures is None:
        raise CannotOpenMedia(
            f"{info.path.name} and the pictures after it are not there any more; put them back.", path=info.path
        )
    count = len(pictures.files)
    damage = (
        f"{pictures.missing} is missing; the {count} pictures before it can be used. Put it back if the rest matters."
        if pictures.missing
        else ""
    )
    return FrameIndex(np.arange(count), np.ones(count, bool), np.ones(count, bool), info.time_base, damage)


def kept_damage(path: Path, cache_dir: Path | None = None) -> tuple[int, str]:
    """Good frames and the sentence on what is wrong with a file, as far as anybody has read it; (0, "") where nothing
    is known."""
    with contextlib.suppress(OSError, KeyError, ValueError, EOFError, zipfile.BadZipFile):
        with np.load(_cache_path(path, cache_dir)) as kept:
            damage = str(kept["damage"])
            return (len(kept["pts"]), damage) if damage else (0, "")
    return 0, ""


def keep_index(info: ClipInfo, index: FrameIndex, cache_dir: Path | None = None) -> None:
    """Write the index to the cache; a cache that cannot be written is not an error.

    Of numbered pictures none is kept.
    """
    if info.container == CONTAINER:
        return
    with contextlib.suppress(OSError):
        place = _cache_path(info.path, cache_dir)
        place.parent.mkdir(parents=True, exist_ok=True)
        handle, name = tempfile.mkstemp(dir=place.parent, suffix=".npz")
        with os.fdopen(handle, "wb") as file:
            np.savez_compressed(
                file,
                pts=index.pts,
                sync=index.sync,
                non_reference=index.non_reference,
                damage=index.damage,
                base=np.array([index.time_base.numerator, index.time_base.denominator], np.int64),
            )
        os.replace(name, place)


def _cache_path(path: Path, cache_dir: Path | None) -> Path:
    stat = path.stat()
    key = f"{CACHE_VERSION}|{path}|{stat.st_size}|{stat.st_mtime_ns}"
    base = Path(cache_dir) if cache_dir else Path(platformdirs.user_cache_dir("skiagraph")) / "index"
    return base / (hashlib.sha256(key.encode()).hexdigest()[:32] + ".npz")


def build_index(info: ClipInfo, control: JobControl | None = None) -> FrameIndex:
    """Read every packet of the picture once, in a process of its own.

    Falls back to decoding where packets do not tell the frames.

    Raises CannotOpenMedia when not one frame is good, and Cancelled.
    """
    return answered(serve_index, info, name=info.path.name, control=control, error=CannotOpenMedia)


def serve_index(inside: Inside, info: ClipInfo) -> None:
    """What the process does."""
    inside.allow(bytes_of(info))
    for _ in inside.requests():
        inside.answer(_built(info, inside.control))


def _built(info: ClipInfo, control: JobControl) -> FrameIndex:
    by_packets = _from_packets(info, control)
    read = by_packets or _from_decoding(info, control)
    pts, damage = np.array(read.pts, np.int64), read.damage
    order = np.argsort(pts, kind="stable")
    # Where decoding can begin at each picture, each stands alone.
    non_reference = np.array(read.non_reference, bool) if not all(read.sync) else np.ones(len(pts), bool)
    index = FrameIndex(pts[order], np.array(read.sync, bool)[order], non_reference[order], info.time_base)
    if by_packets:
        index = _without_leading(info, index)
    if not len(index):
        raise CannotOpenMedia(
            f"{info.path.name} holds no frame that can be read; copy it again from its source.", path=info.path
        )
    # An edit list hides frames that the container counts, but not in how long it says the picture lasts.
    fewer = (
        info.claimed_frames > len(index) + 2
        and info.claimed_frames * 0.98 > len(index)
        and (info.duration_s <= 0 or _ends_before(index, info.duration_s))
    )
    if not damage and (fewer or _ends_before(index, info.picture_s)):
        damage = "ends early"
    if damage:
        where = format_timecode(len(index), info.rate)
        index = index.cut(
            len(index),
            f"{info.path.name} is damaged at {where}; the {len(index)} frames before it can be used. "
            f"Copy it again from its source if the rest matters.",
        )
    return index


def _ends_before(index: FrameIndex, seconds: float) -> bool:
    """Whether the frames end well before the length that was promised.

    Some count it from zero, wherever the first frame is.
    """
    late = max(0.0, float(int(index.pts[0]) * index.time_base))
    return seconds - index.time_s(len(index)) - late > max(0.3, 0.02 * seconds)


@dataclass(slots=True)
class _Read:
    """What was read of each frame, in the order of the file, and a word for what stopped it early."""

    pts: list[int] = field(default_factory=list)
    sync: list[bool] = field(default_factory=list)
    non_reference: list[bool] = field(default_factory=list)
    damage: str = ""

    def add(self, pts: int, sync: bool, non_reference: bool) -> None:
        self.pts.append(pts)
        self.sync.append(sync)
        self.non_reference.append(non_reference)


def _from_packets(info, control) -> _Read | None:
    """None where packets do not tell the frames."""
    read = _Read()
    with open_container(info.path) as container:
        stream = picture_stream(container, info.path)
        total = info.claimed_frames or None
        tells_damage = teller(info.codec)
        is_non_reference = tells_non_reference(stream.codec_context.name, stream.codec_context.extradata)
        try:
            for packet in container.demux(stream):
                if packet.size == 0 or packet.is_discard:
                    continue
                if packet.is_corrupt or tells_damage is not None and tells_damage(bytes(packet)):
                    read.damage = "corrupt packet"
                    break
                if packet.pts is None:
                    return None
                read.add(
                    packet.pts,
                    packet.is_keyframe,
                    is_non_reference is not None and is_non_reference(memoryview(packet)),
                )
                if len(read.pts) % 256 == 0:
                    control.report("Reading the clip", len(read.pts), total)
        except (av.error.FFmpegError, OSError):
            read.damage = "unreadable packet"
    if (
        len(set(read.pts)) != len(read.pts)
        or stream.codec_context.name in ("vp8", "vp9", "av1", "libdav1d", "mpeg4", "msmpeg4v3")
        or tells_decode_times(info.container, info.codec)
    ):
        # Packets that hold two frames, or none that is shown, would shift every number after them.
        return None
    return read


def _from_decoding(info, control) -> _Read:
    read = _Read()
    with open_container(info.path) as container:
        stream = picture_stream(container, info.path)
        stream.thread_type = "AUTO"
        try:
            for frame, told in _decoded(container, stream, info):
                if frame.pts is None:
                    raise CannotOpenMedia(
                        f"{info.path.name} carries no frame times; wrap it in MP4 or Matroska first.", path=info.path
                    )
                if read.pts and (read.pts[-1] - frame.pts) * info.time_base > BACK_S:
                    # Another film begins here, with times of its own.
                    read.damage = "times go back"
                    break
                if read.pts and frame.pts <= read.pts[-1]:
                    continue
                # Decoding can begin only where it gives the same times as from the start.
                read.add(frame.pts, frame.key_frame and frame.pts == told, False)
                control.report("Reading the clip", len(read.pts), info.claimed_frames or None)
        except (av.error.FFmpegError, OSError):
            read.damage = "undecodable frame"
    return read


def _decoded(container, stream, info):
    """Each picture, in the order in which they are shown, and the time that the file tells of it."""
    pictures = container.decode(stream)
    return (
        in_order(pictures)
        if tells_decode_times(info.container, info.codec)
        else ((picture, picture.pts) for picture in pictures)
    )


def _without_leading(info, index):
    """Drop frames before the first one a decoder can show: a cut stream begins with pictures that lean on what was
    cut."""
    with open_container(info.path) as container:
        stream = picture_stream(container, info.path)
        first = next(iter(container.decode(stream)), None)
    if first is None or first.pts is None:
        return index
    begin = int(np.searchsorted(index.pts, first.pts))
    return FrameIndex(index.pts[begin:], index.sync[begin:], index.non_reference[begin:], index.time_base, index.damage)


def verify(info: ClipInfo, index: FrameIndex, control: JobControl | None = None) -> FrameIndex:
    """Decode the whole clip and return the index cut at the first frame that is damaged or missing."""
    from skiagraph.errors import FrameNotDecoded
    from skiagraph.media.reader import FrameReader

    control = control or JobControl()
    with FrameReader(info, index) as reader:
        try:
            for frame in reader.frames():
                control.report("Checking the clip", frame.number, len(index))
        except FrameNotDecoded as error:
            return index.cut(error.frame, str(error))
    return index


def open_clip(
    path: Path | str, control: JobControl | None = None, rate: Fraction = RATE
) -> tuple[ClipInfo, FrameIndex]:
    """What a clip is and where its frames are. rate: of numbered pictures. Raises CannotOpenMedia."""
    info = probe(path, rate)
    return info, load_index(info, control)
