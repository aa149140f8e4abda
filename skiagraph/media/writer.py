"""Writing a film beside its target under a temporary name, and renaming it when it is whole."""

from __future__ import annotations

import contextlib
import errno
import fcntl
import os
import re
import secrets
from collections.abc import Iterator
from fractions import Fraction
from pathlib import Path

import av
import av.error
import av.filter
import numpy as np
from av.video.reformatter import ColorRange, Colorspace

from skiagraph.errors import CannotWriteMedia, SkiagraphError
from skiagraph.media.clip import ClipInfo
from skiagraph.media.formats import LARGE_PX, ExportFormat
from skiagraph.media.frame import Frame, planar_name
from skiagraph.media.pictures import belongs
from skiagraph.media.part import Part
from skiagraph.media.soundtrack import Soundtrack


# AVFieldOrder of FFmpeg: this field coded and shown first.
_FIELD_ORDER = {"top": 2, "bottom": 3}
# Code points of ITU-T H.273, and how samples become others: RGB as BT.709 in limited range, full range as limited.
_BT709, _LIMITED, _FULL = 1, 1, 2
_FROM_RGB = {"src_colorspace": Colorspace.DEFAULT, "dst_colorspace": Colorspace.ITU709, "src_color_range": ColorRange.JPEG, "dst_color_range": ColorRange.MPEG}
_TO_LIMITED = {"src_colorspace": Colorspace.ITU709, "dst_colorspace": Colorspace.ITU709, "src_color_range": ColorRange.JPEG, "dst_color_range": ColorRange.MPEG}
# Of a file, in bytes: file systems allow 255, of which locks and temporary names beside it take some.
LONGEST_NAME = 240
# Unfinished files of ours, hidden beside their targets.
_UNFINISHED = re.compile(r"\..*\.[0-9a-f]{8}\.unfinished(\.[^.]*)?", re.DOTALL)


def refuse_bad_target(target: Path, sources: list[Path]) -> None:
    """Raise CannotWriteMedia when a target is a source, a folder, or in a folder that is missing or closed."""
    target = Path(target)
    if len(os.fsencode(target.name)) > LONGEST_NAME:
        raise CannotWriteMedia(f"The name {target.name[:40]}… is too long; choose one of up to {LONGEST_NAME} bytes.", path=target)
    for source in sources:
        same = target.resolve() == Path(source).resolve()
        if not same and target.exists() and Path(source).exists():
            same = os.path.samefile(target, source)
        if same or belongs(target, Path(source)):
            raise CannotWriteMedia(f"{target.name} is the source itself, which is never written; choose another name.", path=target)
    if target.is_dir():
        raise CannotWriteMedia(f"{target} is a folder; add a file name.", path=target)
    if target.exists() and not target.is_file():
        raise CannotWriteMedia(f"{target} is no plain file but a pipe or a device; choose another name.", path=target)
    folder = target.absolute().parent
    if not folder.is_dir():
        raise CannotWriteMedia(f"There is no folder {folder}; make it or choose another place.", path=target)
    if not os.access(folder, os.W_OK):
        raise CannotWriteMedia(f"The folder {folder} may not be written to; choose another place.", path=target)


class TemporaryTarget:
    """A hidden file beside the target that becomes the target when `commit` is called, and vanishes otherwise.

    It is locked (flock) as long as it is written, and so tells those of the living from what a process that died has left,
    which is removed here.
    """

    def __init__(self, target: Path | str):
        self.target = Path(target).absolute()
        _remove_leftovers(self.target.parent)
        # The name stays within the 255 bytes that file systems allow, however long the target's own is.
        stem = self.target.stem.encode(errors="surrogateescape")[:150].decode(errors="ignore")
        self.path = self.target.with_name(f".{stem}.{secrets.token_hex(4)}.unfinished{self.target.suffix}")
        self._lock: int | None = None
        with contextlib.suppress(OSError):  # a disk that knows no locks keeps leftovers; one that cannot be written says so when the film is begun
            while self._lock is None:
                self._lock = os.open(self.path, os.O_RDWR | os.O_CREAT | os.O_CLOEXEC, 0o666)
                fcntl.flock(self._lock, fcntl.LOCK_EX)
                if not os.fstat(self._lock).st_nlink:  # taken for a leftover before it was locked
                    self._unlock()

    def commit(self) -> None:
        with open(self.path, "rb+") as file:
            os.fsync(file.fileno())
        os.replace(self.path, self.target)
        folder = os.open(self.target.parent, os.O_RDONLY)
        try:
            os.fsync(folder)
        finally:
            os.close(folder)
        self._unlock()

    def discard(self) -> None:
        self.path.unlink(missing_ok=True)
        self._unlock()

    def _unlock(self) -> None:
        if self._lock is not None:
            os.close(self._lock)
            self._lock = None


