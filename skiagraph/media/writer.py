"""Writing a film beside its target under a temporary name, and renaming it when it is whole."""

from __future__ import annotations

import contextlib
import errno
from collections.abc import Iterator, Mapping
from fractions import Fraction
from pathlib import Path

import av
import av.error
import numpy as np

from skiagraph.errors import CannotWriteMedia, SkiagraphError
from skiagraph.media.clip import UNSPECIFIED, ClipInfo
from skiagraph.media.fitting import Fitting
from skiagraph.media.formats import FORMATS, ExportFormat
from skiagraph.media.frame import Frame, planar_name
from skiagraph.media.part import Part
from skiagraph.media.sizes import SIZES, Size, stored_size
from skiagraph.media.soundtrack import AS_SHOT, SILENT, Change, Soundtrack
from skiagraph.media.temporary import TemporaryTarget, refuse_bad_target

# AVFieldOrder of FFmpeg: this field coded and shown first.
_FIELD_ORDER = {"top": 2, "bottom": 3}
# What holds sound without pictures.
_SOUND_ALONE = FORMATS["prores-mov"]
# No encoder reorders frames over so many seconds.
_FAR_S = 3600
# Matrices of ITU-T H.273.
_BT709, _BT601 = 1, 6
# Primaries and transfer that go with a matrix, by the recommendations that define it.
_WITH_MATRIX = {5: (5, 6), 6: (6, 6), 9: (9, 14), 10: (9, 14)}
# Where a frame of VC-3 says its matrix, and how (SMPTE ST 2019-1): FFmpeg's encoder leaves it at BT.709.
_VC3_MATRIX, _VC3_MATRICES, _VC3_OTHER = 0x2C, {1: 0, 2: 0, 9: 1, 10: 2}, 3


