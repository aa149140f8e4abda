"""Writing numbered pictures into a folder that appears when it is whole.

Pictures are upright, RGB of full range, 8 or 16 bits a sample.
"""

from __future__ import annotations

import contextlib
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path

import av
import av.error
import numpy as np

from skiagraph.errors import CannotWriteMedia
from skiagraph.media.clip import ClipInfo
from skiagraph.media.fitting import rgb_filters
from skiagraph.media.frame import Frame, upright
from skiagraph.media.temporary import TemporaryFolder, refuse_bad_target


@dataclass(frozen=True, slots=True)
class PictureForm:
    """encoder: FFmpeg's name; formats: its pixel formats by (deep, with alpha); options: of the encoder."""

    key: str
    label: str
    suffix: str
    encoder: str
    formats: dict[tuple[bool, bool], str]
    options: dict[str, str]

    def pixel_format(self, deep: bool, alpha: bool = False) -> str:
        return self.formats[deep, alpha]


PICTURE_FORMS = {
    f.key: f
    for f in (
        PictureForm(
            "png",
            "PNG",
            ".png",
            "png",
            {(False, False): "rgb24", (True, False): "rgb48be", (False, True): "rgba", (True, True): "rgba64be"},
            {"pred": "up", "compression_level": "4"},
        ),
        PictureForm(
            "tiff",
            "TIFF",
            ".tiff",
            "tiff",
            {(False, False): "rgb24", (True, False): "rgb48le", (False, True): "rgba", (True, True): "rgba64le"},
            {"compression_algo": "deflate"},
        ),
    )
}
# At the end of the name of the sound that lies among pictures.
SOUND = "-sound.mov"
# Digits of a number, so that names stay in order over eleven days at 100 frames a second.
DIGITS = 7


class PicturesWriter:
    """Files in a folder, called after it and numbered as the frames of their clip. first: number of the first.

    Same promises as FilmWriter.
    """

    def __init__(
        self,
        target: Path | str,
        form: PictureForm,
        size: tuple[int, int],
        deep: bool,
        alpha: bool = False,
        first: int = 0,
    ):
        target = Path(target)
        refuse_bad_target(target, [], folder=True)
        self._form, self._number, self._stem = form, first, target.name
        self._given = {
            (False, False): "rgb24",
            (True, False): "rgb48le",
            (False, True): "rgba",
            (True, True): "rgba64le",
        }[deep, alpha]
        self._encoder = av.CodecContext.create(form.encoder, "w")
        self._encoder.width, self._encoder.height = size
        self._encoder.pix_fmt, self._encoder.time_base = form.pixel_format(deep, alpha), Fraction(1, 25)
        self._encoder.options = dict(form.options)
        # Pictures side by side: packing one takes longer than making it.
        self._encoder.thread_count, self._encoder.thread_type = 0, "FRAME"
        try:
            self._folder = TemporaryFolder(target, own=(f"{target.name}{SOUND}",))
        except OSError as error:
            raise self._explained(target, error) from error

    @property
    def sound_path(self) -> Path:
        """Where the sound of the clip may be written, among the pictures."""
        return self._folder.path / f"{self._stem}{SOUND}"

    def write(self, array: np.ndarray) -> None:
        """Add one picture: (rows, columns, samples), uint8 or, where it is deep, uint16. Raises CannotWriteMedia."""
        picture = av.VideoFrame.from_ndarray(np.ascontiguousarray(array), format=self._given)
        if self._given != self._encoder.pix_fmt:
            picture = picture.reformat(format=self._encoder.pix_fmt)
        self._put(picture)

    def _put(self, picture: av.VideoFrame | None) -> None:
        try:
            for packet in self._encoder.encode(picture):
                (self._folder.path / f"{self._stem}_{self._number:0{DIGITS}d}{self._form.suffix}").write_bytes(
                    bytes(packet)
                )
                self._number += 1
        except (av.error.FFmpegError, OSError) as error:
            raise self._explained(self._folder.target, error) from error

    def finish(self) -> None:
        """Write those that are still being packed. Raises CannotWriteMedia."""
        self._put(None)

    def commit(self) -> None:
        """Give the folder its name. Raises CannotWriteMedia."""
        try:
            self._folder.commit()
        except OSError as error:
            raise self._explained(self._folder.target, error) from error

    def discard(self) -> None:
        with contextlib.suppress(OSError):
            self._folder.discard()

    @staticmethod
    def _explained(target: Path, error: OSError) -> CannotWriteMedia:
        return CannotWriteMedia(
            f"The pictures of {target.name} could not be written ({error.strerror or error}); free some space or choose"
            " another place.",
            path=target,
        )


class UprightRgb:
    """Frames of a clip as upright RGB of full range, (rows, columns, 3) of uint8, or of uint16 where the clip has more
    than 8 bits. scaled: size of the stored picture."""

    def __init__(self, info: ClipInfo, scaled: tuple[int, int]):
        self._info, self._scaled, self._filters = info, scaled, None
        self.deep = info.bit_depth > 8
        self.size = scaled[::-1] if info.rotation in (90, 270) else scaled

    def of(self, frame: Frame) -> np.ndarray:
        if self._filters is None:
            self._filters = rgb_filters(
                self._info, frame.matrix, frame.full_range, self._scaled, "rgb48le" if self.deep else "rgb24"
            )
        return upright(self._filters.passed(frame.picture).to_ndarray(), self._info.rotation)


def sound_among(first: Path) -> Path | None:
    """The sound that lies among numbered pictures of which one is named, or None."""
    return next(iter(sorted(first.parent.glob(f"*{SOUND}"))), None)
