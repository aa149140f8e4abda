"""One decoded frame: the decoder's own planes, and conversions for the screen and the detector only."""

from __future__ import annotations

import threading
from dataclasses import dataclass
from fractions import Fraction
from functools import lru_cache
from pathlib import Path

import av
import numpy as np
from av.video.reformatter import ColorRange, Colorspace, Interpolation, VideoReformatter

from skiagraph.media.clip import ClipInfo

# Packed or half-planar layouts and the planar layout that holds the same samples.
_PLANAR = {
    "nv12": "yuv420p",
    "nv21": "yuv420p",
    "nv16": "yuv422p",
    "nv24": "yuv444p",
    "p010le": "yuv420p10le",
    "p012le": "yuv420p12le",
    "p016le": "yuv420p16le",
    "p210le": "yuv422p10le",
    "yuyv422": "yuv422p",
    "uyvy422": "yuv422p",
    "yvyu422": "yuv422p",
    "rgb24": "gbrp",
    "bgr24": "gbrp",
    "rgb0": "gbrp",
    "bgr0": "gbrp",
    "0rgb": "gbrp",
    "0bgr": "gbrp",
    "pal8": "gbrap",
    "rgba": "gbrap",
    "bgra": "gbrap",
    "argb": "gbrap",
    "abgr": "gbrap",
    "rgb48le": "gbrp16le",
    "rgba64le": "gbrap16le",
    "rgb48be": "gbrp16le",
    "rgba64be": "gbrap16le",
    "gray16be": "gray16le",
    "monob": "gray",
    "monow": "gray",
    "yuv420p10be": "yuv420p10le",
    "yuv422p10be": "yuv422p10le",
    "yuv444p10be": "yuv444p10le",
}

# As libswscale names them.
_MATRICES = {"bt601": Colorspace.ITU601, "bt709": Colorspace.ITU709, "bt2020": 9}
# A picture of fewer px is converted sooner by one thread than others are woken.
WORTH_THREADS = 500_000
# Converters to RGB, one for each thread: they remember how one kind of picture becomes another.
_of_thread = threading.local()


@dataclass(frozen=True, slots=True)
class FrameFacts:
    """All of a frame but its samples. width, height: stored, px; tags: colour range, matrix, primaries and transfer;
    interlaced: it is two fields, each half as high, taken one after the other."""

    number: int
    pixel_format: str
    width: int
    height: int
    pts: int
    time_base: Fraction
    tags: tuple[int, int, int, int]
    interlaced: bool