def _remove_leftovers(folder: Path) -> None:
    """Take away unfinished files whose writer is no more: those that nobody holds a lock on."""
    with contextlib.suppress(OSError):
        for path in folder.iterdir():
            if not _UNFINISHED.fullmatch(path.name) or path.is_symlink() or not path.is_file():
                continue
            with contextlib.suppress(OSError):
                handle = os.open(path, os.O_RDWR | os.O_CLOEXEC)
                try:
                    fcntl.flock(handle, fcntl.LOCK_EX | fcntl.LOCK_NB)
                    path.unlink(missing_ok=True)
                finally:
                    os.close(handle)


class FilmWriter:
    """Writes the frames of one clip in another format, with the source's sound, timecode, times, tags and rotation.

    Use as a context: leaving it without an error finishes and renames the file, leaving it with one removes it.
    Of the metadata only timecode and the languages of the sound survive. Sound that the format cannot hold is encoded anew (media.soundtrack). sound=False writes the picture only.
    part: the part of the clip whose frames are given; None for all of it.
    """

    def __init__(self, target: Path | str, source: ClipInfo, export: ExportFormat, *, sound: bool = True,
                 pixel_format: str | None = None, options: dict | None = None, part: Part | None = None):
        refuse_bad_target(Path(target), [source.path])
        self._source, self._format, self._part = source, export, part
        self._temporary = TemporaryTarget(target)
        self._soundtrack: Soundtrack | None = None
        self._tags: Tagged | None = None
        self._converted: dict | None = None
        try:
            self._out = av.open(str(self._temporary.path), "w", format=export.muxer, options=dict(export.mux_options))
            self._video = self._add_video(pixel_format, options)
            if sound and source.sound:
                self._soundtrack = Soundtrack(source, self._out, export, part)
        except (av.error.FFmpegError, OSError, ValueError) as error:
            self._abandon()
            raise self._explained(error) from error
        except SkiagraphError:
            self._abandon()
            raise

    def _add_video(self, pixel_format, options):
        source = self._source
        fields = self._format.interlaced.get(source.fields, {}) if source.fields else {}
        large = self._format.large if source.width * source.height > LARGE_PX else {}
        stream = self._out.add_stream(self._format.encoder, rate=source.rate, options={**self._format.options, **large, **fields, **(options or {})})
        context = stream.codec_context
        context.width, context.height = source.width, source.height
        planar = planar_name(source.pixel_format)
        context.pix_fmt = pixel_format or self._format.pixel_format_of_size(self._format.pixel_format_for(planar), source.width, source.height)
        context.time_base = stream.time_base = source.time_base
        context.framerate = source.rate
        context.sample_aspect_ratio = source.sample_aspect
        context.color_primaries, context.color_trc = source.color_primaries, source.color_trc
        context.colorspace, context.color_range = source.colorspace, source.color_range
        if av.VideoFormat(planar).is_rgb and not av.VideoFormat(context.pix_fmt).is_rgb:
            self._converted = _FROM_RGB
            context.colorspace, context.color_range = _BT709, _LIMITED
        elif planar.startswith("gray") and not context.pix_fmt.startswith("gray") or \
                self._format.limited_only and (source.color_range == _FULL or source.pixel_format.startswith("yuvj")):
            self._converted = _TO_LIMITED
            context.color_range = _LIMITED
        context.thread_type = "AUTO"
        filters = []
        if self._format.encoder == "ffv1" and source.sample_aspect != 1:
            # Matroska takes the aspect from the stream, which PyAV 18.1 cannot set; FFV1 carries it in its frames.
            filters.append(("setsar", f"{source.sample_aspect.numerator}/{source.sample_aspect.denominator}"))
        if source.fields and self._format.interlaced:
            context.field_order = _FIELD_ORDER[source.fields]
            if context.pix_fmt != planar:
                # Colour belongs to lines of its own field.
                filters += [("scale", "interl=1"), ("format", context.pix_fmt)]
            filters.append(("setfield", "tff" if source.fields == "top" else "bff"))
        if filters:
            self._tags = Tagged(filters)
        if self._format.tag:
            context.codec_tag = self._format.tag
        if source.rotation:
            stream.set_display_rotation(-source.rotation)
        timecode = self._part.timecode if self._part else source.timecode
        if timecode:
            stream.metadata["timecode"] = timecode
            if self._format.muxer == "matroska":
                self._out.metadata["timecode"] = timecode
        return stream

    def __enter__(self) -> FilmWriter:
        return self

    def __exit__(self, kind, error, trace) -> None:
        if kind is not None:
            self.discard()
            if isinstance(error, (av.error.FFmpegError, OSError)):
                raise self._explained(error) from error
            return
        self.finish()
        self.commit()

    def finish(self) -> None:
        """Write what is left; the file is whole then, under its temporary name. Raises CannotWriteMedia, and nothing is left."""
        try:
            for packet in self._video.encode(None):
                self._mux(packet)
            self._copy_sound(None)
            self._out.close()
        except (av.error.FFmpegError, OSError) as failure:
            self._abandon()
            raise self._explained(failure) from failure
        except CannotWriteMedia:
            self._abandon()
            raise
        finally:
            if self._soundtrack is not None:
                self._soundtrack.close()

    @property
    def encoded_sound(self) -> list[str]:
        """What of the sound could not be copied and is encoded anew, as "pcm_s16le → ALAC"."""
        return self._soundtrack.encoded if self._soundtrack else []

    @property
    def keeps_fields(self) -> bool:
        """False where the source is interlaced and the format cannot say so."""
        return not self._source.fields or bool(self._format.interlaced)

    def commit(self) -> None:
        """Give the finished file its name. Raises CannotWriteMedia."""
        try:
            self._temporary.commit()
        except OSError as failure:
            self._temporary.discard()
            raise self._explained(failure) from failure

    def discard(self) -> None:
        """Take an unfinished file away; one that has its name stays."""
        self._abandon()

    def write(self, frame: Frame) -> None:
        """Encode one frame at its own time. Raises CannotWriteMedia when the file cannot take it."""
        picture = frame.picture
        picture.pict_type = 0
        stamp = picture.pts
        try:
            if self._part is not None:
                picture.pts = stamp - self._part.ticks(picture.time_base)
            if self._converted is not None:
                picture = self._in_other_samples(picture)
            if self._tags is not None:
                picture = self._tags.tagged(picture)
            for packet in self._video.encode(picture):
                self._mux(packet)
        except (av.error.FFmpegError, OSError) as error:
            raise self._explained(error) from error
        finally:
            # Others write the same frame.
            frame.picture.pts = stamp

    def _in_other_samples(self, picture: av.VideoFrame) -> av.VideoFrame:
        context = self._video.codec_context
        converted = picture.reformat(format=context.pix_fmt, **self._converted)
        converted.pts, converted.time_base, converted.pict_type = picture.pts, picture.time_base, 0
        converted.colorspace, converted.color_range = context.colorspace, context.color_range
        converted.color_primaries, converted.color_trc = picture.color_primaries, picture.color_trc
        return converted

    def _mux(self, packet):
        if packet.dts is not None:
            self._copy_sound(float(packet.dts * packet.time_base))
        packet.stream = self._video
        self._out.mux_one(packet)

    def _copy_sound(self, until_s: float | None) -> None:
        if self._soundtrack is not None:
            for packet in self._soundtrack.until(until_s):
                self._out.mux_one(packet)

    def _abandon(self):
        if self._soundtrack is not None:
            self._soundtrack.close()
        try:
            if getattr(self, "_out", None) is not None:
                self._out.close()
        except Exception:  # closing a half-written file may fail in any way; it is removed either way
            pass
        self._temporary.discard()

    def _explained(self, error: BaseException) -> CannotWriteMedia:
        target = self._temporary.target
        if getattr(error, "errno", None) in (errno.ENOSPC, errno.EDQUOT):
            return CannotWriteMedia(f"The disk is full, so {target.name} was not written; free some space or choose another place.", path=target)
        if getattr(error, "errno", None) in (errno.EACCES, errno.EROFS, errno.EPERM):
            return CannotWriteMedia(f"{target} may not be written; choose another place.", path=target)
        return CannotWriteMedia(f"{target.name} could not be written as {self._format.label} ({error}); choose another format or place.", path=target)