class FilmWriter:
    """Writes the frames of one clip in another format, with the source's sound, timecode, times, tags and rotation.

    Use as a context: leaving it without an error finishes and renames the file, leaving it with one removes it.
    Of the metadata only timecode and the languages of the sound survive. sound: how it is written, of media.soundtrack;
    grade: of media.formats.GRADES; size: that it is fitted into. options: of the encoder, beside the format's own.
    part: the part of the clip whose frames are given; None for all of it. changes: of the sound, as Soundtrack.
    """

    def __init__(
        self,
        target: Path | str,
        source: ClipInfo,
        export: ExportFormat,
        *,
        sound: str = AS_SHOT,
        grade: str = "near",
        size: Size = SIZES["source"],
        pixel_format: str | None = None,
        options: dict | None = None,
        part: Part | None = None,
        changes: Mapping[int, Change] | None = None,
    ):
        refuse_bad_target(Path(target), [source.path])
        self._source, self._format, self._part = source, export, part
        self._size, self._aspect = stored_size(source, size)
        if self._aspect != 1 and not export.says_aspect:
            raise CannotWriteMedia(
                f"The pixels of {source.path.name} are {self._aspect} as wide as high, which {export.label} would not"
                " say; choose another format, or a size to scale it to.",
                path=source.path,
            )
        self._temporary = TemporaryTarget(target)
        self._soundtrack: Soundtrack | None = None
        self._count = 0
        try:
            self._out = av.open(
                str(self._temporary.path), "w", format=export.muxer, options=dict(export.container.options)
            )
            self._video = self._add_video(pixel_format, grade, options)
            if sound != SILENT and source.sound:
                self._soundtrack = Soundtrack(source, self._out, export, part, sound, changes)
        except (av.error.FFmpegError, OSError, ValueError) as error:
            self._abandon()
            raise self._explained(error) from error
        except SkiagraphError:
            self._abandon()
            raise

    def _add_video(self, pixel_format, grade, options):
        source, codec, (width, height) = self._source, self._format.codec, self._size
        told = {**self._format.options_for(width, height, source.fields, grade), **(options or {})}
        if codec.hdr and source.mastering:
            told[codec.hdr] = ":".join(text for text in (told.get(codec.hdr), source.mastering.told(codec.hdr)) if text)
        stream = self._out.add_stream(codec.encoder, rate=source.rate, options=told)
        context = stream.codec_context
        context.width, context.height = width, height
        planar = planar_name(source.pixel_format)
        context.pix_fmt = pixel_format or self._format.pixel_format_of_size(
            self._format.pixel_format_for(planar), width, height
        )
        context.time_base = stream.time_base = (
            source.time_base if not self._format.container.rates else 1 / Fraction(source.rate)
        )
        context.framerate = source.rate
        context.sample_aspect_ratio = self._aspect
        # Matroska takes the aspect from the stream, which PyAV 18.1 cannot set; FFV1 carries it in its frames.
        self._fitting = Fitting(
            source,
            context.pix_fmt,
            self._size,
            self._aspect,
            limited_only=codec.limited_only,
            aspect_in_frames=codec.encoder == "ffv1",
            keeps_fields=bool(codec.interlaced),
        )
        context.color_primaries, context.color_trc = source.color_primaries, source.color_trc
        self._matrix = self._fitting.colorspace
        if codec.encoder == "dnxhd" and self._matrix == UNSPECIFIED:
            # A frame of VC-3 says one; the one that a source without any is taken for.
            self._matrix = _BT709 if min(source.width, source.height) >= 720 else _BT601
        if codec.encoder == "dnxhd" and self._matrix in _WITH_MATRIX:
            # MOV says either all three or none, and then the matrix would be taken for BT.709.
            tags = zip((context.color_primaries, context.color_trc), _WITH_MATRIX[self._matrix])
            context.color_primaries, context.color_trc = (
                usual if said == UNSPECIFIED else said for said, usual in tags
            )
        context.colorspace, context.color_range = self._matrix, self._fitting.color_range
        context.thread_type = "AUTO"
        if source.fields and codec.interlaced:
            context.field_order = _FIELD_ORDER[source.fields]
        if tag := self._format.container.tags.get(codec.key):
            context.codec_tag = tag
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
        """Write what is left; the file is whole then, under its temporary name.

        Raises CannotWriteMedia, and nothing is left.
        """
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
    def changed_sound(self) -> list[str]:
        """How tracks whose samples were changed are encoded."""
        return self._soundtrack.changed if self._soundtrack else []

    @property
    def size(self) -> tuple[int, int]:
        """Width and height of the stored picture, px."""
        return self._size

    @property
    def pixel_format(self) -> str:
        return self._video.codec_context.pix_fmt

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
        stamp, clock = picture.pts, picture.time_base
        try:
            if self._part is not None:
                picture.pts = stamp - self._part.ticks(picture.time_base)
            if self._format.container.rates:
                # It counts frames; when each was shown is the same, or it would have been refused.
                picture.pts, picture.time_base = self._count, self._video.codec_context.time_base
            self._count += 1
            picture = self._fitting.fitted(picture)
            for packet in self._video.encode(picture):
                self._mux(packet)
        except (av.error.FFmpegError, OSError) as error:
            raise self._explained(error) from error
        finally:
            # Others write the same frame.
            frame.picture.pts, frame.picture.time_base = stamp, clock

    def _mux(self, packet):
        if self._format.codec.encoder == "dnxhd" and (matrix := _VC3_MATRICES.get(self._matrix, _VC3_OTHER)):
            packet = _with_matrix(packet, matrix)
        if (
            packet.dts is not None
            and packet.pts is not None
            and abs(packet.pts - packet.dts) * packet.time_base > _FAR_S
        ):
            # x265 leaves the decoding time of films of one or two frames unset; nothing is reordered in those.
            packet.dts = packet.pts
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
            return CannotWriteMedia(
                f"The disk is full, so {target.name} was not written; free some space or choose another place.",
                path=target,
            )
        if getattr(error, "errno", None) in (errno.EACCES, errno.EROFS, errno.EPERM):
            return CannotWriteMedia(f"{target} may not be written; choose another place.", path=target)
        return CannotWriteMedia(
            f"{target.name} could not be written as {self._format.label} ({error}); choose another format or place.",
            path=target,
        )


def _with_matrix(packet: av.Packet, matrix: int) -> av.Packet:
    """A frame of VC-3 that says its matrix."""
    raw = bytearray(bytes(packet))
    raw[_VC3_MATRIX] = raw[_VC3_MATRIX] & ~0b110 | matrix << 1
    changed = av.Packet(bytes(raw))
    changed.pts, changed.dts, changed.duration, changed.time_base, changed.is_keyframe = (
        packet.pts,
        packet.dts,
        packet.duration,
        packet.time_base,
        packet.is_keyframe,
    )
    return changed


