"""Decoding frame n gives exactly frame n, wherever the decoder stands.

Runs in a process of its own (media.confined).
"""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Callable, Iterator
from functools import lru_cache

import av
import av.error
import numpy as np

from skiagraph.errors import CannotOpenMedia, FrameNotDecoded
from skiagraph.media.checksums import teller
from skiagraph.media.clip import ClipInfo, open_container, picture_stream
from skiagraph.media.frame import Frame
from skiagraph.media.in_order import in_order, tells_decode_times
from skiagraph.media.index import FrameIndex
from skiagraph.media.pictures import CONTAINER, decoded, pictures_at
from skiagraph.timecode import format_timecode

# Decoding this many frames onward is cheaper than a jump.
NEAR = 24


class Decoder:
    """Decodes the frames of one clip by number.

    keep: how many decoded frames to remember, for stepping back. rough: pictures made from earlier and later ones keep
    the edges of their blocks, which is quicker; for looking at, not for handing on. wanted: bool (n,), the frames that
    will ever be asked for, if not all may be; of the others those are not decoded that no frame is made from. beat:
    called with each packet that is read.
    """

    def __init__(
        self,
        info: ClipInfo,
        index: FrameIndex,
        *,
        keep: int = 0,
        threads: int = 0,
        rough: bool = False,
        wanted: np.ndarray | None = None,
        beat: Callable[[], None] = lambda: None,
    ):
        self._beat = beat
        self._left_out = frozenset() if wanted is None else frozenset(index.pts[index.non_reference & ~wanted].tolist())
        self._info, self._index, self._keep, self._threads, self._rough = info, index, keep, threads, rough
        self._kept: OrderedDict[int, Frame] = OrderedDict()
        self._container = None
        self._frames: Iterator | None = None
        self._next = 0
        self._wanted_from = 0
        self._sync_frames = np.flatnonzero(index.sync)
        self._tells_damage = teller(info.codec)
        self._by_order = tells_decode_times(info.container, info.codec)

    def __enter__(self) -> Decoder:
        return self

    def __exit__(self, *_) -> None:
        self.close()

    def close(self) -> None:
        if self._container is not None:
            self._container.close()
            self._container = self._frames = None

    def read(self, number: int) -> Frame:
        """Frame `number`.

        Raises IndexError outside the clip or for a frame left out, and FrameNotDecoded where the file is damaged.
        """
        if not 0 <= number < len(self._index):
            raise IndexError(f"frame {number} of a clip of {len(self._index)}")
        if int(self._index.pts[number]) in self._left_out:
            raise IndexError(f"frame {number} was not to be asked for")
        if number in self._kept:
            self._kept.move_to_end(number)
            return self._kept[number]
        if self._frames is None or not self._next <= number <= self._next + NEAR:
            key = self._sync_before(number)
            if self._frames is None or not (self._next <= number and key < self._next):
                return self._jump(number)
        frame = self._decode_to(number)
        return frame if frame is not None else self._jump(number)

    def _sync_before(self, number: int) -> int:
        place = int(np.searchsorted(self._sync_frames, number, side="right")) - 1
        return int(self._sync_frames[place]) if place >= 0 else 0

    def _jump(self, number: int) -> Frame:
        """Decode from a sync sample before the frame, going further back until its picture really comes out."""
        tried: int | None = None
        start = number
        while True:
            start = self._sync_before(start)
            if start == tried:
                break
            tried = start
            self._open(start)
            frame = self._decode_to(number)
            if frame is not None:
                return frame
            if start == 0:
                break
            start -= 1
        self._open(None)
        frame = self._decode_to(number)
        if frame is None:
            raise broken(self._info, self._index, number)
        return frame

    def _open(self, sync_frame: int | None) -> None:
        if self._container is None or sync_frame is None:
            self.close()
            self._container = open_container(self._info.path)
            stream = picture_stream(self._container, self._info.path)
            stream.thread_type = "AUTO"
            if self._rough:
                stream.codec_context.options = {"skip_loop_filter": "bidir"}
            if self._threads:
                stream.codec_context.thread_count = self._threads
        stream = picture_stream(self._container, self._info.path)
        if sync_frame:
            try:
                self._container.seek(int(self._index.pts[sync_frame]), stream=stream, backward=True)
            except (av.error.FFmpegError, OSError):
                return self._open(None)
        elif sync_frame == 0 and self._frames is not None:
            return self._open(None)
        self._frames = self._pictures(self._container, stream)
        if self._by_order:
            self._frames = self._in_order(self._frames, int(self._index.pts[sync_frame]) if sync_frame else None)
        self._next = 0
        return None

    def _pictures(self, container, stream) -> Iterator[av.VideoFrame]:
        """Decoded pictures onward from here.

        Those before the ones that are wanted are left out where no other picture needs them.
        """
        skipping = False
        for packet in container.demux(stream):
            self._beat()
            if packet.pts in self._left_out:
                continue
            if self._tells_damage is not None and packet.size and self._tells_damage(bytes(packet)):
                raise av.error.InvalidDataError(0, "a checksum does not agree")
            # Where times go by the order of pictures none may be left out.
            skip = packet.pts is not None and packet.pts < self._wanted_from and not self._by_order
            if skip != skipping:
                stream.codec_context.skip_frame = "NONREF" if skip else "DEFAULT"
                skipping = skip
            yield from packet.decode()

    @staticmethod
    def _in_order(pictures: Iterator[av.VideoFrame], begins: int | None) -> Iterator[av.VideoFrame]:
        """Pictures with their times by their order; none where the first is not the one that was jumped to, from which
        on that order is known."""
        for picture, told in in_order(pictures):
            if begins is not None and told != begins:
                return
            begins = None
            yield picture

    def _decode_to(self, number: int) -> Frame | None:
        """Decode onward to the frame; None when it did not come out of the decoder from here."""
        wanted = int(self._index.pts[number])
        self._wanted_from = int(self._index.pts[max(0, number - self._keep)])
        while True:
            try:
                picture = next(self._frames, None)
            except av.error.MemoryError:
                raise MemoryError() from None
            except (av.error.FFmpegError, OSError):
                self._frames = None
                return None
            if picture is None:
                self._frames = None
                return None
            if picture.pts is None or picture.pts < wanted and not self._keep:
                continue
            place = int(np.searchsorted(self._index.pts, picture.pts))
            if place >= len(self._index) or self._index.pts[place] != picture.pts:
                if picture.pts > wanted:
                    self._next = place
                    return None
                continue
            self._next = place + 1
            if picture.pts > wanted:
                return None
            if picture.is_corrupt:
                if picture.pts < wanted:
                    continue
                return None
            if (picture.width, picture.height) != (self._info.width, self._info.height):
                raise broken(
                    self._info, self._index, place, f"its picture becomes {picture.width} × {picture.height} there"
                )
            frame = Frame(place, picture, self._info)
            self._remember(frame)
            if place == number:
                return frame

    def _remember(self, frame: Frame) -> None:
        if self._keep:
            self._kept[frame.number] = frame
            while len(self._kept) > self._keep:
                self._kept.popitem(last=False)


