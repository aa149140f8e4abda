"""Who is still known behind a cover: the nearest of the demo's people by face descriptor, with an attacker who aligns faces by the truth and knows the style.

    python -m benchmarks.attack [STYLE...] [--faces 10]

For each style: how often the right one comes first when a covered face is compared with faces as they were shot, and with faces under the same cover, against chance, with
the 95 per cent interval of Wilson (1927); and how many covered faces the detector still finds. The people are drawn and few: this tells a cover that does not hide from one that may, and proves
no cover safe.
"""

from __future__ import annotations

import argparse
from collections.abc import Iterator
from dataclasses import dataclass

import cv2
import numpy as np

from skiagraph.cover.composite import with_layers
from skiagraph.cover.cover import Cover, Style, default_style
from skiagraph.cover.layer import layer_of
from skiagraph.demo.ship import shipped
from skiagraph.demo.truth import load_truth
from skiagraph.detect.finder import FaceFinder
from skiagraph.media.frame import Frame
from skiagraph.media.index import open_clip
from skiagraph.media.reader import FrameReader
from skiagraph.shape.shape import Outline
from skiagraph.track.descriptor import CHIP_PX, Chip, FaceDescriber

CLIPS = ("quay", "hall", "voice")
# Heads that show a face: so much of them, so far turned at most (degrees), and so wide at least (px).
SHOWN, TURNED, WIDE = 0.9, 35.0, 40.0
# A face within its head: how much of the head's width it has, and how far below its middle it lies, in heights.
FACE, BELOW = 0.92, 0.08
# A covered face is found when the detector sees one there with this score.
SCORE, OVERLAP = 0.6, 0.3

STYLES = {
    "as shot": None,
    "blur, 24 % (default)": default_style(),
    "blur, 16 %": Style.of(Cover.kinds["blur"](0.16)),
    "blur, 8 %": Style.of(Cover.kinds["blur"](0.08)),
    "mosaic, 7 across": Style.of(Cover.kinds["mosaic"](7)),
    "mosaic, 4 across": Style.of(Cover.kinds["mosaic"](4)),
    "solid": Style.of(Cover.kinds["solid"]()),
}


@dataclass(frozen=True)
class Sample:
    """One face: whose, the frame, and the head (cx, cy, width, height, angle) px."""

    who: str
    frame: Frame
    head: tuple[float, float, float, float, float]


def samples(most: int) -> Iterator[Sample]:
    """Faces of every actor of the demo that are large and look this way, evenly spread, so many at most of each in each clip."""
    for clip in CLIPS:
        truth = load_truth(shipped(f"{clip}.truth.json"))
        good: dict[str, list] = {}
        for n, heads in enumerate(truth.heads):
            for h in heads:
                if h.head_visible >= SHOWN and abs(h.yaw) <= TURNED and h.width >= WIDE:
                    good.setdefault(h.actor, []).append((n, (h.cx, h.cy, h.width, h.height, h.angle)))
        wanted: dict[int, list] = {}
        for actor, seen in good.items():
            for k in np.unique(np.linspace(0, len(seen) - 1, min(most, len(seen))).round().astype(int)):
                wanted.setdefault(seen[k][0], []).append((truth.names[truth.actors.index(actor)], seen[k][1]))
        with FrameReader(*open_clip(shipped(f"{clip}.mp4"))) as reader:
            for n in sorted(wanted):
                frame = reader.read(n)
                yield from (Sample(who, frame, head) for who, head in wanted[n])


def covered(sample: Sample, style: Style | None) -> np.ndarray:
    """The frame as RGB, with the head covered."""
    if style is None:
        return sample.frame.rgb()
    layer = layer_of("s", style, Outline.at(*sample.head).grown_by(style.margin), sample.frame.size)
    return with_layers(sample.frame, [layer]).rgb()


