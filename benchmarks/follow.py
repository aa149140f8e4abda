"""Following anything, on drawn scenes with their truth, against trackers that OpenCV has, from the same start in the
same run.

    python -m benchmarks.follow [SCENE...] [--frames 120]
    python -m benchmarks.follow --heads

MOSSE and median flow are not in OpenCV 5; of those it has without networks, CSRT, KCF and MIL run.
"""

from __future__ import annotations

import argparse
import time
from collections.abc import Callable, Iterator
from dataclasses import dataclass

import cv2
import numpy as np

from skiagraph.demo.ship import shipped
from skiagraph.demo.truth import load_truth
from skiagraph.follow.follower import OutlineFollower
from skiagraph.follow.step import Why
from skiagraph.footage.adding import add_clip
from skiagraph.footage.following import SEEK_EVERY, follow_outline
from skiagraph.media.index import open_clip
from skiagraph.project import outlines
from skiagraph.project.model import PersonSubject, Project
from skiagraph.shape.place import Similarity
from skiagraph.shape.shape import Outline, Shape
from skiagraph.track.path import BRIDGED

SIZE, CARD = (1920, 1080), (120, 90)
# What is laid over the picture, or done to it, in frame n; picture is float32 (rows, columns, 3) and may be changed.
Painter = Callable[[int, np.ndarray], None]


def texture(seed: int, width: int, height: int, grain: float = 3.0, contrast: float = 50.0) -> np.ndarray:
    """Smooth random colours, uint8 RGB."""
    rng = np.random.default_rng(seed)
    layers = [cv2.GaussianBlur(rng.normal(0, 1, (height, width)).astype(np.float32), (0, 0), grain) for _ in range(3)]
    return np.stack(
        [
            np.clip(125 + contrast * (0.8 * layers[0] / layers[0].std() + 0.3 * layer / layer.std()), 0, 255)
            for layer in layers
        ],
        axis=2,
    ).astype(np.uint8)


@dataclass(frozen=True)
class Scene:
    """back: frames in which it is in sight again after it was hidden or away. place: n → cx, cy, scale, angle, or None
    where the card is not in sight for longer; pan: n → px by which ground and card are shifted together."""

    name: str
    place: Callable[[int], tuple[float, float, float, float]]
    over: Painter = lambda n, picture: None
    card: Callable[[int], np.ndarray] | None = None
    ground: Callable[[], np.ndarray] | None = None
    noise: float = 3.0
    light: Callable[[int], np.ndarray | float] = lambda n: 1.0
    tilt: Callable[[int], float] = lambda n: 0.0
    seen: Callable[[int], bool] = lambda n: True
    back: range = range(0)

    def truth(self, n: int) -> np.ndarray:
        """Corners of the card, px, float32 (4, 2)."""
        cx, cy, scale, angle = self.place(n)
        tilt = self.tilt(n)
        half_w, half_h = CARD[0] * scale / 2, CARD[1] * scale / 2
        corners = np.array(
            [
                [-half_w, -half_h * (1 - tilt)],
                [half_w, -half_h * (1 + tilt)],
                [half_w, half_h * (1 + tilt)],
                [-half_w, half_h * (1 - tilt)],
            ]
        )
        lean = np.radians(angle)
        return (corners @ np.array([[np.cos(lean), np.sin(lean)], [-np.sin(lean), np.cos(lean)]]) + [cx, cy]).astype(
            np.float32
        )

    def frames(self, count: int) -> Iterator[np.ndarray]:
        """uint8 RGB pictures."""
        ground = (self.ground or (lambda: texture(2, SIZE[0] + 800, SIZE[1] + 400, 6.0)))()
        fixed = texture(1, *CARD)
        for n in range(count):
            card = self.card(n) if self.card else fixed
            source = np.float32(
                [[-0.5, -0.5], [CARD[0] - 0.5, -0.5], [CARD[0] - 0.5, CARD[1] - 0.5], [-0.5, CARD[1] - 0.5]]
            )
            move = cv2.getPerspectiveTransform(source, self.truth(n) - 0.5)
            picture = ground[200 : 200 + SIZE[1], 400 : 400 + SIZE[0]].copy()
            cv2.warpPerspective(card, move, SIZE, dst=picture, borderMode=cv2.BORDER_TRANSPARENT)
            made = picture.astype(np.float32)
            self.over(n, made)
            made = made * self.light(n)
            made += np.random.default_rng(n).standard_normal((SIZE[1], SIZE[0], 1), np.float32) * self.noise
            yield np.clip(made, 0, 255).astype(np.uint8)