class Tagged:
    """Frames passed through filters that set what PyAV 18.1 cannot: aspect, which field is first. filters: (name, arguments)."""

    def __init__(self, filters: list[tuple[str, str]]):
        self._filters, self._graph = filters, None

    def tagged(self, picture: av.VideoFrame) -> av.VideoFrame:
        if self._graph is None:
            self._graph = av.filter.Graph()
            last = self._graph.add_buffer(width=picture.width, height=picture.height, format=picture.format.name, time_base=picture.time_base)
            for name, arguments in (*self._filters, ("buffersink", None)):
                following = self._graph.add(name, arguments)
                last.link_to(following)
                last = following
            self._graph.configure()
        self._graph.push(picture)
        return self._graph.pull()


class PictureWriter:
    """Writes arrays as a film: for mattes and for footage drawn by us. Same promises as FilmWriter.

    encoder: FFmpeg's name; pixel_format: of the arrays as given (gray, rgb24, yuv420p …); store: of the file, the same if empty.
    """

    def __init__(self, target: Path | str, size: tuple[int, int], rate: Fraction, *, encoder: str, pixel_format: str, muxer: str,
                 store: str = "", options: dict | None = None, mux_options: dict | None = None, time_base: Fraction | None = None,
                 sound: tuple[np.ndarray, int] | None = None, sound_encoder: str = "aac", tags: dict | None = None, rotation: int = 0):
        refuse_bad_target(Path(target), [])
        self._temporary = TemporaryTarget(target)
        self._given, self._count = pixel_format, 0
        self._tags = tags or {}
        self._time_base = time_base or 1 / Fraction(rate)
        self._sound, self._samples = None, sound[0] if sound else None
        with self._whole_or_gone():
            self._out = av.open(str(self._temporary.path), "w", format=muxer, options=dict(mux_options or {}))
            self._video = self._out.add_stream(encoder, rate=rate, options=dict(options or {}))
            context = self._video.codec_context
            context.width, context.height = size
            context.pix_fmt = store or pixel_format
            context.time_base = self._video.time_base = self._time_base
            for name, value in self._tags.items():
                setattr(context, name, value)
            if rotation:
                self._video.set_display_rotation(-rotation)
            if sound is not None:
                self._sound = self._out.add_stream(sound_encoder, rate=sound[1], layout="stereo")

    @contextlib.contextmanager
    def _whole_or_gone(self) -> Iterator[None]:
        """What fails inside leaves no file."""
        try:
            yield
        except (av.error.FFmpegError, OSError) as failure:
            self.discard()
            raise self._explained(failure) from failure
        except BaseException:
            self.discard()
            raise

    def write(self, array: np.ndarray, pts: int | None = None) -> None:
        """Add one picture; pts in time_base, or the next frame number."""
        picture = av.VideoFrame.from_ndarray(np.ascontiguousarray(array), format=self._given)
        picture.pts = self._count if pts is None else pts
        picture.time_base = self._time_base
        if self._given == "rgb24" and self._video.codec_context.pix_fmt.startswith("yuv"):
            stamp = picture.pts, picture.time_base
            picture = picture.reformat(format=self._video.codec_context.pix_fmt, dst_colorspace="ITU709", src_color_range="JPEG", dst_color_range="MPEG")
            picture.pts, picture.time_base = stamp
        for name, value in self._tags.items():
            setattr(picture, name, value)
        self._count += 1
        try:
            for packet in self._video.encode(picture):
                self._out.mux(packet)
        except (av.error.FFmpegError, OSError) as failure:
            raise self._explained(failure) from failure

    def __enter__(self) -> PictureWriter:
        return self

    def __exit__(self, kind, error, trace) -> None:
        try:
            if kind is None:
                self.finish()
                self.commit()
        finally:
            self.discard()

    def finish(self) -> None:
        """Write what is left; the file is whole then, under its temporary name. Raises CannotWriteMedia."""
        try:
            self._out.mux(self._video.encode(None))
            if self._sound is not None:
                self._write_sound()
            self._out.close()
        except (av.error.FFmpegError, OSError) as failure:
            raise self._explained(failure) from failure

    def commit(self) -> None:
        """Give the finished file its name. Raises CannotWriteMedia."""
        try:
            self._temporary.commit()
        except OSError as failure:
            raise self._explained(failure) from failure

    def discard(self) -> None:
        """Take an unfinished file away; one that has its name stays."""
        with contextlib.suppress(Exception):  # closing a half-written file may fail in any way; it is removed either way
            self._out.close()
        self._temporary.discard()

    def _explained(self, failure: OSError) -> CannotWriteMedia:
        return CannotWriteMedia(f"{self._temporary.target.name} could not be written ({failure.strerror or failure}); free some "
                                f"space or choose another place.", path=self._temporary.target)

    def _write_sound(self):
        rate, size = self._sound.codec_context.sample_rate, 1024
        for begin in range(0, self._samples.shape[1], size):
            block = av.AudioFrame.from_ndarray(np.ascontiguousarray(self._samples[:, begin:begin + size], np.float32), format="fltp", layout="stereo")
            block.sample_rate, block.pts, block.time_base = rate, begin, Fraction(1, rate)
            self._out.mux(self._sound.encode(block))
        self._out.mux(self._sound.encode(None))
