"""What is hardly a face: as few questions of it as there are places, and none where a head is known."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

import cv2
import numpy as np

from skiagraph.boxes import area, cxcywh_to_xyxy, intersection
from skiagraph.detect.turned import TURNED
from skiagraph.track.body import HIPS, Body, BodyJudge
from skiagraph.track.judging import JUDGING, FaceJudge, ShapeJudge
from skiagraph.track.leaning import around_both
from skiagraph.track.light import in_ordinary_light
from skiagraph.track.path import FOUND, Path
from skiagraph.track.silhouette import SILHOUETTE
from skiagraph.track.stretch import Stretch


@dataclass(frozen=True, slots=True)
class DoubtfulSettings:
    """What of the doubtful is worth a question.

    Set by hand: what is left out lies under the cover of a known head, or is nobody by the shape, with its own wide
    margin (track.silhouette); what is put together stays covered. Held against benchmarks/quality.py, where no face is
    lost by it.
    """

    # share of a face's box in the box of a known head from which it is a part of that; larger: more questions
    inside: float = 0.7
    # share of its frames in which a doubtful track has to lie inside a known head to be a part of it
    most: float = 0.5
    # confidence from which a followed head counts as known; larger: more questions; with 0.25 a face was lost in
    # benchmarks/meetings.py
    sure: float = 0.5
    # heads that a sign may be from a known head that is only followed meanwhile, to be taken for it; larger: fewer
    # questions
    astray: float = 0.65
    # seconds after which what is at the same place is something else; larger: fewer questions
    same_s: float = 2.0
    # heads that what is seen again may be from where it was, to be the same
    away: float = 0.8
    # times that it may be larger or smaller than it was, to be the same
    grown: float = 1.6
    # frames in which the shape and landmark networks are asked whether anybody is there; larger: less is left out
    looks: int = 3
    # score under which only the shape said that somebody is there (JudgingSettings.somebody_score), or hardly more. On
    # the body of a known head, where the landmark network sees no face either, it is a hand, an elbow or a shoulder
    # (photographs of ten people who move, docs/measured/mended.md). larger: less is asked
    weak: float = 0.6
    # widths of its head by which a body reaches to each side with its arms down; larger: less is asked
    body_wide: float = 1.7
    # the same with elbows out, 0.47 m of a head of 0.155 m (anthropometry: span akimbo). There only what the body
    # network, too, takes for a part of whoever that head is; larger: less is asked
    arms_wide: float = 3.0
    # heights of its head, from the middle of that on, between which hands, elbows and knees are below it; wider: less
    # is asked
    body_high: tuple[float, float] = (0.75, 4.0)
    # score that only the detector itself gives, so that its opinion and the body network's are two; smaller: more is
    # believed
    detector_saw: float = 0.7
    # confidence of the body network from which somebody's head is where it says (its makers take 0.5); larger: less is
    # believed. On recordings of real people (docs/measured/mended.md) it mostly says 0.9 and more of heads, also of
    # those that face away or are 16 px wide
    body: float = 0.9
    # the same confidence from which the head is not where the face was found, but where the body network says; larger:
    # more is asked
    body_elsewhere: float = 0.5
    # the same confidence up to which nobody is there; trees have 0.01, heads that are hard to see 0.1 and more, as a
    # rule; larger: less is asked
    body_gone: float = 0.05
    # widths and heights of a head from its middle up to which it is the one that the body network means; larger: more
    # is believed
    on_head: float = 0.6
    # brightness, 0..255, below which the shape and landmark networks cannot tell
    dark: float = 40.0
    # brightness below which nothing can be seen in a head's box
    black: float = 8.0
    # brightness to which what is darker than `dark` is brought to look for a face in it
    bright: float = 100.0
    # width of a head, px, below which they cannot tell
    least_px: float = 28.0


def without_inside(stretches: Sequence[Stretch], settings: DoubtfulSettings = DoubtfulSettings()) -> list[Stretch]:
    """Stretches without doubtful ones that lie inside a known head for most of their time: parts of it, of which a
    follower knows where it is though no face was found."""
    known = [s.path for s in stretches if not s.doubtful]

    def is_part(stretch: Stretch) -> bool:
        inside = 0
        for frame, face, _ in stretch.faces:
            heads = np.array(
                [
                    p.boxes()[frame - p.first]
                    for p in known
                    if p.first <= frame <= p.last
                    and (p.origin[frame - p.first] == FOUND or p.confidence[frame - p.first] >= settings.sure)
                ]
            ).reshape(-1, 4)
            inside += bool(
                len(heads) and (intersection(np.asarray(face)[None], heads)[0] >= settings.inside * area(face)[0]).any()
            )
        return inside > settings.most * len(stretch.faces)

    return [s for s in stretches if not (s.doubtful and is_part(s))]


def taken_for_known(stretches: Sequence[Stretch], settings: DoubtfulSettings = DoubtfulSettings()) -> list[Stretch]:
    """Stretches without doubtful ones that are the sign of a known head whose follower is a little astray: it was not
    found while they were, and is the nearest all the time. Its cover holds both.
    """
    made = list(stretches)
    known = [n for n, s in enumerate(stretches) if not s.doubtful]
    for n, doubtful in enumerate(stretches):
        if not doubtful.doubtful:
            continue
        path = doubtful.path
        there = [m for m in known if made[m].path.first <= path.last and made[m].path.last >= path.first]
        away = {m: _away(path, made[m].path) for m in there}
        nearest = np.fmin.reduce(list(away.values())) if there else None
        for m in there:
            other = made[m].path
            if (
                other.first <= path.first
                and other.last >= path.last
                and (away[m] <= settings.astray).all()
                and (away[m] <= nearest).all()
                and not ((path.origin == FOUND) & (other.part(path.first, path.last).origin == FOUND)).any()
            ):
                made[m] = replace(made[m], path=_holding(other, path))
                made[n] = None
                break
    return [s for s in made if s is not None]


def _away(path: Path, other: Path) -> np.ndarray:
    """Heads by which another path is away in each frame of one, (n,); nan where it is not there."""
    away = np.full(len(path), np.nan)
    first, last = max(path.first, other.first), min(path.last, other.last)
    a, b = path.part(first, last), other.part(first, last)
    away[first - path.first : last - path.first + 1] = np.hypot(a.cx - b.cx, a.cy - b.cy) / np.maximum(a.width, b.width)
    return away


def _holding(path: Path, other: Path) -> Path:
    """A path that is as large in the frames of another as both together."""
    rows, part = path.rows(), slice(other.first - path.first, other.last - path.first + 1)
    rows[part, :4] = around_both(rows[part], other.rows())
    return Path.from_rows(path.first, rows, path.origin, path.lean)


def seen_twice(stretches: Sequence[Stretch], settings: DoubtfulSettings = DoubtfulSettings()) -> list[Stretch]:
    """Stretches of which doubtful ones that are at one place at once are one, whose cover holds them all."""
    made: list[Stretch] = []
    for stretch in stretches:
        same = next(
            (
                n
                for n, other in enumerate(made)
                if stretch.doubtful and other.doubtful and _are_at_one_place(stretch.path, other.path, settings)
            ),
            None,
        )
        if same is None:
            made.append(stretch)
        else:
            one = made[same]
            made[same] = replace(
                one,
                path=_of_both(one.path, stretch.path),
                chains=one.chains + stretch.chains,
                faces=tuple(sorted((*one.faces, *stretch.faces), key=lambda face: face[0])),
                described=tuple(sorted((*one.described, *stretch.described), key=lambda d: d[0])),
            )
    return made


def _are_at_one_place(path: Path, other: Path, settings: DoubtfulSettings) -> bool:
    first, last = max(path.first, other.first), min(path.last, other.last)
    if first > last:
        return False
    a, b = path.part(first, last).rows(), other.part(first, last).rows()
    larger, smaller = np.maximum(a[:, 2:4], b[:, 2:4]), np.minimum(a[:, 2:4], b[:, 2:4])
    return bool(
        (np.hypot(*(a[:, :2] - b[:, :2]).T) <= settings.away * larger[:, 0]).all()
        and (larger <= settings.grown * smaller).all()
    )


def _of_both(path: Path, other: Path) -> Path:
    """A path over all frames of two that overlap: where both are it holds both, and is as sure as the less sure of
    them."""
    first, last = min(path.first, other.first), max(path.last, other.last)
    rows, origin = np.zeros((last - first + 1, 6)), np.zeros(last - first + 1, np.uint8)
    for one in (other, path):
        part = slice(one.first - first, one.last - first + 1)
        rows[part], origin[part] = one.rows(), one.origin
    both = slice(max(path.first, other.first) - first, min(path.last, other.last) - first + 1)
    a, b = (one.part(first + both.start, first + both.stop - 1) for one in (path, other))
    rows[both, :4] = around_both(a.rows().astype(float), b.rows().astype(float))
    rows[both, 5], origin[both] = np.minimum(a.confidence, b.confidence), np.minimum(a.origin, b.origin)
    return Path.from_rows(first, rows, origin)


def to_look_at(
    stretches: Sequence[Stretch], settings: DoubtfulSettings = DoubtfulSettings()
) -> dict[int, list[tuple[int, np.ndarray]]]:
    """frame → rows of doubtful stretches whose surest faces are there, and the box of each, (4,) px."""
    wanted: dict[int, list[tuple[int, np.ndarray]]] = {}
    for n, stretch in enumerate(stretches):
        if stretch.doubtful:
            for frame, box, _ in sorted(stretch.faces, key=lambda face: -face[2])[: settings.looks]:
                wanted.setdefault(frame, []).append((n, np.asarray(box, float)))
    return wanted


@dataclass(frozen=True, slots=True)
class Look:
    """What was seen of something doubtful in one frame, px of the clip.

    head: cx, cy, width, height, of which was asked; nobody: by its shape; no_face: by the landmark network; body: by
    the body network, and whole: whether all of that body down to the hips is in the picture.
    """

    frame: int
    head: np.ndarray
    nobody: bool
    no_face: bool
    body: Body
    whole: bool


def looked_at(
    frame: int,
    rgb: np.ndarray,
    head: np.ndarray,
    face: np.ndarray,
    aspect: float,
    shape: ShapeJudge,
    judge: FaceJudge,
    bodies: BodyJudge,
) -> Look:
    """Ask the networks of a head, (≥5,) with its angle, and of the face in it, (4,); px of an RGB picture with square
    pixels. aspect: of a pixel of the clip, width to height."""
    body, whole = bodies.below(rgb, head), 0 <= head[0] < rgb.shape[1] and head[1] + HIPS * head[3] < rgb.shape[0]
    return Look(
        frame,
        head[:4] / (aspect, 1, aspect, 1),
        nobody_there(rgb, head, shape),
        no_face_there(rgb, head, face, judge),
        replace(body, cx=body.cx / aspect),
        whole,
    )


def without_nobody(
    stretches: Sequence[Stretch],
    looks: Mapping[int, Sequence[Look]],
    least: int,
    settings: DoubtfulSettings = DoubtfulSettings(),
) -> list[Stretch]:
    """Stretches of which those that are surely somebody are not doubtful any more, and those are left out that are
    surely nobody's head in every look.

    looks: of the rows of doubtful ones; least: frames in which the detector has to have seen somebody.
    """
    made = [
        replace(s, doubtful=False) if s.doubtful and is_somebody(s, looks.get(n, ()), least, settings) else s
        for n, s in enumerate(stretches)
    ]
    known = [s.path for s in made if not s.doubtful]

    def is_nobody(stretch: Stretch, seen: Sequence[Look]) -> bool:
        if not seen:
            return False
        if all(look.nobody for look in seen):
            return True
        if any(score >= settings.weak for _, _, score in stretch.faces):
            return False
        hand, gone = may_be_a_hand(stretch, known, settings.body_wide, settings), has_no_body(seen, settings)
        arm = may_be_a_hand(stretch, known, settings.arms_wide, settings)
        return all(
            look.nobody or look.no_face and (hand or gone or arm and _is_elsewhere(look, known, settings))
            for look in seen
        )

    return [s for n, s in enumerate(made) if not s.doubtful or not is_nobody(s, looks.get(n, ()))]


def is_somebody(
    stretch: Stretch, looks: Sequence[Look], least: int, settings: DoubtfulSettings = DoubtfulSettings()
) -> bool:
    """Whether the detector saw a face again and again, and in most looks the body network, which knows nothing of that,
    sees somebody's head just there."""
    if sum(score >= settings.detector_saw for _, _, score in stretch.faces) < least:
        return False
    there = [look.body.sure >= settings.body and _is_on(look.body, look.head, settings) for look in looks]
    return 2 * sum(there) > len(there)


