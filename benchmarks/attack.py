"""Who is still known behind a cover: attacks by somebody who knows the style, its strength and where the head is in
every frame.

    python -m benchmarks.attack [STYLE...] [--people 52] [--frames 6]

A crowd of made-up people (benchmarks/crowd.py) is seen in three sightings each, before other backgrounds and in other
light: one is known to the attacker, two are asked about. What lies outside the cover is painted over for the attacker
as well, since no cover is answerable for it. Attacks:

- as it is: descriptors of three covered frames;
- Wiener: deconvolution with the cover's own spread, measured by a point under it (Wiener, 1949), then the descriptor;
- Richardson-Lucy: twenty rounds with the same (Richardson 1972, Lucy 1974);
- averaged: all frames of a sighting aligned by the truth at twice their size and averaged, then as it is, and by
  Wiener;
- by colour: the nearest by the pixels of a picture of 8 x 8, which says how much of skin and hair is left.

Each is tried against the known ones as they were shot, and under the same cover with the same attack done to them.
Reported is the attack that names the right one most often, with the 95 per cent interval of Wilson (1927), whether that
is more than chance at the 5 per cent level (binomial, one-sided, by Holm's correction for the number of attacks), and
how many covered faces the detector still finds. The people are drawn: this tells a cover that does not hide from one
that may, and proves none safe.
"""

from __future__ import annotations

import argparse
from collections.abc import Iterator
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path

import cv2
import numpy as np
from scipy.stats import binom

from benchmarks.crowd import FACE, SIDE, View, cut_out, people
from skiagraph.cover.composite import with_layers
from skiagraph.cover.cover import Cover, Style, default_style
from skiagraph.cover.layer import Layer, layer_of
from skiagraph.detect.finder import FaceFinder
from skiagraph.media.clip import ClipInfo
from skiagraph.media.frame import Frame, FrameFacts
from skiagraph.project.house import shipped_house_styles
from skiagraph.shape.shape import Outline
from skiagraph.track.descriptor import CHIP_PX, Chip, FaceDescriber
from skiagraph.values import replace

# A covered face is found when the detector sees one there with this score.
SCORE, OVERLAP = 0.6, 0.3
# A follower's outline is not just where the head is: it wanders by this share of the head.
WANDER = 0.02
# Noise that Wiener reckons with, as a share of the signal.
NOISE = 0.004
ROUNDS = 20
LEVEL = 0.05
GREY = 128


def styles() -> dict[str, Style | None]:
    """What is attacked by default: nothing, what was the default once, what ships, and some strengths."""
    mosaic, blur = Cover.kinds["mosaic"], Cover.kinds["blur"]
    found: dict[str, Style | None] = {"as shot": None, "default": default_style()}
    found |= {f"house style {s.name}": s.style for s in shipped_house_styles()}
    found |= {f"mosaic, {n} across": Style.of(mosaic(n)) for n in (2, 3, 4, 7)} | {
        f"blur, {n} %": Style.of(blur(n / 100)) for n in (8, 12, 16)
    }
    found |= {kind.word.lower(): Style.of(kind()) for tag, kind in Cover.kinds.items() if tag not in ("blur", "mosaic")}
    return found


@dataclass(frozen=True)
class Covered:
    """One frame as the attacker has it: float32 RGB (SIDE, SIDE, 3), grey where there is no cover; the head."""

    rgb: np.ndarray
    head: tuple[float, float, float, float, float]


_INFO = ClipInfo(
    Path(),
    "",
    "",
    SIDE,
    SIDE,
    0,
    "gbrp",
    8,
    Fraction(1),
    Fraction(25),
    Fraction(1, 25),
    0,
    0.0,
    1,
    2,
    2,
    0,
    2,
    "",
    (),
    0,
)