def _passers_by(n: int, picture: np.ndarray) -> None:
    for k, (begin, speed) in enumerate(((30, 14), (75, -18))):
        x = (700 if speed > 0 else 1500) + speed * (n - begin)
        if 0 <= n - begin < 60:
            x0, x1 = int(np.clip(x, 0, SIZE[0])), int(np.clip(x + 110, 0, SIZE[0]))
            picture[200:1000, x0:x1] = texture(20 + k, 110, 800, 5.0)[:, : x1 - x0]


def _fingers(n: int, picture: np.ndarray) -> None:
    cx, cy, _, angle = _in_a_hand(n)
    lean = np.radians(angle)
    for u, v in ((-45, 30), (-15, 38), (40, 36)):
        middle = int(cx + u * np.cos(lean) - v * np.sin(lean)), int(cy + u * np.sin(lean) + v * np.cos(lean))
        cv2.circle(picture, middle, 15, (196, 150, 120), -1)


def _in_a_hand(n: int):
    return 900 + 160 * np.sin(n / 8), 520 + 70 * np.sin(n / 5), 1 + 0.15 * np.sin(n / 13), 22 * np.sin(n / 9)


def _turning(n: int) -> np.ndarray:
    share = np.clip((n - 25) / 40, 0, 1)
    return np.clip((1 - share) * texture(1, *CARD).astype(np.float32) + share * texture(31, *CARD), 0, 255).astype(
        np.uint8
    )


def _copies() -> np.ndarray:
    ground = texture(1, SIZE[0] + 800, SIZE[1] + 400, 3.0)
    for x in range(100, SIZE[0] + 600, 260):
        for y in range(60, SIZE[1] + 300, 220):
            ground[y : y + CARD[1], x : x + CARD[0]] = texture(1, *CARD)
    return ground


SCENES = [
    Scene(
        "plate coming nearer, in perspective",
        lambda n: (600 + 3 * n, 600 - n, 0.8 + n / 150, 4 * np.sin(n / 20)),
        tilt=lambda n: 0.15 * np.sin(n / 25),
    ),
    Scene(
        "screen that flickers",
        lambda n: (900 + 25 * np.sin(n / 14), 500 + 15 * np.sin(n / 9), 1, 0),
        light=lambda n: np.array(
            [0.75 + 0.25 * np.sin(n * 1.3), 0.8 + 0.2 * np.sin(n * 0.9), 0.7 + 0.3 * np.cos(n * 1.1)], np.float32
        ),
    ),
    Scene("logo on a boat", lambda n: (400 + 7 * n, 560 + 40 * np.sin(n / 7), 1 + n / 400, 8 * np.sin(n / 10))),
    Scene("card in a hand", _in_a_hand, over=_fingers),
    Scene(
        "behind two passers-by", lambda n: (960 + 40 * np.sin(n / 20), 540, 1, 0), over=_passers_by, back=range(56, 100)
    ),
    Scene("turning away", lambda n: (800 + 2 * n, 500, 1, 0), card=_turning),
    Scene("noise", lambda n: (700 + 4 * n, 540 + 50 * np.sin(n / 11), 1, 0), noise=28.0),
    Scene("whip pan", lambda n: (500 + 2 * n + (60 * min(max(n - 40, 0), 6)), 540, 1, 0)),
    Scene("like its surroundings", lambda n: (900 + 3 * n, 540 + 20 * np.sin(n / 9), 1, 0), ground=_copies),
    Scene(
        "out and in again",
        lambda n: (1500 + (9 * n if n < 70 else 9 * (140 - n)), 540, 1, 0),
        seen=lambda n: 1500 + (9 * n if n < 70 else 9 * (140 - n)) < SIZE[0] - 40,
        back=range(100, 120),
    ),
    Scene(
        "blank wall",
        lambda n: (700 + 3 * n, 540, 1, 0),
        card=lambda n: np.full((CARD[1], CARD[0], 3), 125, np.uint8),
        ground=lambda: np.full((SIZE[1] + 400, SIZE[0] + 800, 3), 125, np.uint8),
        noise=4.0,
    ),
]


