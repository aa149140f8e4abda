"""Words as a picture: in a font that ships with the application, from left to right or from right to left."""

from __future__ import annotations

from functools import lru_cache
from importlib.resources import files

import numpy as np
from PIL import Image, ImageDraw, ImageFont

# Height of the letters that words are drawn with, px, and room around them in heights of a line.
LETTER_PX, LINE, ROOM = 64, 1.28, 0.38
MOST_SIDE = 4096


@lru_cache(maxsize=1)
def _font() -> ImageFont.FreeTypeFont:
    with files("skiagraph.assets").joinpath("fonts", "DejaVuSans.ttf").open("rb") as file:
        return ImageFont.truetype(file, LETTER_PX, layout_engine=ImageFont.Layout.BASIC)


def reads_from_right(text: str) -> bool:
    """True for words whose first strong letter goes from right to left (Unicode Standard Annex 9, rule P2)."""
    import unicodedata

    strong = next((unicodedata.bidirectional(c) for c in text if unicodedata.bidirectional(c) in ("L", "R", "AL")), "L")
    return strong != "L"


@lru_cache(maxsize=256)
def visible(line: str) -> str:
    """A line in the order in which its letters are seen, Arabic ones joined."""
    from arabic_reshaper import reshape
    from bidi import get_display

    return get_display(reshape(line), base_dir="R" if reads_from_right(line) else "L")


@lru_cache(maxsize=64)
def lettered(
    text: str,
    colour: tuple[int, int, int],
    ground: tuple[int, int, int],
    opacity: float,
    border: float,
    border_colour: tuple[int, int, int],
    shape: float,
) -> np.ndarray:
    """A box with words: uint8 (rows, columns, 4) RGBA, not multiplied.

    opacity: of the box, 0..1; border: width of its line as a share of a letter's height; shape: width against height
    that is aimed at by breaking lines, 0 for one line for each line of the text.
    """
    font, pad, step = _font(), round(ROOM * LETTER_PX), round(LINE * LETTER_PX)
    lines = _broken(text, shape) or [""]
    seen = [visible(line) for line in lines]
    wide = max(font.getlength(line) for line in seen)
    edge = round(border * LETTER_PX)
    width, height = min(MOST_SIDE, round(wide) + 2 * (pad + edge)), min(MOST_SIDE, step * len(seen) + 2 * (pad + edge))
    picture = Image.new("RGBA", (width, height), (*ground, round(255 * opacity)))
    draw = ImageDraw.Draw(picture)
    if edge:
        draw.rectangle((0, 0, width - 1, height - 1), outline=(*border_colour, 255), width=edge)
    ascent, descent = font.getmetrics()
    letters = Image.new("L", (width, height), 0)
    pen = ImageDraw.Draw(letters)
    for n, line in enumerate(seen):
        pen.text(
            ((width - font.getlength(line)) / 2, edge + pad + n * step + (step - ascent - descent) / 2),
            line,
            font=font,
            fill=255,
        )
    picture.paste((*colour, 255), (0, 0), letters)
    return np.asarray(picture)


def _broken(text: str, shape: float) -> list[str]:
    """The lines of a text; where a shape is aimed at, broken between words so that the box comes near to it."""
    given = [" ".join(line.split()) for line in text.strip().splitlines()]
    if not shape:
        return given
    words = [word for line in given for word in line.split(" ")]
    best, least = given, float("inf")
    for count in range(len(given), min(len(words), 12) + 1):
        lines = _evenly(words, count) if count > len(given) else given
        ratio = max(_font().getlength(line) for line in lines) / (len(lines) * LINE * LETTER_PX)
        off = abs(np.log(max(ratio, 1e-3) / shape))
        if off < least:
            best, least = lines, off
    return best


def _evenly(words: list[str], count: int) -> list[str]:
    """Words in at most so many lines, as even as can be filled one after another."""
    room = sum(map(len, words)) + len(words)
    for width in range(max(map(len, words)), room + 1):
        lines, now = [], ""
        for word in words:
            if now and len(now) + 1 + len(word) > width:
                lines.append(now)
                now = word
            else:
                now = f"{now} {word}" if now else word
        lines.append(now)
        if len(lines) <= count:
            return lines
    return [" ".join(words)]