class Frame:
    """Frame number `number` of a clip, as the decoder gave it.

    Treat it as a value: the planes may be the decoder's own references. `writable()` gives one that may be changed.
    """

    __slots__ = ("number", "rotation", "interlaced", "_av", "_info")

    def __init__(self, number: int, picture: av.VideoFrame, info: ClipInfo):
        self.interlaced = bool(picture.interlaced_frame)
        target = planar_name(info.pixel_format)
        if _unmarked(picture.format.name) != _unmarked(target):
            pts, time_base = picture.pts, picture.time_base
            tags = (picture.color_range, picture.colorspace, picture.color_primaries, picture.color_trc)
            picture = picture.reformat(format=target)
            picture.pts, picture.time_base = pts, time_base
            picture.color_range, picture.colorspace, picture.color_primaries, picture.color_trc = tags
        self.number, self.rotation, self._av, self._info = number, info.rotation, picture, info

    @classmethod
    def of(cls, facts: FrameFacts, info: ClipInfo) -> Frame:
        """A frame of these facts, whose samples are yet to be filled in."""
        frame = cls.__new__(cls)
        picture = av.VideoFrame(info.width, info.height, facts.pixel_format)
        picture.pts, picture.time_base = facts.pts, facts.time_base
        picture.color_range, picture.colorspace, picture.color_primaries, picture.color_trc = facts.tags
        frame.number, frame.rotation, frame.interlaced, frame._av, frame._info = (
            facts.number,
            info.rotation,
            facts.interlaced,
            picture,
            info,
        )
        return frame

    @property
    def facts(self) -> FrameFacts:
        picture = self._av
        return FrameFacts(
            self.number,
            picture.format.name,
            picture.width,
            picture.height,
            picture.pts,
            picture.time_base,
            (int(picture.color_range), int(picture.colorspace), int(picture.color_primaries), int(picture.color_trc)),
            self.interlaced,
        )

    @property
    def picture(self) -> av.VideoFrame:
        """The library's frame, for the writer."""
        return self._av

    @property
    def pts(self) -> int:
        return self._av.pts

    @property
    def size(self) -> tuple[int, int]:
        """Stored width and height, px."""
        return self._av.width, self._av.height

    @property
    def rate(self) -> Fraction:
        """Frames a second of its clip."""
        return Fraction(self._info.rate)

    @property
    def layout(self) -> PlaneLayout:
        return plane_layout(self._av.format.name)

    @property
    def matrix(self) -> str:
        """Colour matrix of the samples: rgb, bt601, bt709 or bt2020.

        Unspecified means BT.709 from 720 lines, as in the trade.
        """
        return _matrix_of(int(self._av.colorspace), self.layout.is_rgb, min(self.size))

    @property
    def full_range(self) -> bool:
        # Grey without colour planes is of full range wherever it comes from, as libswscale takes it too.
        return self.layout.is_rgb or int(self._av.color_range) == 2 or self._av.format.name.startswith(("yuvj", "gray"))

    def planes(self) -> list[np.ndarray]:
        """Views of the samples, one array (rows, columns) per plane, uint8 or uint16, in the order of the format."""
        return planes_of(self._av)

    def writable(self) -> Frame:
        """The same frame with planes of its own that may be changed."""
        picture = self._av
        copy = av.VideoFrame(picture.width, picture.height, picture.format.name)
        twin = Frame.__new__(Frame)
        twin.number, twin.rotation, twin.interlaced, twin._av, twin._info = (
            self.number,
            self.rotation,
            self.interlaced,
            copy,
            self._info,
        )
        for mine, theirs in zip(twin.planes(), self.planes()):
            mine[:] = theirs
        copy.pts, copy.time_base = picture.pts, picture.time_base
        copy.color_range, copy.colorspace = picture.color_range, picture.colorspace
        copy.color_primaries, copy.color_trc = picture.color_primaries, picture.color_trc
        return twin

    def rgb(self, width: int | None = None, height: int | None = None, *, fast: bool = False) -> np.ndarray:
        """Upright uint8 RGB (height, width, 3) for the screen or the detector; width and height are of the upright
        picture."""
        turned = self.rotation in (90, 270)
        own_w, own_h = self.size[::-1] if turned else self.size
        width, height = width or own_w, height or own_h
        target = (height, width) if turned else (width, height)
        matrix = _MATRICES.get(self.matrix, Colorspace.DEFAULT)
        smooth = (
            Interpolation.FAST_BILINEAR
            if fast
            else Interpolation.AREA
            if target[0] < self.size[0]
            else Interpolation.BILINEAR
        )
        if not hasattr(_of_thread, "converter"):
            _of_thread.converter = VideoReformatter()
        picture = _of_thread.converter.reformat(
            self._av,
            target[0],
            target[1],
            "rgb24",
            src_colorspace=matrix,
            dst_colorspace=Colorspace.DEFAULT,
            src_color_range=ColorRange.JPEG if self.full_range else ColorRange.MPEG,
            dst_color_range=ColorRange.JPEG,
            interpolation=smooth,
            threads=1 if target[0] * target[1] < WORTH_THREADS else 0,
        )
        plane = picture.planes[0]
        # The picture itself, not a copy of it.
        samples = (
            np.frombuffer(plane, np.uint8)
            .reshape(-1, plane.line_size)[: target[1], : 3 * target[0]]
            .reshape(target[1], target[0], 3)
        )
        return np.ascontiguousarray(upright(samples, self.rotation))

    def like(self, info: ClipInfo) -> Frame:
        """The same picture in the upright size of another clip and, where one is RGB and the other is not, in its kind
        of samples; itself where nothing is to be done. Scaled by Lanczos (Duchon 1979)."""
        width, height = info.upright_size[::-1] if self.rotation in (90, 270) else info.upright_size
        there, mine = plane_layout(planar_name(info.pixel_format)), self.layout
        if (width, height) == self.size and there.is_rgb == mine.is_rgb:
            return self
        told: dict = {"format": mine.name}
        tags = (self._av.color_range, self._av.colorspace)
        if there.is_rgb != mine.is_rgb:
            full = info.color_range == 2 or info.pixel_format.startswith(("yuvj", "gray")) or there.is_rgb
            other = _matrix_of(info.colorspace, there.is_rgb, min(info.width, info.height))
            told = {
                "format": there.name,
                "src_colorspace": _MATRICES.get(self.matrix, Colorspace.DEFAULT),
                "dst_colorspace": _MATRICES.get(other, Colorspace.DEFAULT),
                "src_color_range": ColorRange.JPEG if self.full_range else ColorRange.MPEG,
                "dst_color_range": ColorRange.JPEG if full else ColorRange.MPEG,
            }
            tags = (2 if full else 1, info.colorspace)
        made = Frame.__new__(Frame)
        made._av = VideoReformatter().reformat(self._av, width, height, interpolation=Interpolation.LANCZOS, **told)
        made._av.color_range, made._av.colorspace = tags
        made._av.pts, made._av.time_base = self._av.pts, self._av.time_base
        made.number, made.rotation, made.interlaced, made._info = (
            self.number,
            self.rotation,
            self.interlaced,
            self._info,
        )
        return made

    def window(self, box: tuple[int, int, int, int]) -> tuple[Frame, tuple[int, int]]:
        """The part of the frame around a box (x0, y0, x1, y1 px of the upright picture), as a small frame of its own,
        and its upper left corner in the upright picture: no larger than it has to be for whole samples of colour. Of a
        box beyond the picture, what of it is nearest."""
        width, height = self.size
        x0, y0, x1, y1 = stored_box(box, self.size, self.rotation)
        x0, y0 = (max(0, min(at, side - 1)) // 8 * 8 for at, side in ((x0, width), (y0, height)))
        x1, y1 = (min(side, max(low + 8, -(-at // 8) * 8)) for at, low, side in ((x1, x0, width), (y1, y0, height)))
        part = Frame.__new__(Frame)
        part._av = av.VideoFrame(x1 - x0, y1 - y0, self._av.format.name)
        part.number, part.rotation, part.interlaced, part._info = (
            self.number,
            self.rotation,
            self.interlaced,
            self._info,
        )
        part._av.pts, part._av.time_base = self._av.pts, self._av.time_base
        part._av.color_range, part._av.color_primaries, part._av.color_trc = (
            self._av.color_range,
            self._av.color_primaries,
            self._av.color_trc,
        )
        # Unspecified would be taken by the size of the part.
        part._av.colorspace = {"bt601": 6, "bt709": 1, "bt2020": 9}.get(self.matrix, int(self._av.colorspace))
        for (shift_x, shift_y), mine, theirs in zip(self.layout.shifts, part.planes(), self.planes()):
            mine[:] = theirs[
                y0 >> shift_y : (y0 >> shift_y) + mine.shape[0], x0 >> shift_x : (x0 >> shift_x) + mine.shape[1]
            ]
        left, top, _, _ = upright_box((x0, y0, x1, y1), self.size, self.rotation)
        return part, (left, top)

    def grey(self) -> np.ndarray:
        """Upright uint8 (rows, columns): the luma plane, or green for RGB samples, brought to 8 bits."""
        luma = self.planes()[0]
        if luma.dtype != np.uint8:
            luma = (luma >> (self.layout.depth - 8)).astype(np.uint8)
        return np.ascontiguousarray(upright(luma, self.rotation))


def _matrix_of(code: int, is_rgb: bool, lines: int) -> str:
    """The matrix of samples with a code point of ITU-T H.273, in pictures of so many lines."""
    if is_rgb:
        return "rgb"
    return {4: "bt601", 5: "bt601", 6: "bt601", 9: "bt2020", 10: "bt2020", 1: "bt709"}.get(code) or (
        "bt709" if lines >= 720 else "bt601"
    )


def grey_frame(grey: np.ndarray) -> Frame:
    """A frame of no clip, from a picture (rows, columns) of 0..255: for trying covers on patterns."""
    height, width = grey.shape
    info = ClipInfo(
        Path(),
        "",
        "",
        width,
        height,
        0,
        "gray",
        8,
        Fraction(1),
        Fraction(25),
        Fraction(1, 25),
        0,
        0.0,
        1,
        2,
        2,
        2,
        2,
        "",
        (),
        0,
    )
    frame = Frame.of(FrameFacts(0, "gray", width, height, 0, Fraction(1, 25), (2, 2, 2, 2), False), info)
    frame.planes()[0][:] = np.rint(grey)
    return frame


class PlaneLayout:
    """Where samples lie: shifts of each plane (x, y), dtype, depth in bits, which planes carry colour."""

    __slots__ = ("name", "shifts", "dtype", "depth", "is_rgb", "picture_planes")

    def __init__(self, name: str):
        described = av.VideoFormat(name)
        count = len({component.plane for component in described.components})
        self.name = name
        self.is_rgb = described.is_rgb
        self.depth = max(component.bits for component in described.components)
        self.dtype = np.dtype(np.uint8 if self.depth <= 8 else np.uint16)
        self.shifts = [(0, 0)] * count
        sub_x = {16: 0, 8: 1, 4: 2}.get(described.chroma_width(16), 0)
        sub_y = {16: 0, 8: 1, 4: 2}.get(described.chroma_height(16), 0)
        if not self.is_rgb and count >= 3:
            self.shifts[1] = self.shifts[2] = (sub_x, sub_y)
        # A fourth plane, or the second of two, is alpha: it stays as it was shot.
        self.picture_planes = 3 if count >= 3 else 1


@lru_cache(maxsize=64)
def plane_layout(name: str) -> PlaneLayout:
    """The layout of a planar pixel format. Raises ValueError for one with packed samples."""
    described = av.VideoFormat(name)
    planes = {component.plane for component in described.components}
    if len(planes) != len(described.components):
        raise ValueError(f"{name} is not planar")
    return PlaneLayout(name)


def planes_of(picture: av.VideoFrame) -> list[np.ndarray]:
    """Views of the samples of a planar picture, one array (rows, columns) per plane, uint8 or uint16, in the order of
    the format."""
    layout, result = plane_layout(picture.format.name), []
    for (rows, columns), plane in zip(_plane_sizes(picture.format.name, picture.width, picture.height), picture.planes):
        result.append(
            np.frombuffer(plane, layout.dtype).reshape(-1, plane.line_size // layout.dtype.itemsize)[:rows, :columns]
        )
    return result


def picture_of(pixel_format: str, planes: list[np.ndarray]) -> av.VideoFrame:
    """A picture for an encoder from its planes, in the order of the format."""
    picture = av.VideoFrame(planes[0].shape[1], planes[0].shape[0], pixel_format)
    for mine, theirs in zip(planes_of(picture), planes):
        mine[:] = theirs
    return picture


def planar_name(pixel_format: str) -> str:
    """The planar format that holds the samples of a pixel format; itself where it is planar."""
    return _PLANAR.get(pixel_format, pixel_format)


def _unmarked(pixel_format: str) -> str:
    """Without the mark of full range, which changes no sample."""
    return pixel_format.replace("yuvj", "yuv")


def bytes_of(info: ClipInfo) -> int:
    """Bytes of one frame of a clip as its planes lie one after another."""
    return (
        sum(rows * columns for rows, columns in _plane_sizes(planar_name(info.pixel_format), info.width, info.height))
        * plane_layout(planar_name(info.pixel_format)).dtype.itemsize
    )


def ahead_of(info: ClipInfo, most: int, budget: int, copies: float = 1.0) -> int:
    """How many frames of a clip may wait, each in so many copies, in a budget of bytes: most at most, and one at
    least."""
    return max(1, min(most, int(budget / (copies * bytes_of(info)))))


def planes_in(memory: memoryview, facts: FrameFacts) -> list[np.ndarray]:
    """The planes of a frame as they lie one after another in a memory: arrays (rows, columns)."""
    dtype, at, planes = plane_layout(facts.pixel_format).dtype, 0, []
    for rows, columns in _plane_sizes(facts.pixel_format, facts.width, facts.height):
        planes.append(np.frombuffer(memory, dtype, rows * columns, at).reshape(rows, columns))
        at += rows * columns * dtype.itemsize
    return planes


def _plane_sizes(pixel_format: str, width: int, height: int) -> list[tuple[int, int]]:
    """Rows and columns of each plane."""
    return [(-(-height >> y), -(-width >> x)) for x, y in plane_layout(pixel_format).shifts]


def upright(stored: np.ndarray, rotation: int) -> np.ndarray:
    """Turn a stored picture clockwise by rotation degrees, so that a person sees it upright."""
    return np.rot90(stored, -rotation // 90) if rotation else stored


def stored_box(box: tuple[int, int, int, int], size: tuple[int, int], rotation: int) -> tuple[int, int, int, int]:
    """A box of the upright picture, x0, y0, x1, y1 px, in the stored one of a size (width, height)."""
    (x0, y0, x1, y1), (width, height) = box, size
    return {
        0: box,
        90: (y0, height - x1, y1, height - x0),
        180: (width - x1, height - y1, width - x0, height - y0),
        270: (width - y1, x0, width - y0, x1),
    }[rotation]


def upright_box(box: tuple[int, int, int, int], size: tuple[int, int], rotation: int) -> tuple[int, int, int, int]:
    """The inverse of stored_box; size: of the stored picture."""
    turned = size[::-1] if rotation in (90, 270) else size
    return stored_box(box, turned, -rotation % 360)


def stored(upright_array: np.ndarray, rotation: int) -> np.ndarray:
    """The inverse of upright."""
    return np.rot90(upright_array, rotation // 90) if rotation else upright_array
