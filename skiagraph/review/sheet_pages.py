"""The contact sheet as pictures in files: pages of crops of the result, person by person, with what is doubtful under
each."""

from __future__ import annotations

import io
import re
from collections.abc import Sequence
from functools import lru_cache
from importlib.resources import files
from pathlib import Path

import numpy as np
from PIL import Image, ImageDraw, ImageFont

from skiagraph.cover.lettering import visible
from skiagraph.errors import SkiagraphError
from skiagraph.jobs import JobControl
from skiagraph.project.model import Project
from skiagraph.review.crops import pictures
from skiagraph.review.finding import Finding
from skiagraph.review.sheet import Crop, sheet_of
from skiagraph.review.written import write_whole

# Crops in a row and rows on a page; px of a crop, of the words under it, between crops, around all, and of the head.
ACROSS, DOWN = 8, 5
WIDE, TALL, WORDS, GAP, AROUND, HEAD = 200, 250, 30, 14, 40, 70
INK, PAPER, QUIET, OCHRE, MADDER = "#191716", "#E9E3D9", "#A39E96", "#D9A441", "#D8604C"


def write_sheets(
    project: Project,
    clips: Sequence[str],
    found: Sequence[Finding],
    folder: Path | str,
    control: JobControl | None = None,
    replace: bool = False,
) -> list[Path]:
    """Write the contact sheets of clips into a folder, which is made where it is missing, as PNG: pages for each
    person. found: open findings. Returns the files.

    Raises SkiagraphError where a page exists already and may not be replaced, or cannot be written; Cancelled,
    CannotOpenMedia, SourceChanged, FrameNotDecoded.
    """
    control, folder = control or JobControl(), Path(folder)
    plan: list[tuple[Path, str, str, list[Crop]]] = []
    for key in clips:
        clip = project.clip(key)
        people: dict[str, list[Crop]] = {}
        for crop in sheet_of(project, key, found):
            people.setdefault(crop.subject, []).append(crop)
        for subject, crops in people.items():
            name = project.subject(subject).name if subject else "Nobody known"
            count = -(-len(crops) // (ACROSS * DOWN))
            for page in range(count):
                stem = f"{_plain(clip.path.stem)}-{subject or 'nobody'}-{_plain(name)}" + (
                    f"-{page + 1}" if count > 1 else ""
                )
                told = f"{clip.path.name}  ·  {len(crops)} pictures" + (
                    f", page {page + 1} of {count}" if count > 1 else ""
                )
                plan.append(
                    (folder / f"{stem}.png", name, told, crops[page * ACROSS * DOWN : (page + 1) * ACROSS * DOWN])
                )
    there = [path for path, *_ in plan if path.exists()]
    if there and not replace:
        raise SkiagraphError(
            f"{there[0]} exists already; choose another folder, or say that it may be replaced.", path=there[0]
        )
    try:
        folder.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise SkiagraphError(
            f"The folder {folder} cannot be made ({error.strerror}); choose another place.", path=folder
        ) from error
    for key in clips:
        mine = [entry for entry in plan if entry[3] and entry[3][0].clip == key]
        # A page is drawn as soon as its pictures are there, so that few are held at once.
        waiting = {crop: n for n, (*_, crops) in enumerate(mine) for crop in crops}
        made: dict[int, dict[Crop, np.ndarray]] = {}
        for crop, rgb in pictures(project, key, list(waiting), (WIDE, TALL), control):
            page = waiting[crop]
            made.setdefault(page, {})[crop] = rgb
            if len(made[page]) == len(mine[page][3]):
                _write(_page(project, *mine[page][1:], made.pop(page)), mine[page][0])
    return [path for path, *_ in plan]


def _plain(name: str) -> str:
    return re.sub(r"[^\w]+", "-", name).strip("-")[:60] or "clip"


@lru_cache(maxsize=8)
def _font(px: int) -> ImageFont.FreeTypeFont:
    with files("skiagraph.assets").joinpath("fonts", "DejaVuSans.ttf").open("rb") as file:
        return ImageFont.truetype(file, px, layout_engine=ImageFont.Layout.BASIC)


def _page(project: Project, name: str, told: str, crops: Sequence[Crop], made: dict[Crop, np.ndarray]) -> Image.Image:
    rows = -(-len(crops) // ACROSS)
    page = Image.new(
        "RGB", (2 * AROUND + ACROSS * (WIDE + GAP) - GAP, AROUND + HEAD + rows * (TALL + WORDS + GAP)), INK
    )
    draw = ImageDraw.Draw(page)
    draw.text((AROUND, AROUND - 12), visible(name), PAPER, _font(26))
    draw.text((AROUND, AROUND + 24), told, QUIET, _font(15))
    for n, crop in enumerate(crops):
        x, y = AROUND + n % ACROSS * (WIDE + GAP), AROUND + HEAD + n // ACROSS * (TALL + WORDS + GAP)
        page.paste(Image.fromarray(made[crop]), (x, y))
        draw.text((x, y + TALL + 5), project.clip(crop.clip).at(crop.at), QUIET, _font(13))
        if crop.why:
            draw.text(
                (x + WIDE, y + TALL + 5),
                crop.why,
                MADDER if crop.doubt >= 0.9 else OCHRE if crop.doubt >= 0.5 else QUIET,
                _font(13),
                anchor="ra",
            )
    return page


def _write(page: Image.Image, target: Path) -> None:
    data = io.BytesIO()
    page.save(data, "PNG", compress_level=3)
    write_whole(target, data.getvalue())