@dataclass
class Result:
    """again: share of the frames in which it is in sight again in which it is covered by half at least, NaN where it
    never was away. overlap: mean intersection over union while in sight, 0 once it stopped; silent: share of frames in
    which it was more than half an outline off, or not there, and did not say so; until: frames until it stopped; rate:
    frames a second."""

    overlap: float
    silent: float
    until: int
    rate: float
    again: float = float("nan")


def _again(scene: Scene, overlaps: list[float | None]) -> float:
    """overlaps: of frames from 1 on."""
    after = [o for n, o in enumerate(overlaps, 1) if n in scene.back and o is not None]
    return float(np.mean(np.array(after) > 0.5)) if after else float("nan")


def ours(frames: list[np.ndarray], scene: Scene) -> Result:
    cx, cy, scale, angle = scene.place(0)
    greys = [cv2.cvtColor(f, cv2.COLOR_RGB2GRAY) for f in frames]
    box = Shape.kinds["box"]()
    begin, overlaps, silent, n = time.perf_counter(), [], 0, 0
    follower = OutlineFollower(greys[0], Similarity(cx, cy, CARD[0] * scale, CARD[1] * scale, angle), box)
    placed: list[np.ndarray | None] = []
    lost = -1
    for n, grey in enumerate(greys[1:]):
        if lost >= 0:
            # As footage.following does after an absence: now and then it is looked for in the whole frame.
            place = follower.found_again(grey) if (n - lost) % SEEK_EVERY == 0 else None
            if place is None:
                placed.append(None)
                continue
            lost = -1
            follower.look_anew(grey, place)
            placed.append(_corners(place))
            continue
        step = follower.step(grey)
        if isinstance(step, Why):
            if step not in (Why.LEFT, Why.HIDDEN):
                break
            lost = n
            placed.append(None)
            continue
        placed.append(_corners(step.place) if step.known else None)
    passed = time.perf_counter() - begin
    while placed and placed[-1] is None:
        placed.pop()
    for n in range(1, len(frames)):
        corners = placed[n - 1] if n <= len(placed) else None
        overlaps.append((_overlap(corners, scene.truth(n)) if corners is not None else 0.0) if scene.seen(n) else None)
        silent += corners is not None and (_is_off(corners, scene.truth(n)) or scene.truth(n)[:, 0].min() > SIZE[0])
    counted = [o for o in overlaps if o is not None]
    return Result(
        float(np.mean(counted)),
        silent / (len(frames) - 1),
        len(placed),
        (len(placed) or 1) / passed,
        _again(scene, overlaps),
    )


def theirs(make: Callable, frames: list[np.ndarray], scene: Scene) -> Result:
    low, high = scene.truth(0).min(axis=0), scene.truth(0).max(axis=0)
    bgr = [f[..., ::-1].copy() for f in frames]
    tracker = make()
    begin, overlaps, silent, until = time.perf_counter(), [], 0, len(frames) - 1
    tracker.init(bgr[0], tuple(int(v) for v in (*low, *(high - low))))
    told = [tracker.update(picture) for picture in bgr[1:]]
    passed = time.perf_counter() - begin
    for n, (good, (x, y, w, h)) in enumerate(told, 1):
        corners = np.float32([[x, y], [x + w, y], [x + w, y + h], [x, y + h]])
        overlaps.append((_overlap(corners, scene.truth(n)) if good else 0.0) if scene.seen(n) else None)
        silent += bool(good and (_is_off(corners, scene.truth(n)) or scene.truth(n)[:, 0].min() > SIZE[0]))
        until = min(until, n) if not good else until
    counted = [o for o in overlaps if o is not None]
    return Result(
        float(np.mean(counted)), silent / (len(frames) - 1), until, (len(frames) - 1) / passed, _again(scene, overlaps)
    )


def _corners(place: Similarity) -> np.ndarray:
    return place.to_px(np.array([[-1, -1], [1, -1], [1, 1], [-1, 1]], float)).astype(np.float32)


