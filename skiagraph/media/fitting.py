"""Frames of a clip made fit for a format: other samples, another size, and marks in the frame that the library does not
set by itself."""

from __future__ import annotations

from fractions import Fraction

import av
import av.filter
from av.video.reformatter import ColorRange, Colorspace

from skiagraph.media.clip import ClipInfo
from skiagraph.media.frame import planar_name

# Code points of ITU-T H.273, and how samples become others: RGB as BT.709 in limited range, full range as limited.
_BT709, _LIMITED, _FULL = 1, 1, 2
_FROM_RGB = {
    "src_colorspace": Colorspace.DEFAULT,
    "dst_colorspace": Colorspace.ITU709,
    "src_color_range": ColorRange.JPEG,
    "dst_color_range": ColorRange.MPEG,
}
_TO_LIMITED = {
    "src_colorspace": Colorspace.ITU709,
    "dst_colorspace": Colorspace.ITU709,
    "src_color_range": ColorRange.JPEG,
    "dst_color_range": ColorRange.MPEG,
}
# Lanczos keeps fine detail when a picture is made smaller or larger (Duchon 1979); exact rounding, and colour
# interpolated at every pixel.
_FILTER = "lanczos+accurate_rnd+full_chroma_int"


class Fitting:
    """How frames of a clip become those of a film. size: of the stored picture, px; aspect: of its pixels;
    limited_only: the film's samples are of limited range; aspect_in_frames: it takes the aspect from its frames;
    keeps_fields: it can say which field is first; here: the kind of samples is changed here, and not by the encoder.

    colorspace, color_range: what the film is to say of its samples (ITU-T H.273).
    """

    def __init__(
        self,
        source: ClipInfo,
        pixel_format: str,
        size: tuple[int, int],
        aspect: Fraction,
        *,
        limited_only: bool = False,
        aspect_in_frames: bool = False,
        keeps_fields: bool = True,
        here: bool = False,
    ):
        self._pixel_format, self._converted, self._filters = pixel_format, None, None
        self.colorspace, self.color_range = source.colorspace, source.color_range
        planar = planar_name(source.pixel_format)
        if av.VideoFormat(planar).is_rgb and not av.VideoFormat(pixel_format).is_rgb:
            self._converted = _FROM_RGB
            self.colorspace, self.color_range = _BT709, _LIMITED
        elif (
            planar.startswith("gray")
            and not pixel_format.startswith("gray")
            or limited_only
            and (source.color_range == _FULL or source.pixel_format.startswith("yuvj"))
        ):
            self._converted = _TO_LIMITED
            self.color_range = _LIMITED
        steps = []
        scaled = size != (source.width, source.height)
        # Colour, and lines of a picture that is scaled, belong to those of their own field.
        if scaled or (source.fields or here) and pixel_format != planar and self._converted is None:
            # Matrix and range stay: said, since the filter takes what it does not know for another.
            extent = (
                "full"
                if source.color_range == _FULL and not self._converted or pixel_format.startswith("gray")
                else "limited"
            )
            steps.append(
                (
                    "scale",
                    (
                        f"w={size[0]}:h={size[1]}:flags={_FILTER}:interl={1 if source.fields else 0}:"
                        f"in_color_matrix=bt709:out_color_matrix=bt709:in_range={extent}:out_range={extent}"
                    ),
                )
            )
            steps.append(("format", pixel_format))
        if scaled or aspect_in_frames and aspect != 1:
            steps.append(("setsar", f"{aspect.numerator}/{aspect.denominator}"))
        if source.fields and keeps_fields:
            steps.append(("setfield", "tff" if source.fields == "top" else "bff"))
        if steps:
            self._filters = Filters(steps)

    def fitted(self, picture: av.VideoFrame) -> av.VideoFrame:
        """The picture as the film takes it; itself where nothing is to be done."""
        if self._converted is not None:
            picture = self._in_other_samples(picture)
        return _tagged_as(picture, self._filters.passed(picture)) if self._filters else picture

    def _in_other_samples(self, picture: av.VideoFrame) -> av.VideoFrame:
        converted = _tagged_as(picture, picture.reformat(format=self._pixel_format, **self._converted))
        converted.pts, converted.time_base, converted.pict_type = picture.pts, picture.time_base, 0
        converted.colorspace, converted.color_range = self.colorspace, self.color_range
        return converted


def _tagged_as(picture: av.VideoFrame, made: av.VideoFrame) -> av.VideoFrame:
    """With the tags of what it was made from."""
    made.colorspace, made.color_range = picture.colorspace, picture.color_range
    made.color_primaries, made.color_trc = picture.color_primaries, picture.color_trc
    return made


def with_alpha(encoder: str, info: ClipInfo) -> str:
    """The pixel format of an encoder that keeps the samples of a clip as they are, with alpha besides; or the nearest
    that loses nothing but its kind."""
    allowed = [f.name for f in av.Codec(encoder, "w").video_formats or () if f.name.startswith(("yuva", "gbrap"))]
    planar = planar_name(info.pixel_format).replace("yuvj", "yuv").replace("yuva", "yuv").replace("gbrap", "gbrp")
    mine = planar.replace("yuv", "yuva").replace("gbrp", "gbrap")
    depth = next((mark for bits, mark in ((8, ""), (10, "10le"), (12, "12le")) if info.bit_depth <= bits), "16le")
    return next(name for name in (mine, f"yuva444p{depth}", "yuva444p10le") if name in allowed)


def rgb_filters(source: ClipInfo, matrix: str, full_range: bool, size: tuple[int, int], pixel_format: str) -> Filters:
    """Filters that make pictures of a clip RGB of full range, scaled to a size of the stored picture. matrix,
    full_range: of the samples, as Frame tells them."""
    into = "" if matrix == "rgb" else f":in_color_matrix={matrix}:in_range={'full' if full_range else 'limited'}"
    return Filters(
        [
            (
                "scale",
                (
                    f"w={size[0]}:h={size[1]}:flags={_FILTER}+full_chroma_inp"
                    f":interl={1 if source.fields else 0}{into}:out_range=full"
                ),
            ),
            ("format", pixel_format),
        ]
    )


class Filters:
    """Frames passed through FFmpeg's filters: (name, arguments) each."""

    def __init__(self, filters: list[tuple[str, str]]):
        self._filters, self._graph = filters, None

    def passed(self, picture: av.VideoFrame) -> av.VideoFrame:
        if self._graph is None:
            self._graph = av.filter.Graph()
            last = self._graph.add_buffer(
                width=picture.width, height=picture.height, format=picture.format.name, time_base=picture.time_base
            )
            for name, arguments in (*self._filters, ("buffersink", None)):
                following = self._graph.add(name, arguments)
                last.link_to(following)
                last = following
            self._graph.configure()
        self._graph.push(picture)
        return self._graph.pull()
