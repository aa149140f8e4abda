"""What of an exported file has to be as it is in the source: the picture outside of covers, times, tags, sound."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np

from skiagraph.cover.layer import Layer, matte_of
from skiagraph.media.clip import UNSPECIFIED, ClipInfo
from skiagraph.media.frame import Frame, stored
from skiagraph.media.index import FrameIndex
from skiagraph.media.part import Part
from skiagraph.media.pictures import CONTAINER
from skiagraph.review.proof import Fact

# Bits of which formats for handing over keep no more.
WELL_KEPT = 10


@dataclass(frozen=True, slots=True)
class AlikeSettings:
    """When the picture outside of covers is another one, and not only encoded.

    least_db: peak signal to noise of a frame's luma; films that look alike to people lie over 30 (ITU-T J.247 trains on
    less). block_px: side of the blocks that are compared besides; block_most: mean difference of one, of 255, that no
    encoder makes at the quality of any of our formats (measured: under 12). late_frames: by how much of a frame's
    length a frame may be late or early.
    """

    least_db: float = 26.0
    block_px: int = 32
    block_most: float = 48.0
    late_frames: float = 0.5


ALIKE = AlikeSettings()


class Outside:
    """Compares the picture outside of covers, frame by frame."""

    def __init__(self, lossless: bool):
        self._lossless = lossless
        self.least_db, self.least_at, self._sum_db, self._frames = float("inf"), 0, 0.0, 0
        self.differing: dict[int, float] = {}
        self.changed_samples = 0

    def add(
        self, n: int, shot: Frame, shown: Frame, covers: list[Layer], original: np.ndarray, given: np.ndarray
    ) -> None:
        """Frame n as it was shot and as the file shows it. original, given: luma of both, upright, on the file's
        scale."""
        size = given.shape[1], given.shape[0]
        far, count = cv2.absdiff(original, given), given.size
        covered = matte_of(covers, size)
        for x0, y0, x1, y1 in (layer.box for layer in covers if not layer.label):
            # Colour of a sample is that of pixels around it, and in interlaced pictures of lines around those.
            x0, y0, x1, y1 = max(0, x0 - 2), max(0, y0 - 2), min(size[0], x1 + 2), min(size[1], y1 + 2)
            here = covered[y0:y1, x0:x1]
            np.copyto(here, cv2.dilate(here, np.ones((5, 5), np.uint8)))
            far[y0:y1, x0:x1][here > 0] = 0
        count -= int(cv2.countNonZero(covered))
        if count:
            off = cv2.norm(far, cv2.NORM_L2SQR) / count
            db = float("inf") if off == 0 else 10 * float(np.log10(255.0**2 / off))
            self._frames += 1
            self._sum_db += min(db, 100.0)
            if db < self.least_db:
                self.least_db, self.least_at = db, n
            worst = _worst_block(far)
            if db < ALIKE.least_db or worst > ALIKE.block_most:
                self.differing[n] = round(max(worst, 255.0 / 10 ** (db / 20) if db != float("inf") else 0.0), 1)
        if self._lossless and shot.layout.name == shown.layout.name:
            self.changed_samples += _changed(shot, shown, cv2.compare(covered, 0, cv2.CMP_EQ))

    def fact(self, project_clip) -> Fact:
        """What to say of it. project_clip: for timecodes."""
        if not self._frames:
            return Fact("Picture outside of covers", "nothing of it is outside", None)
        if self._lossless and not self.changed_samples:
            return Fact("Picture outside of covers", "the same bit for bit")
        if self.least_db == float("inf"):
            return Fact("Picture outside of covers", "the same luma in every pixel")
        text = (
            f"PSNR {self._sum_db / self._frames:.1f} dB in the mean, {self.least_db:.1f} dB at least (at"
            f" {project_clip.at(self.least_at)})"
        )
        if self._lossless:
            text += f"; {self.changed_samples} samples differ, though the format is lossless"
        return Fact(
            "Picture outside of covers", text, not self.differing and not (self._lossless and self.changed_samples)
        )


def _worst_block(far: np.ndarray) -> float:
    """The largest mean of a block, uint8 (rows, columns)."""
    side = min(ALIKE.block_px, *far.shape)
    # Whole blocks are averaged five times as quickly; those at the far edges are moved inwards.
    rows, columns = far.shape[0] // side, far.shape[1] // side
    parts = [far[: rows * side, : columns * side]]
    parts += [far[-side:, : columns * side]] if far.shape[0] % side else []
    parts += [far[: rows * side, -side:]] if far.shape[1] % side else []
    return max(
        float(cv2.resize(part, (part.shape[1] // side, part.shape[0] // side), interpolation=cv2.INTER_AREA).max())
        for part in parts
    )


def _changed(shot: Frame, shown: Frame, outside: np.ndarray) -> int:
    """How many samples differ outside of covers."""
    changed, kept = 0, np.ascontiguousarray(stored(outside, shot.rotation))
    for n, (one, other) in enumerate(zip(shot.planes(), shown.planes())):
        mask = kept if one.shape == kept.shape else cv2.resize(kept, one.shape[::-1], interpolation=cv2.INTER_AREA)
        if n < shot.layout.picture_planes:
            changed += int(((one != other) & (mask == 255)).sum())
    return changed


def alike(
    source: ClipInfo, source_index: FrameIndex, film: ClipInfo, index: FrameIndex, part: Part | None, lossless: bool
) -> list[Fact]:
    """What is to be said of size, times and tags. The number of frames is as it has to be."""
    facts = [_size(source, film)]
    if film.container == CONTAINER:
        facts.append(Fact("Times, timecode, tags", f"{len(index)} numbered pictures, which hold none", None))
        return [*facts, _depth(source, film)]
    facts += [_times(source, source_index, film, index, part), _tags(source, film)]
    if source.mastering or film.mastering:
        facts.append(
            Fact(
                "High dynamic range",
                (
                    "display and light as in the source"
                    if film.mastering.is_like(source.mastering)
                    else "what the source says of its display and light is not in the file"
                ),
                film.mastering.is_like(source.mastering),
            )
        )
    if source.fields or film.fields:
        facts.append(
            Fact(
                "Fields",
                f"{film.fields or 'none said'} (source: {source.fields or 'whole pictures'})",
                film.fields == source.fields,
            )
        )
    wanted = part.timecode if part else source.timecode
    if wanted or film.timecode:
        facts.append(
            Fact(
                "Timecode",
                f"begins at {film.timecode or 'none'}" + (f" (wanted: {wanted})" if film.timecode != wanted else ""),
                film.timecode.replace(";", ":") == wanted.replace(";", ":"),
            )
        )
    return [*facts, _depth(source, film)]


def _depth(source: ClipInfo, film: ClipInfo) -> Fact:
    return Fact(
        "Depth",
        f"{film.bit_depth} bit, {film.pixel_format} (source: {source.bit_depth} bit, {source.pixel_format})",
        film.bit_depth >= min(source.bit_depth, WELL_KEPT),
    )


def _size(source: ClipInfo, film: ClipInfo) -> Fact:
    width, height = film.upright_size
    if film.upright_size != source.upright_size:
        return Fact(
            "Size", f"{width} × {height}, scaled from {source.upright_size[0]} × {source.upright_size[1]}", None
        )
    turned = film.rotation == source.rotation or film.container == CONTAINER
    return Fact(
        "Size, rotation, aspect",
        f"{width} × {height}, turned by {film.rotation}°, pixels {film.sample_aspect}",
        turned and (_aspect_alike(source, film) or film.container == CONTAINER),
    )


def _aspect_alike(source: ClipInfo, film: ClipInfo) -> bool:
    # Containers keep aspects as small fractions.
    return abs(float(film.sample_aspect / source.sample_aspect) - 1) < 0.005


def _times(source: ClipInfo, source_index: FrameIndex, film: ClipInfo, index: FrameIndex, part: Part | None) -> Fact:
    first, last = (part.first, part.last) if part else (0, len(source_index) - 1)
    there = source_index.pts[first : last + 1].astype(float) * float(source_index.time_base)
    here = index.pts.astype(float) * float(index.time_base)
    late = np.abs((here - here[0]) - (there - there[0]))
    frame = 1 / float(source.rate)
    worst = int(np.argmax(late))
    # A unit of either container's clock is nothing that a person could change.
    good = bool(late.max() <= ALIKE.late_frames * frame)
    exact = late.max() <= 1.01 * max(float(source_index.time_base), float(index.time_base))
    return Fact(
        "Frames and times",
        f"{len(index)} frames, "
        + ("each at its time" if exact else f"up to {1000 * late.max():.1f} ms off (frame {worst})"),
        good,
    )


def _meant(name: str, code: int) -> int:
    """The first of code points that mean the same by ITU-T H.273: containers know only some of them."""
    return {"colorspace": {5: 6}, "color_trc": {6: 1, 14: 1, 15: 1}}.get(name, {}).get(code, code)


def _tags(source: ClipInfo, film: ClipInfo) -> Fact:
    rgb = source.pixel_format.startswith(("gbr", "rgb", "bgr", "pal", "argb", "abgr", "0rgb", "0bgr"))
    names = (("primaries", "color_primaries"), ("transfer", "color_trc"), ("matrix", "colorspace"))
    other = [
        f"{word} {getattr(film, name)} instead of {getattr(source, name)}"
        for word, name in names
        if getattr(source, name) != UNSPECIFIED
        and _meant(name, getattr(film, name)) != _meant(name, getattr(source, name))
        and not (rgb and name == "colorspace")
    ]
    told = f"primaries {film.color_primaries}, transfer {film.color_trc}, matrix {film.colorspace} (ITU-T H.273)"
    return Fact("Colour tags", "; ".join(other) or told, not other)