def _overlap(a: np.ndarray, b: np.ndarray) -> float:
    shared, _ = cv2.intersectConvexConvex(a, b)
    return shared / max(cv2.contourArea(a) + cv2.contourArea(b) - shared, 1e-6)


def _is_off(a: np.ndarray, b: np.ndarray) -> bool:
    return bool(np.hypot(*(a.mean(axis=0) - b.mean(axis=0))) > 0.5 * np.sqrt(cv2.contourArea(b)))


OTHERS = {"CSRT": cv2.TrackerCSRT_create, "KCF": cv2.TrackerKCF_create, "MIL": cv2.TrackerMIL_create}


def heads(clip: str) -> Iterator[tuple[str, str]]:
    """For every actor of a demo clip: the name, and how a head drawn by hand at its best frame is followed through it,
    as text: frames in which it is covered of those in which more than half of it shows, mean distance of the middles in
    widths of the head, frames that are said to be known and are not there or more than half a width off."""
    film = shipped(f"{clip}.mp4")
    truth, base = load_truth(shipped(f"{clip}.truth.json")), add_clip(Project(), *open_clip(film))
    for actor in truth.actors:
        every = {n: h for n, present in enumerate(truth.heads) for h in present if h.actor == actor}
        seen = {n: h for n, h in every.items() if h.head_visible > 0.5}
        if len(seen) < 15:
            continue
        start = max(seen, key=lambda n: seen[n].face_px * (abs(seen[n].yaw) < 15) * seen[n].head_visible)
        head = seen[start]
        outline = Outline.at(head.cx, head.cy, head.width, head.height, head.angle)
        project, key = outlines.add_subject(base, "c1", start, outline, PersonSubject())
        begin = time.perf_counter()
        found = follow_outline(project, "c1", start, outline, subject=key)
        passed = time.perf_counter() - begin
        rows = {
            path.first + n: (row, path.origin[n] != BRIDGED)
            for path in (found.path, *found.again)
            for n, row in enumerate(path.rows())
        }
        away = {
            n: np.hypot(row[0] - every[n].cx, row[1] - every[n].cy) / every[n].width
            for n, (row, _) in rows.items()
            if n in every
        }
        there = [away[n] for n in seen if n in rows]
        silent = sum(
            known and (n not in every or every[n].head_visible <= 0.05 or away[n] > 0.5)
            for n, (_, known) in rows.items()
        )
        yield (
            f"{clip}, {actor}",
            f"{len(there)} of {len(seen)}, {np.mean(there):.2f}, {silent}, {len(rows) / passed:.0f}",
        )


def measured(scene: Scene, count: int, others: dict[str, Callable] = OTHERS) -> dict[str, Result]:
    frames = list(scene.frames(count))
    return {"ours": ours(frames, scene), **{name: theirs(make, frames, scene) for name, make in others.items()}}


def main() -> None:
    parser = argparse.ArgumentParser()
    parser.add_argument("scenes", nargs="*", metavar="SCENE", help="part of a scene's name")
    parser.add_argument("--frames", type=int, default=120)
    parser.add_argument("--heads", action="store_true", help="heads of the demo drawn by hand instead")
    options = parser.parse_args()
    if options.heads:
        print("| head | covered of shown, off in widths, silently wrong frames, frames/s |\n|---|---|")
        for clip in ("quay", "hall", "voice"):
            for name, told in heads(clip):
                print(f"| {name} | {told} |", flush=True)
        return
    print(
        "| scene | "
        + " | ".join(f"{name}: overlap, silently off, until, frames/s" for name in ("ours", *OTHERS))
        + " |\n|"
        + "---|" * (2 + len(OTHERS))
    )
    for scene in SCENES:
        if not options.scenes or any(part in scene.name for part in options.scenes):
            results = measured(scene, options.frames)
            print(
                f"| {scene.name} | "
                + " | ".join(
                    f"{r.overlap:.3f}, {r.silent:.1%}, {r.until}, {r.rate:.0f}"
                    + ("" if np.isnan(r.again) else f", again {r.again:.0%}")
                    for r in results.values()
                )
                + " |",
                flush=True,
            )


if __name__ == "__main__":
    main()