def described(describer: FaceDescriber, rgb: np.ndarray, head) -> np.ndarray:
    """The descriptor of a face that is cut out by its head, not by landmarks: a cover may not keep the attacker from aligning it."""
    cx, cy, width, height, angle = head
    side = FACE * width
    cut = cv2.getRotationMatrix2D((cx, cy + BELOW * height), angle, CHIP_PX / side)
    cut[:, 2] += CHIP_PX / 2 - np.array([cx, cy + BELOW * height])
    return describer.describe(Chip(cv2.warpAffine(rgb, cut, (CHIP_PX, CHIP_PX), flags=cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE), side, 0.0, 1.0))


def first(probes: list[tuple[str, np.ndarray]], gallery: dict[str, np.ndarray]) -> tuple[int, int]:
    """How many of the probes have the right one first among a gallery of mean descriptors, and how many there are."""
    names, table = list(gallery), np.array(list(gallery.values()))
    right = sum(names[int(np.argmin(np.linalg.norm(table - vector, axis=1)))] == who for who, vector in probes)
    return right, len(probes)


def gallery_of(known: list[tuple[str, np.ndarray]]) -> dict[str, np.ndarray]:
    return {who: np.mean([v for name, v in known if name == who], axis=0) for who in dict.fromkeys(name for name, _ in known)}


def interval(right: int, of: int, z: float = 1.96) -> tuple[float, float]:
    """Wilson's interval of a share."""
    share, wide = right / of, z * z / of
    middle, half = (share + wide / 2) / (1 + wide), z * np.sqrt(share * (1 - share) / of + wide / (4 * of)) / (1 + wide)
    return float(middle - half), float(middle + half)


def is_found(finder: FaceFinder, rgb: np.ndarray, head) -> bool:
    cx, cy, width, height, _ = head
    box = np.array([cx - width / 2, cy - height / 2, cx + width / 2, cy + height / 2])
    found = finder.find(rgb, SCORE)
    for x0, y0, x1, y1 in found.boxes:
        across, down = min(x1, box[2]) - max(x0, box[0]), min(y1, box[3]) - max(y0, box[1])
        if across > 0 and down > 0 and across * down > OVERLAP * (x1 - x0) * (y1 - y0):
            return True
    return False


def attacked(faces: list[Sample], styles: dict[str, Style | None]) -> Iterator[tuple[str, dict]]:
    """For each style: (right, of) against faces as shot and against covered ones, and (found, of) by the detector. Every second face of each is known, the others are asked about."""
    describer = FaceDescriber()
    seen: dict[str, int] = {}
    known_now = []
    for sample in faces:
        seen[sample.who] = seen.get(sample.who, 0) + 1
        known_now.append(seen[sample.who] % 2 == 1)
    shot = gallery_of([(s.who, described(describer, covered(s, None), s.head)) for s, known in zip(faces, known_now) if known])
    with FaceFinder(24, 1) as finder:
        for name, style in styles.items():
            vectors, found = [], 0
            for sample in faces:
                rgb = covered(sample, style)
                vectors.append((sample.who, described(describer, rgb, sample.head)))
                found += is_found(finder, rgb, sample.head)
            probes = [v for v, known in zip(vectors, known_now) if not known]
            same = gallery_of([v for v, known in zip(vectors, known_now) if known])
            yield name, {"people": len(shot), "shot": first(probes, shot), "same": first(probes, same), "found": (found, len(faces))}


def main() -> None:
    parser = argparse.ArgumentParser()
    parser.add_argument("styles", nargs="*", metavar="STYLE", help="part of a style's name")
    parser.add_argument("--faces", type=int, default=10, help="of each person in each clip")
    options = parser.parse_args()
    wanted = {name: style for name, style in STYLES.items() if not options.styles or any(part in name for part in options.styles)}
    faces = list(samples(options.faces))
    print("| style | right one first, against faces as shot | against the same cover | faces found by the detector |\n|---|---|---|---|")
    for name, told in attacked(faces, wanted):
        shares = [f"{right / of:.0%} ({low:.0%} to {high:.0%})" for right, of in (told["shot"], told["same"]) for low, high in (interval(right, of),)]
        print(f"| {name} | {shares[0]} | {shares[1]} | {told['found'][0]} of {told['found'][1]} |", flush=True)
    print(f"\nChance: {1 / told['people']:.0%} of {told['people']} people, {len(faces)} faces.")


if __name__ == "__main__":
    main()