def has_no_body(looks: Sequence[Look], settings: DoubtfulSettings = DoubtfulSettings()) -> bool:
    """Whether in several looks there is nobody for whom this would be the head, though all of them down to the hips
    would be in the picture."""
    return len(looks) > 1 and all(look.whole and look.body.sure <= settings.body_gone for look in looks)


def _is_elsewhere(look: Look, known: Sequence[Path], settings: DoubtfulSettings) -> bool:
    """Whether the body network sees somebody whose head is not this but a known one."""
    if look.body.sure < settings.body_elsewhere or _is_on(look.body, look.head, settings):
        return False
    heads = (
        np.array([path.cx[row], path.cy[row], path.width[row], path.height[row]])
        for path in known
        if 0 <= (row := look.frame - path.first) < len(path)
    )
    return any(_is_on(look.body, head, settings) for head in heads)


def _is_on(body: Body, head: np.ndarray, settings: DoubtfulSettings) -> bool:
    return abs(body.cx - head[0]) <= settings.on_head * head[2] and abs(body.cy - head[1]) <= settings.on_head * head[3]


def may_be_a_hand(
    stretch: Stretch, known: Sequence[Path], wide: float, settings: DoubtfulSettings = DoubtfulSettings()
) -> bool:
    """Whether it was mostly seen on the body below a known head, where the shape says that somebody is whatever it was.
    wide: widths of the head by which a body reaches to each side."""
    on_body = 0
    for frame, face, _ in stretch.faces:
        for path in known:
            row = frame - path.first
            if 0 <= row < len(path) and (path.origin[row] == FOUND or path.confidence[row] >= settings.sure):
                # Of somebody who lies the body is to the side; a head may lean on a body that stands.
                lean = np.radians(path.angle[row]) if abs(path.angle[row]) >= TURNED.looked_from else 0.0
                x, y = (face[0] + face[2]) / 2 - path.cx[row], (face[1] + face[3]) / 2 - path.cy[row]
                aside, below = x * np.cos(lean) + y * np.sin(lean), y * np.cos(lean) - x * np.sin(lean)
                if (
                    abs(aside) <= wide * path.width[row]
                    and settings.body_high[0] * path.height[row] <= below <= settings.body_high[1] * path.height[row]
                ):
                    on_body += 1
                    break
    return on_body > settings.most * len(stretch.faces)