class SoundWriter:
    """Writes the sound of a clip alone, all tracks in their order, into a MOV file that is open from now: beside
    pictures that hold none. Not under a temporary name: that is what it lies in.

    changes: as Soundtrack. Raises CannotWriteMedia.
    """

    def __init__(
        self,
        target: Path,
        source: ClipInfo,
        wanted: str,
        part: Part | None = None,
        changes: Mapping[int, Change] | None = None,
    ):
        self._target = target
        try:
            self._out = av.open(str(target), "w", format=_SOUND_ALONE.muxer)
            self._soundtrack = Soundtrack(source, self._out, _SOUND_ALONE, part, wanted, changes)
        except (av.error.FFmpegError, OSError) as error:
            raise self._explained(error) from error
        self.encoded_sound, self.changed_sound = self._soundtrack.encoded, self._soundtrack.changed

    def finish(self) -> None:
        """Write all of it."""
        try:
            for packet in self._soundtrack.until(None):
                self._out.mux_one(packet)
        except (av.error.FFmpegError, OSError) as error:
            raise self._explained(error) from error
        finally:
            self.close()

    def close(self) -> None:
        self._soundtrack.close()
        # closing a half-written file may fail in any way; what it lies in is removed
        with contextlib.suppress(Exception):
            self._out.close()

    def _explained(self, error: BaseException) -> CannotWriteMedia:
        return CannotWriteMedia(
            f"The sound could not be written to {self._target.name} ({error}); free some space or choose another"
            " place.",
            path=self._target,
        )


class PictureWriter:
    """Writes arrays as a film: for mattes and for footage drawn by us. Same promises as FilmWriter.

    encoder: FFmpeg's name; pixel_format: of the arrays as given (gray, rgb24, yuv420p …); store: of the file, the same
    if empty.
    """

    def __init__(
        self,
        target: Path | str,
        size: tuple[int, int],
        rate: Fraction,
        *,
        encoder: str,
        pixel_format: str,
        muxer: str,
        store: str = "",
        options: dict | None = None,
        mux_options: dict | None = None,
        time_base: Fraction | None = None,
        sound: tuple[np.ndarray, int] | None = None,
        sound_encoder: str = "aac",
        tags: dict | None = None,
        rotation: int = 0,
        timecode: str = "",
    ):
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
            if timecode:
                self._video.metadata["timecode"] = timecode
                if muxer == "matroska":
                    self._out.metadata["timecode"] = timecode
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
            picture = picture.reformat(
                format=self._video.codec_context.pix_fmt,
                dst_colorspace="ITU709",
                src_color_range="JPEG",
                dst_color_range="MPEG",
            )
            picture.pts, picture.time_base = stamp
        self._encode(picture)

    def write_picture(self, picture: av.VideoFrame, pts: int | None = None) -> None:
        """Add one picture that is in the file's pixel format already."""
        picture.pts, picture.time_base = self._count if pts is None else pts, self._time_base
        self._encode(picture)

    def _encode(self, picture: av.VideoFrame) -> None:
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
        # closing a half-written file may fail in any way; it is removed either way
        with contextlib.suppress(Exception):
            self._out.close()
        self._temporary.discard()

    def _explained(self, failure: OSError) -> CannotWriteMedia:
        return CannotWriteMedia(
            f"{self._temporary.target.name} could not be written ({failure.strerror or failure}); free some "
            "space or choose another place.",
            path=self._temporary.target,
        )

    def _write_sound(self):
        rate, size = self._sound.codec_context.sample_rate, 1024
        for begin in range(0, self._samples.shape[1], size):
            block = av.AudioFrame.from_ndarray(
                np.ascontiguousarray(self._samples[:, begin : begin + size], np.float32), format="fltp", layout="stereo"
            )
            block.sample_rate, block.pts, block.time_base = rate, begin, Fraction(1, rate)
            self._out.mux(self._sound.encode(block))
        self._out.mux(self._sound.encode(None))
