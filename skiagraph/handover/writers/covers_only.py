"""Covers only, with transparency, to lay over the untouched original in the edit: straight alpha, in the size and at
the times of the source."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path
from typing import ClassVar

import numpy as np

from skiagraph.cover.layer import matte_of
from skiagraph.cover.pull_push import spread_from
from skiagraph.cover.transparent import Scale, covers_alone
from skiagraph.errors import CannotWriteMedia
from skiagraph.handover.writer import Material, Shot, Writer
from skiagraph.media.fitting import Fitting, with_alpha
from skiagraph.media.frame import picture_of, plane_layout, planes_of, stored, stored_box
from skiagraph.media.picture_files import PICTURE_FORMS, PicturesWriter, UprightRgb
from skiagraph.media.writer import PictureWriter
from skiagraph.values import Value


@dataclass(frozen=True, slots=True)
class AlphaForm:
    """How covers are kept. encoder empty: numbered pictures. smooth: it loses something, so colour goes on beyond the
    covers, where steps would spread."""

    label: str
    suffix: str
    muxer: str = ""
    encoder: str = ""
    options: tuple[tuple[str, str], ...] = ()
    smooth: bool = False


# x0, y0, x1, y1 px.
Box = tuple[int, int, int, int]
# Px of the blocks that codecs work in.
BLOCK = 16

ALPHA_FORMS = {
    # Of the finest quantiser that is allowed: what it loses stays under a code value of 8 bits (measured).
    "prores-4444": AlphaForm(
        "ProRes 4444 · MOV",
        ".mov",
        "mov",
        "prores_ks",
        (("profile", "4"), ("vendor", "apl0"), ("alpha_bits", "16"), ("global_quality", "118"), ("threads", "0")),
        True,
    ),
    "ffv1": AlphaForm(
        "FFV1 lossless · MKV", ".mkv", "matroska", "ffv1", (("level", "3"), ("slices", "4"), ("threads", "0"))
    ),
    "png": AlphaForm("PNG pictures", ""),
}


@Writer.register
class CoversOnly(Writer, Value, frozen=True, tag_field="kind", tag="covers-only"):
    """form: of ALPHA_FORMS."""

    word: ClassVar[str] = "The covers only, with transparency"
    mark: ClassVar[str] = "-covers"
    needs_source: ClassVar[bool] = True

    form: str = "prores-4444"

    @property
    def how(self) -> AlphaForm:
        if self.form not in ALPHA_FORMS:
            raise CannotWriteMedia(f"“{self.form}” keeps no transparency; choose one of {', '.join(ALPHA_FORMS)}.")
        return ALPHA_FORMS[self.form]

    @property
    def suffix(self) -> str:
        return self.how.suffix

    def open(self, target: Path, material: Material) -> _Covers:
        return (_InPictures if not self.how.encoder else _InFilm)(target, self.how, material)


class _Covers:
    notes = ()

    def write(self, shot: Shot) -> None:
        raise NotImplementedError


class _InFilm(_Covers):
    """In the source's own kind of samples where the encoder has it with alpha (FFV1), or with colour at every pixel in
    ten bits (ProRes)."""

    def __init__(self, target: Path, form: AlphaForm, material: Material):
        info = material.info
        self._info, self._form = info, form
        self._begins = material.part.ticks(info.time_base) if material.part else 0
        self._kept = with_alpha(form.encoder, info)
        self._opaque = self._kept.replace("yuva", "yuv").replace("gbrap", "gbrp")
        self._fitting = Fitting(
            info, self._opaque, (info.width, info.height), info.sample_aspect, limited_only=form.smooth, here=True
        )
        tags = {
            "color_primaries": info.color_primaries,
            "color_trc": info.color_trc,
            "colorspace": self._fitting.colorspace,
            "color_range": self._fitting.color_range,
        }
        timecode = material.part.timecode if material.part else info.timecode
        self._writer = PictureWriter(
            target,
            (info.width, info.height),
            Fraction(info.rate),
            encoder=form.encoder,
            pixel_format=self._kept,
            muxer=form.muxer,
            options=dict(form.options),
            time_base=info.time_base,
            rotation=info.rotation,
            tags=tags,
            timecode=timecode,
        )
        self.finish, self.commit, self.discard = self._writer.finish, self._writer.commit, self._writer.discard

    def write(self, shot: Shot) -> None:
        matte = stored(matte_of(shot.layers, self._info.upright_size), self._info.rotation)
        source, covered = (planes_of(self._fitting.fitted(frame.picture))[:3] for frame in (shot.source, shot.covered))
        scales, shifts = self._scales(shot.source.full_range), plane_layout(self._opaque).shifts
        colours, alpha = (
            [np.full_like(plane, scale.low) for plane, scale in zip(covered, scales)],
            np.zeros_like(covered[0]),
        )
        # Nothing is different outside of covers.
        for x0, y0, x1, y1 in _places(
            [
                stored_box(layer.box, (self._info.width, self._info.height), self._info.rotation)
                for layer in shot.layers
            ],
            (self._info.width, self._info.height),
        ):
            here = [np.s_[y0 >> down : -(-y1 >> down), x0 >> across : -(-x1 >> across)] for across, down in shifts]
            made, share = covers_alone(
                [p[h] for p, h in zip(source, here)], [p[h] for p, h in zip(covered, here)], matte[y0:y1, x0:x1], scales
            )
            if self._form.smooth and share.any():
                known = share > 0
                made = [
                    np.where(known, plane, np.rint(spread_from(plane, known))).astype(plane.dtype) for plane in made
                ]
            for colour, part, h in zip(colours, made, here):
                colour[h] = part
            alpha[y0:y1, x0:x1] = share
        self._writer.write_picture(picture_of(self._kept, [*colours, alpha]), shot.covered.pts - self._begins)

    def _scales(self, full_range: bool) -> list[Scale]:
        depth = plane_layout(self._kept).depth
        most, step = (1 << depth) - 1, 1 << (depth - 8)
        if self._kept.startswith("gbr") or full_range and not self._form.smooth:
            return [Scale(0, most, most)] * 3
        return [Scale(16 * step, 235 * step, most), *[Scale(16 * step, 240 * step, most)] * 2]


class _InPictures(_Covers):
    """RGB of full range, upright."""

    def __init__(self, target: Path, form: AlphaForm, material: Material):
        self._size = material.info.upright_size
        self._rgb = UprightRgb(material.info, (material.info.width, material.info.height))
        self._writer = PicturesWriter(
            target,
            PICTURE_FORMS["png"],
            self._size,
            self._rgb.deep,
            alpha=True,
            first=material.part.first if material.part else 0,
        )
        self.finish, self.commit, self.discard = self._writer.finish, self._writer.commit, self._writer.discard

    def write(self, shot: Shot) -> None:
        source, covered = (np.moveaxis(self._rgb.of(frame), 2, 0) for frame in (shot.source, shot.covered))
        most, matte = 65535 if self._rgb.deep else 255, matte_of(shot.layers, self._size)
        picture = np.zeros((4, *matte.shape), source.dtype)
        for x0, y0, x1, y1 in _places([layer.box for layer in shot.layers], self._size):
            here = np.s_[:, y0:y1, x0:x1]
            colours, alpha = covers_alone(source[here], covered[here], matte[y0:y1, x0:x1], [Scale(0, most, most)] * 3)
            picture[here] = np.stack([*colours, alpha])
        self._writer.write(np.moveaxis(picture, 0, 2))


def _places(boxes: Iterable[Box], size: tuple[int, int]) -> list[Box]:
    """Boxes around covers, x0, y0, x1, y1 px, with as much room as colour is spread by when it is brought to every
    pixel, to whole blocks of a codec; those that touch are one. size: width and height of the picture."""
    places: list[Box] = []
    for x0, y0, x1, y1 in boxes:
        box = (
            max(0, (x0 // BLOCK - 1) * BLOCK),
            max(0, (y0 // BLOCK - 1) * BLOCK),
            min(size[0], (-(-x1 // BLOCK) + 1) * BLOCK),
            min(size[1], (-(-y1 // BLOCK) + 1) * BLOCK),
        )
        while touching := next(
            (p for p in places if p[0] <= box[2] and box[0] <= p[2] and p[1] <= box[3] and box[1] <= p[3]), None
        ):
            places.remove(touching)
            box = min(box[0], touching[0]), min(box[1], touching[1]), max(box[2], touching[2]), max(box[3], touching[3])
        places.append(box)
    return places