def frame_of(rgb: np.ndarray, number: int = 0) -> Frame:
    """A picture as a frame of no clip."""
    frame = Frame.of(FrameFacts(number, "gbrp", SIDE, SIDE, number, Fraction(1, 25), (2, 0, 2, 2), False), _INFO)
    for plane, channel in zip(frame.planes(), (1, 2, 0)):
        plane[:] = rgb[..., channel]
    return frame


def layer_on(view: View, style: Style, number: int, seed: int) -> Layer:
    """The cover of a head, by an outline that wanders as a follower's does."""
    cx, cy, width, height, angle = view.head
    step = np.random.default_rng((seed, number, 9)).normal(0, WANDER, 4)
    outline = Outline.at(
        cx + step[0] * width, cy + step[1] * height, width * (1 + step[2]), height * (1 + step[3]), angle
    )
    return layer_of("s1", style, outline.grown_by(style.margin), (SIDE, SIDE))


def under(view: View, style: Style | None, number: int, seed: int) -> tuple[np.ndarray, np.ndarray]:
    """A covered picture, uint8 RGB, and where the cover is complete, bool; without a style the picture, and the head's
    own ellipse with the default's margin."""
    layer = layer_on(view, style or default_style(), number, seed)
    inside = np.zeros((SIDE, SIDE), bool)
    x0, y0, x1, y1 = layer.box
    inside[y0:y1, x0:x1] = layer.alpha == 255
    if style is None:
        return view.rgb, inside
    planes = with_layers(frame_of(view.rgb, number), [layer]).planes()
    return np.stack([planes[2], planes[0], planes[1]], axis=-1), inside


def as_seen(view: View, style: Style | None, number: int, seed: int) -> Covered:
    rgb, inside = under(view, style, number, seed)
    return Covered(np.where(inside[..., None], rgb, GREY).astype(np.float32), view.head)