def nobody_there(
    rgb: np.ndarray, head: np.ndarray, shape: ShapeJudge, settings: DoubtfulSettings = DoubtfulSettings()
) -> bool:
    """Whether a head (cx, cy, width, height, …; px of an RGB picture) is surely no person's: by its shape, where there
    is enough light and size to tell."""
    if head[2] < settings.least_px or _brightness(rgb, head) < settings.dark:
        return False
    seen = shape.shape(rgb, head)
    return seen.share < SILHOUETTE.gone and seen.margin < SILHOUETTE.clear


def no_face_there(
    rgb: np.ndarray,
    head: np.ndarray,
    face: np.ndarray,
    judge: FaceJudge,
    settings: DoubtfulSettings = DoubtfulSettings(),
) -> bool:
    """Whether what looks a little like a face, (4,) px of an RGB picture, is surely none, where there is enough light
    and size to tell; in coloured light there is not. head: as in nobody_there, with its angle.

    What is dark in a picture that is not, a black jacket or somebody before a window, is looked at made brighter, too.
    """
    lit, here = in_ordinary_light(rgb), _brightness(rgb, head)
    if head[2] < settings.least_px or lit.coloured or here < settings.black or rgb.mean() < settings.dark:
        return False
    looks = [lit.rgb] if here >= settings.dark else [lit.rgb, cv2.convertScaleAbs(rgb, alpha=settings.bright / here)]
    return all(judge.presence(look, face, float(head[4])) < JUDGING.face_said for look in looks)


