"""Make the part of docs/covers.md that says what each cover can be told, from what the covers say of themselves, and
the picture of all of them on the demo.

    python -m tools.covers_page
"""

from __future__ import annotations

import tempfile
from pathlib import Path

import numpy as np
from PIL import Image, ImageDraw, ImageFont

from skiagraph.cover.composite import with_layers
from skiagraph.cover.cover import Cover, Style
from skiagraph.cover.layer import layer_of
from skiagraph.cover.spoken import shown
from skiagraph.cover.strength import detail_left
from skiagraph.demo.ship import shipped
from skiagraph.demo.truth import load_truth
from skiagraph.media.index import open_clip
from skiagraph.media.reader import FrameReader
from skiagraph.project.house import house_styles
from skiagraph.shape.shape import Outline
from skiagraph.values import Parameter, parameters

DOCS = Path(__file__).parents[1] / "docs"
BEGIN, END = "<!-- made by tools/covers_page.py from here -->", "<!-- to here -->"
# The frame of the demo that is shown, the size of a picture and how many stand in a row.
CLIP, FRAME, TILE, ROW = "voice", 60, 232, 5
FONT = Path(__file__).parents[1] / "skiagraph" / "assets" / "fonts" / "Karla.ttf"


def tables() -> str:
    """What each kind says of itself, as Markdown."""
    parts = []
    for tag, kind in Cover.kinds.items():
        left = detail_left(Style.of(kind()))
        parts.append(
            f"### {kind.word} (`{tag}`)\n\n{kind.tip}. By itself it leaves"
            f" {f'{left:.1f} cycles across the face' if left else 'no detail of a face'}.\n"
        )
        if parameters(kind):
            parts.append("| | name | values | by itself | |\n|---|---|---|---|---|")
            parts += [_line(p) for p in parameters(kind)]
            parts.append("")
    return "\n".join(parts)


def _line(p: Parameter) -> str:
    values = (
        " or ".join(f"`{v}` ({word})" for v, word in p.options)
        if p.form == "choice"
        else f"{p.low:g} to {p.high:g}{p.unit}"
        if p.form == "number"
        else p.form
    )
    return f"| {p.title} | `{p.name}` | {values} | {shown(p, p.default) or '–'} | {p.tip} |"


def houses() -> str:
    lines = ["| house style | cover | rules | |", "|---|---|---|---|"]
    for style in house_styles():
        lines.append(
            f"| {style.name} | {style.style.state()} | {'; '.join(rule.sentence() for rule in style.house.rules)} |"
            f" {style.house.note} |"
        )
    return "\n".join(lines)


def page(text: str) -> str:
    """The page with its made part made anew."""
    head, _, rest = text.partition(BEGIN)
    _, _, tail = rest.partition(END)
    return f"{head}{BEGIN}\n\n{tables()}\n### House styles that ship\n\n{houses()}\n\n{END}{tail}"


def examples(folder: Path) -> list[tuple[str, tuple[Cover, ...] | None]]:
    """What the picture shows: each kind, and some of what can be made of them."""
    kinds, emblem = Cover.kinds, folder / "emblem.png"
    _emblem().save(emblem)
    return [
        ("as shot", None),
        ("dissolve (default)", (kinds["dissolve"](),)),
        ("blur", (kinds["blur"](),)),
        ("haze", (kinds["haze"](),)),
        ("solid", (kinds["solid"](),)),
        ("solid, from around", (kinds["solid"](sampled="around"),)),
        ("mosaic", (kinds["mosaic"](),)),
        ("mosaic, rounded", (kinds["mosaic"](4, rounded=1.0),)),
        ("mosaic, uneven", (kinds["mosaic"](4, jitter=1.0),)),
        ("mosaic over dissolve", (kinds["dissolve"](), kinds["mosaic"](4, even=0.0))),
        ("picture", (kinds["picture"](str(emblem)),)),
        ("solid + caption", (kinds["solid"](), kinds["caption"](border=0.1))),
        ("caption", (kinds["caption"]("الاسم محجوب", ground=(110, 45, 35)),)),
        ("mosaic + blur", (kinds["mosaic"](3), kinds["blur"](0.08))),
        ("solid, half opaque", (kinds["solid"](colour=(190, 90, 60), opacity=0.5),)),
    ]


def _emblem() -> Image.Image:
    """A fish of our own, with room around it."""
    picture = Image.new("RGBA", (480, 480), (0, 0, 0, 0))
    draw = ImageDraw.Draw(picture)
    draw.ellipse((10, 10, 470, 470), fill=(38, 84, 98, 255))
    draw.ellipse((110, 180, 350, 310), fill=(233, 227, 217, 255))
    draw.polygon([(330, 245), (420, 175), (420, 315)], fill=(233, 227, 217, 255))
    draw.ellipse((150, 225, 172, 247), fill=(38, 84, 98, 255))
    return picture


def sheet() -> Image.Image:
    """Every example on the same frame of the demo."""
    truth = load_truth(shipped(f"{CLIP}.truth.json"))
    with FrameReader(*open_clip(shipped(f"{CLIP}.mp4"))) as reader:
        frame = reader.read(FRAME)
    head = max(truth.heads[FRAME], key=lambda h: h.width)
    x, y, half = int(head.cx), int(head.cy), int(head.width * 1.15)
    font, gap = ImageFont.truetype(str(FONT), 15), 26
    with tempfile.TemporaryDirectory() as folder:
        shown_ = examples(Path(folder))
        rows = -(-len(shown_) // ROW)
        whole = Image.new("RGB", (ROW * (TILE + 8) + 8, rows * (TILE + gap + 8) + 8), "#191716")
        for n, (name, covers) in enumerate(shown_):
            seen = frame
            if covers is not None:
                style = Style(covers)
                seen = with_layers(
                    frame,
                    [
                        layer_of(
                            "s1",
                            style,
                            Outline.at(head.cx, head.cy, head.width, head.height, head.angle).grown_by(style.margin),
                            frame.size,
                        )
                    ],
                )
            tile = Image.fromarray(np.ascontiguousarray(seen.rgb()[y - half : y + half, x - half : x + half])).resize(
                (TILE, TILE), Image.Resampling.LANCZOS
            )
            left, top = 8 + n % ROW * (TILE + 8), 8 + n // ROW * (TILE + gap + 8)
            whole.paste(tile, (left, top))
            ImageDraw.Draw(whole).text((left + 2, top + TILE + 5), name, fill="#E9E3D9", font=font)
    return whole


def main() -> None:
    place = DOCS / "covers.md"
    place.write_text(page(place.read_text()))
    sheet().save(DOCS / "screenshots" / "covers.png", optimize=True)


if __name__ == "__main__":
    main()
