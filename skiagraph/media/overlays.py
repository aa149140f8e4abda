"""Pictures and short films with transparency that are laid over others: read in a process of its own, since anybody may
have made the file."""

from __future__ import annotations

from bisect import bisect_right
from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path

import av
import av.error
import cv2
import numpy as np
from PIL import Image, ImageSequence, UnidentifiedImageError

from skiagraph.errors import CannotOpenMedia
from skiagraph.media.confined import Inside, answered

# Longest side that is kept, px, and bytes of all pictures of one file.
MOST_PX, MOST_BYTES = 1080, 400 << 20
# Files that hold a film; everything else is read as a picture, which may move.
_FILMS = {".mov", ".webm", ".mkv", ".mp4", ".m4v"}
# Decoders that know of the transparency of a film, where the usual one does not.
_WITH_ALPHA = {"vp9": "libvpx-vp9", "vp8": "libvpx"}
# What a picture of an animation lasts that does not say how long, s.
_FRAME_S = 0.1


@dataclass(frozen=True, slots=True)
class Overlay:
    """pictures: uint8 (rows, columns, 4) RGBA each, not multiplied; ends: when each is over, s."""

    pictures: tuple[np.ndarray, ...]
    ends: tuple[float, ...]

    @property
    def moves(self) -> bool:
        return len(self.pictures) > 1

    def at(self, seconds: float, loop: bool = True) -> np.ndarray:
        """The picture of a time: again and again from the beginning, or the last one held."""
        whole = self.ends[-1]
        if not self.moves or whole <= 0:
            return self.pictures[0]
        # Times are sums of parts of seconds.
        when = seconds % whole if loop else seconds
        return self.pictures[min(bisect_right(self.ends, when + 1e-6), len(self.pictures) - 1)]


def overlay_at(path: Path) -> Overlay:
    """A picture or a short film. Kept while the file stays as it is. Raises CannotOpenMedia."""
    try:
        state = path.stat()
    except OSError as error:
        raise CannotOpenMedia(
            f"The picture {path.name} of a cover cannot be read ({error.strerror}); choose it again.", path=path
        ) from error
    return _kept(path, state.st_mtime_ns, state.st_size)


@lru_cache(maxsize=8)
def _kept(path: Path, changed: int, size: int) -> Overlay:
    pictures, ends = answered(_serve, path, name=path.name, error=CannotOpenMedia)
    return Overlay(tuple(pictures), tuple(ends))


def _serve(inside: Inside, path: Path) -> None:
    """What the process of a picture does: read all of it, once."""
    inside.allow(0)
    for _ in inside.requests():
        try:
            inside.answer(_film(path, inside) if path.suffix.lower() in _FILMS else _pictures(path, inside))
        except CannotOpenMedia as error:
            inside.fail(error)
        except (
            OSError,
            ValueError,
            UnidentifiedImageError,
            Image.DecompressionBombError,
            av.error.FFmpegError,
        ) as error:
            inside.fail(
                CannotOpenMedia(
                    f"{path.name} is not a picture that can be laid over somebody ({error}); choose a PNG, WebP, GIF,"
                    " MOV or WebM file.",
                    path=path,
                )
            )


def _pictures(path: Path, inside: Inside) -> tuple[list, list]:
    Image.MAX_IMAGE_PIXELS = 100_000_000
    found, ends = [], []
    with Image.open(path, formats=("PNG", "WEBP", "GIF", "JPEG", "TIFF", "BMP")) as picture:
        for single in ImageSequence.Iterator(picture):
            _add(found, np.asarray(single.convert("RGBA")), path)
            ends.append((ends[-1] if ends else 0.0) + (single.info.get("duration", 0) / 1000 or _FRAME_S))
            inside.beat()
    return found, ends


def _film(path: Path, inside: Inside) -> tuple[list, list]:
    found, ends = [], []
    with av.open(str(path), options={"protocol_whitelist": "file"}) as container:
        if not container.streams.video:
            raise CannotOpenMedia(f"{path.name} holds no picture; choose another file.", path=path)
        stream = container.streams.video[0]
        context = stream.codec_context
        if context.name in _WITH_ALPHA:
            context = av.CodecContext.create(_WITH_ALPHA[context.name], "r")
            context.extradata = stream.codec_context.extradata
        step = 1 / float(stream.average_rate or 25)
        for packet in container.demux(stream):
            for frame in context.decode(packet if packet.size else None):
                _add(found, frame.to_ndarray(format="rgba"), path)
                ends.append((ends[-1] if ends else 0.0) + step)
                inside.beat()
            if not packet.size:
                break
    if not found:
        raise CannotOpenMedia(f"{path.name} holds no picture that can be decoded; choose another file.", path=path)
    return found, ends


def _add(found: list, rgba: np.ndarray, path: Path) -> None:
    scale = MOST_PX / max(rgba.shape[:2])
    if scale < 1:
        rgba = cv2.resize(
            rgba,
            (max(1, round(rgba.shape[1] * scale)), max(1, round(rgba.shape[0] * scale))),
            interpolation=cv2.INTER_AREA,
        )
    found.append(np.ascontiguousarray(rgba))
    if len(found) * found[0].nbytes > MOST_BYTES:
        raise CannotOpenMedia(
            f"{path.name} is too long or too large to be laid over somebody; make it shorter or smaller.", path=path
        )