def spread(style: Style, head) -> np.ndarray:
    """What becomes of a point under a cover, mean over places: float32, odd sides, sum 1 at most; nothing where nothing
    comes through."""
    _, _, width, height, _ = head
    radius = int(min(SIDE // 2 - 1, height * 0.75))
    total = np.zeros((2 * radius + 1, 2 * radius + 1))
    rng = np.random.default_rng(4)
    places = 24
    for _ in range(places):
        view = View(
            np.full((SIDE, SIDE, 3), 90, np.uint8),
            (SIDE / 2 + rng.uniform(-6, 6), SIDE / 2 + rng.uniform(-6, 6), width, height, 0.0),
        )
        marked = view.rgb.copy()
        # Some px wide, so that it is not rounded away; what is found is as wide again, which is little against any
        # cover.
        x, y = SIDE // 2, SIDE // 2
        marked[y - 3 : y + 4, x - 3 : x + 4] = 250
        planes = [
            with_layers(frame_of(p), [layer_on(view, replace(style, feather=0.0), 0, 1)]).planes()[0].astype(float)
            for p in (marked, view.rgb)
        ]
        change = planes[0] - planes[1]
        total += change[y - radius : y + radius + 1, x - radius : x + radius + 1]
    total = np.maximum(total / places, 0)
    return (total / total.sum()).astype(np.float32) if total.sum() > 49 * 160 * 0.05 else np.zeros((1, 1), np.float32)


def wiener(picture: np.ndarray, kernel: np.ndarray) -> np.ndarray:
    """A picture float32 (rows, columns, 3) with a kernel divided out of it."""
    rows, columns = picture.shape[:2]
    padded = np.zeros((rows, columns), np.float32)
    padded[: kernel.shape[0], : kernel.shape[1]] = kernel
    padded = np.roll(padded, (-(kernel.shape[0] // 2), -(kernel.shape[1] // 2)), axis=(0, 1))
    transfer = np.fft.rfft2(padded)
    filter_ = np.conj(transfer) / (np.abs(transfer) ** 2 + NOISE)
    made = np.stack(
        [np.fft.irfft2(np.fft.rfft2(picture[..., c] - GREY) * filter_, s=(rows, columns)) + GREY for c in range(3)],
        axis=-1,
    )
    return np.clip(made, 0, 255).astype(np.float32)


def richardson_lucy(picture: np.ndarray, kernel: np.ndarray) -> np.ndarray:
    """The same by maximum likelihood, in rounds."""
    now, turned = np.full_like(picture, picture.mean()), np.ascontiguousarray(kernel[::-1, ::-1])
    for _ in range(ROUNDS):
        seen = cv2.filter2D(now, -1, turned, borderType=cv2.BORDER_REPLICATE)
        now = now * cv2.filter2D((picture + 1e-3) / (seen + 1e-3), -1, kernel, borderType=cv2.BORDER_REPLICATE)
    return np.clip(now, 0, 255)


def averaged(covered: list[Covered]) -> np.ndarray:
    """Frames of a sighting aligned by their heads and averaged, at twice the size of a chip: finer than any of them
    where they were sampled at other places."""
    return np.mean([cut_out(c.rgb, c.head, 2 * CHIP_PX) for c in covered], axis=0)


def attacks(covered: list[Covered], kernel: np.ndarray) -> Iterator[tuple[str, list[np.ndarray]]]:
    """What an attacker makes of a covered sighting: a name, and faces, float32 (150, 150, 3), of which the mean of the
    descriptors counts."""
    some = covered[1::2]
    yield "as it is", [cut_out(c.rgb, c.head) for c in some]
    together = averaged(covered)
    yield "averaged", [cv2.resize(together, (CHIP_PX, CHIP_PX), interpolation=cv2.INTER_AREA)]
    if kernel.size > 1:
        yield "Wiener", [cut_out(wiener(c.rgb, kernel), c.head) for c in some]
        yield "Richardson-Lucy", [cut_out(richardson_lucy(c.rgb, kernel), c.head) for c in some]
        side = max(3, int(kernel.shape[0] * 2 * CHIP_PX / (FACE * some[0].head[2])) // 2 * 2 + 1)
        grown = cv2.resize(kernel, (side, side), interpolation=cv2.INTER_AREA)[: 2 * CHIP_PX - 1, : 2 * CHIP_PX - 1]
        yield (
            "averaged, Wiener",
            [
                cv2.resize(
                    wiener(together, grown / max(grown.sum(), 1e-6)), (CHIP_PX, CHIP_PX), interpolation=cv2.INTER_AREA
                )
            ],
        )


def described(describer: FaceDescriber, faces: list[np.ndarray]) -> np.ndarray:
    return np.mean(
        [describer.describe(Chip(np.clip(face, 0, 255).astype(np.uint8), 1.0, 0.0, 1.0)) for face in faces], axis=0
    )


def first(probes: list[tuple[int, np.ndarray]], gallery: dict[int, np.ndarray]) -> tuple[int, int]:
    """How many of the probes have the right one first among a gallery, and how many there are."""
    names, table = list(gallery), np.array(list(gallery.values()))
    return sum(names[int(np.argmin(np.linalg.norm(table - vector, axis=1)))] == who for who, vector in probes), len(
        probes
    )


def interval(right: int, of: int, z: float = 1.96) -> tuple[float, float]:
    """Wilson's interval of a share."""
    share, wide = right / of, z * z / of
    middle, half = (share + wide / 2) / (1 + wide), z * np.sqrt(share * (1 - share) / of + wide / (4 * of)) / (1 + wide)
    return float(middle - half), float(middle + half)


def above_chance(right: int, of: int, people_: int, tries: int) -> bool:
    """Whether so many right ones are more than luck, where the best of several attacks is looked at."""
    return bool(binom.sf(right - 1, of, 1 / people_) < LEVEL / max(1, tries))


def is_found(finder: FaceFinder, rgb: np.ndarray, head) -> bool:
    cx, cy, width, height, _ = head
    box = np.array([cx - width / 2, cy - height / 2, cx + width / 2, cy + height / 2])
    for x0, y0, x1, y1 in finder.find(rgb, SCORE).boxes:
        across, down = min(x1, box[2]) - max(x0, box[0]), min(y1, box[3]) - max(y0, box[1])
        if across > 0 and down > 0 and across * down > OVERLAP * (x1 - x0) * (y1 - y0):
            return True
    return False


@dataclass(frozen=True)
class Told:
    """What came of the attacks on a style. shot, same: by attack, (right, of) against faces as shot and against faces
    under the same cover; found: (found, of) by the detector."""

    people: int
    shot: dict[str, tuple[int, int]]
    same: dict[str, tuple[int, int]]
    found: tuple[int, int]

    def worst(self, which: str) -> tuple[str, int, int]:
        told = {name: value for name, value in getattr(self, which).items() if name != "by colour"}
        name = max(told, key=lambda n: told[n][0])
        return name, *told[name]


def attacked(seen: list[tuple[int, int, list[View]]], wanted: dict[str, Style | None]) -> Iterator[tuple[str, Told]]:
    """Every style attacked. seen: (who, which sighting, views); the first sighting of each is known."""
    describer = FaceDescriber()
    bare = {
        who: described(describer, [cut_out(as_seen(v, None, k, who).rgb, v.head) for k, v in enumerate(views)])
        for who, n, views in seen
        if n == 0
    }
    with FaceFinder(24, 1) as finder:
        for name, style in wanted.items():
            kernel = np.zeros((1, 1), np.float32) if style is None else spread(style, seen[0][2][0].head)
            known: dict[str, dict[int, np.ndarray]] = {}
            probes: dict[str, list[tuple[int, np.ndarray]]] = {}
            found = looked = 0
            for who, n, views in seen:
                covered = [as_seen(v, style, k, 100 * n + who) for k, v in enumerate(views)]
                made = list(attacks(covered, kernel))
                vectors = [(attack, described(describer, faces)) for attack, faces in made]
                vectors.append(("by colour", cv2.resize(made[1][1][0], (8, 8), interpolation=cv2.INTER_AREA).ravel()))
                for attack, vector in vectors:
                    if n == 0:
                        known.setdefault(attack, {})[who] = vector
                    else:
                        probes.setdefault(attack, []).append((who, vector))
                looked += 1
                found += is_found(finder, under(views[0], style, 0, 100 * n + who)[0], views[0].head)
            yield (
                name,
                Told(
                    len(bare),
                    {a: first(p, bare) for a, p in probes.items() if a != "by colour"},
                    {a: first(p, known[a]) for a, p in probes.items()},
                    (found, looked),
                ),
            )


def main() -> None:
    parser = argparse.ArgumentParser()
    parser.add_argument("styles", nargs="*", metavar="STYLE", help="part of a style's name")
    parser.add_argument("--people", type=int, default=52)
    parser.add_argument("--frames", type=int, default=6, help="of each sighting")
    options = parser.parse_args()
    every = styles()
    wanted = {
        name: style
        for name, style in every.items()
        if not options.styles or any(part.lower() in name.lower() for part in options.styles)
    }
    seen = list(people(options.people, 3, options.frames))
    print(
        "| style | right one first, faces as shot | under the same cover | by colour alone | faces found"
        " |\n|---|---|---|---|---|",
        flush=True,
    )
    for name, told in attacked(seen, wanted):
        cells = []
        for which in ("shot", "same"):
            attack, right, of = told.worst(which)
            low, high = interval(right, of)
            lucky = not above_chance(right, of, told.people, len(getattr(told, which)))
            cells.append(f"{right / of:.0%} ({low:.0%} to {high:.0%}), {attack}{'' if lucky else ', above chance'}")
        right, of = told.same["by colour"]
        print(
            f"| {name} | {cells[0]} | {cells[1]} | {right / of:.0%} | {told.found[0]} of {told.found[1]} |", flush=True
        )
    print(f"\nChance: {1 / options.people:.1%} of {options.people} people, {2 * options.people} sightings asked about.")


if __name__ == "__main__":
    main()