class PictureDecoder:
    """Decodes numbered pictures, as Decoder does a film."""

    def __init__(
        self, info: ClipInfo, index: FrameIndex, *, keep: int = 0, beat: Callable[[], None] = lambda: None, **_
    ):
        self._info, self._index, self._beat = info, index, beat
        pictures = pictures_at(info.path)
        self._files = pictures.files if pictures else ()
        self._decode = lru_cache(maxsize=max(1, keep))(self._decoded)

    def __enter__(self) -> PictureDecoder:
        return self

    def __exit__(self, *_) -> None:
        self._decode.cache_clear()

    def read(self, number: int) -> Frame:
        """Frame `number`. Raises FrameNotDecoded where its file is damaged or gone."""
        self._beat()
        return self._decode(number)

    def _decoded(self, number: int) -> Frame:
        info = self._info
        try:
            if number >= len(self._files):
                raise CannotOpenMedia(
                    f"Picture {number + 1} from {info.path.name} on is not there any more; put it back."
                )
            picture = decoded(self._files[number])
        except CannotOpenMedia as error:
            raise FrameNotDecoded(
                f"{error} The {number} pictures before it can be used.",
                frame=number,
                path=info.path,
                time_s=self._index.time_s(number),
            ) from None
        if (picture.width, picture.height) != (info.width, info.height):
            raise FrameNotDecoded(
                f"{self._files[number].name} is {picture.width} × {picture.height} and the pictures before it"
                f" {info.width} × {info.height}; the {number} before it can be used. Bring it to the same size if the"
                " rest matters.",
                frame=number,
                path=info.path,
                time_s=self._index.time_s(number),
            )
        picture.pts, picture.time_base = int(self._index.pts[number]), info.time_base
        return Frame(number, picture, info)


def decoder_of(info: ClipInfo, index: FrameIndex, **how) -> Decoder | PictureDecoder:
    """What decodes a clip."""
    return (PictureDecoder if info.container == CONTAINER else Decoder)(info, index, **how)


def broken(info: ClipInfo, index: FrameIndex, number: int, why: str = "") -> FrameNotDecoded:
    """The error for a frame at which a clip ends to be of use. why: in a few words, if it is known."""
    where = format_timecode(number, info.rate)
    return FrameNotDecoded(
        f"{info.path.name} is damaged at {where}{f' ({why})' if why else ''}; the {number} frames before it can be"
        " used. Copy it again from its source if the rest matters.",
        frame=number,
        path=info.path,
        time_s=index.time_s(number),
    )