def _brightness(rgb: np.ndarray, head: np.ndarray) -> float:
    """Mean of what is in the picture of a head's box, 0..255; 0 where nothing is."""
    x0, y0, x1, y1 = np.clip(cxcywh_to_xyxy(head[None, :4])[0], 0, [rgb.shape[1], rgb.shape[0]] * 2).astype(int)
    return float(rgb[y0:y1, x0:x1].mean()) if x1 > x0 and y1 > y0 else 0.0


def at_one_place(
    stretches: Sequence[Stretch], rate: float, settings: DoubtfulSettings = DoubtfulSettings()
) -> list[list[int]]:
    """Rows of doubtful stretches that are one thing, seen now and then at one place: groups of two or more."""
    groups: list[list[int]] = []
    for row in sorted((n for n, s in enumerate(stretches) if s.doubtful), key=lambda n: stretches[n].path.first):
        mine = next((g for g in groups if _goes_on(stretches[g[-1]], stretches[row], rate, settings)), None)
        if mine is None:
            groups.append([row])
        else:
            mine.append(row)
    return [g for g in groups if len(g) > 1]


def _goes_on(before: Stretch, after: Stretch, rate: float, settings: DoubtfulSettings) -> bool:
    if not 0 < after.path.first - before.path.last <= settings.same_s * rate:
        return False
    a, b = before.path.rows()[-1], after.path.rows()[0]
    size = max(float(a[2]), float(b[2]))
    return bool(
        np.hypot(*(a[:2] - b[:2])) <= settings.away * size and max(a[3], b[3]) <= settings.grown * min(a[3], b[3])
    )
