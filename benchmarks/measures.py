"""The measures: what is exposed, what no finding names, what is covered for nothing, and identity over time.

A leak frame of a person is a frame with a visible face of which less than 95 % of the visible part is covered.
"""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np
from scipy.optimize import linear_sum_assignment

from skiagraph.demo.truth import ClipTruth
from skiagraph.project.cast import decide
from skiagraph.project.layers import layers, matte
from skiagraph.project.model import Decision, Project
from skiagraph.project.rows import outline_rows
from skiagraph.review.findings import findings

# A face counts as visible from this many pixels and this share of its head's ellipse.
LEAST_PX, LEAST_SHARE = 30, 0.03
COVERED = 0.95
GENEROUS = 1.7
# A cover lies on a head from this intersection over union of their boxes; a head is just there, seen or hidden, from
# this one, or where this share of its box lies beneath the cover: a small head behind a large one has next to no
# intersection over union with a cover that hides both.
ON, NEAR, BENEATH = 0.3, 0.1, 0.5


@dataclass
class Leaks:
    """Counts over a clip. people: frames in which a face was visible, leaks: of those, exposed; named: leaks within a
    finding."""

    visible_px: int = 0
    covered_px: int = 0
    people_frames: int = 0
    leaks: list = field(default_factory=list)
    unnamed: list = field(default_factory=list)
    excess: list = field(default_factory=list)
    findings: int = 0
    findings_needless: int = 0

    @property
    def leak_share(self) -> float:
        return len(self.leaks) / max(1, self.people_frames)

    @property
    def covered_share(self) -> float:
        return self.covered_px / max(1, self.visible_px)


def leaks(project: Project, clip_key: str, truth: ClipTruth) -> Leaks:
    """Compare the mattes of a project with the truth of a clip."""
    result = Leaks()
    named = [f for f in findings(project) if f.clip == clip_key]
    for frame, (ids, heads) in enumerate(truth.frames()):
        cover = matte(project, clip_key, frame)
        hidden = cover == 255
        near = np.zeros_like(hidden)
        for head in heads:
            number = truth.number(head.actor)
            _fill_ellipse(near, head, GENEROUS)
            ellipse_px = np.pi / 4 * head.width * head.height
            if head.face_px < max(LEAST_PX, LEAST_SHARE * ellipse_px):
                continue
            visible = ids == number
            inside = int(np.count_nonzero(visible & hidden))
            result.people_frames += 1
            result.visible_px += head.face_px
            result.covered_px += inside
            if inside < COVERED * head.face_px:
                entry = (frame, head.actor, round(inside / head.face_px, 3))
                result.leaks.append(entry)
                if not any(f.first <= frame <= f.last for f in named):
                    result.unnamed.append(entry)
        area = sum(np.pi / 4 * h.width * h.height for h in heads if h.head_visible > 0.05)
        if area:
            result.excess.append(np.count_nonzero((cover > 127) & ~near) / area)
    exposed = {frame for frame, _, _ in result.leaks}
    result.findings = len(named)
    result.findings_needless = sum(not any(f.first - 3 <= e <= f.last + 3 for e in exposed) for f in named)
    return result


def _fill_ellipse(mask, head, factor):
    a, b = head.width / 2 * factor, head.height / 2 * factor
    x0, x1 = int(max(0, head.cx - max(a, b))), int(min(mask.shape[1], head.cx + max(a, b) + 1))
    y0, y1 = int(max(0, head.cy - max(a, b))), int(min(mask.shape[0], head.cy + max(a, b) + 1))
    if x0 >= x1 or y0 >= y1:
        return
    x, y = np.arange(x0, x1)[None, :] - head.cx, np.arange(y0, y1)[:, None] - head.cy
    lean = np.radians(head.angle)
    u, v = (x * np.cos(lean) + y * np.sin(lean)) / a, (y * np.cos(lean) - x * np.sin(lean)) / b
    mask[y0:y1, x0:x1] |= u * u + v * v <= 1


@dataclass(frozen=True)
class Strangers:
    """Frames of another person in a subject. frames: (subject, frame, who it is of, who it lies on); unsaid: of those,
    in no finding when that subject is shown; counts: subject → frames it lies on anybody."""

    frames: tuple[tuple[str, int, str, str], ...]
    unsaid: tuple[tuple[str, int, str, str], ...]
    counts: dict[str, int]


def strangers(project: Project, clip_key: str, truth: ClipTruth) -> Strangers:
    """For each subject the person it lies on most where nobody else is, and the frames in which it lies on somebody
    else of whose head at least a quarter is visible, and not on its own, visible or not."""
    actors, subjects, likeness, there, real = _overlaps(project, clip_key, truth)
    found, counts = [], {}
    for s, subject in enumerate(subjects):
        # On whom it lies in each frame: on nobody where it lies on none by a third.
        score = np.where(real, likeness[:, :, s], 0.0)
        on, much = score.argmax(axis=1), score.max(axis=1)
        frames = np.flatnonzero(much >= ON)
        if not len(frames):
            continue
        # Where a second head is just there too, hidden or not, it may be of either, and tells nothing about whose it
        # is.
        alone = frames[there[frames, :, s].sum(axis=1) < 2]
        owner = int(np.bincount(on[alone if len(alone) else frames], minlength=len(actors)).argmax())
        counts[subject.key] = len(frames)
        # Where both heads are one before the other it may be either; and where its own head is hidden just there, it is
        # where it should be.
        found += [
            (subject.key, int(f), actors[owner], actors[on[f]])
            for f in frames
            if on[f] != owner and not there[f, owner, s]
        ]
    named = {
        key: [f for f in findings(decide(project, [key], Decision.SHOW)) if f.clip == clip_key]
        for key in {key for key, *_ in found}
    }
    unsaid = tuple(entry for entry in found if not any(f.first <= entry[1] <= f.last for f in named[entry[0]]))
    return Strangers(tuple(found), unsaid, counts)


@dataclass
class ShownLeaks:
    """What is laid bare when each person in turn is shown and everybody else is covered: (shown, frame, who is bare).
    unnamed: of those, in no finding."""

    frames: int = 0
    leaks: list = field(default_factory=list)
    unnamed: list = field(default_factory=list)


def leaks_if_shown(project: Project, clip_key: str, truth: ClipTruth) -> ShownLeaks:
    """Each person in turn decided to be shown, through the subject that lies on them most where nobody else is just
    there; the faces of all others have to stay covered."""
    actors, subjects, likeness, there, real = _overlaps(project, clip_key, truth)
    shown = {}
    alone = there.sum(axis=1) < 2
    for a, actor in enumerate(actors):
        on = real[:, a, None] & (likeness[:, a] >= ON)
        much = np.count_nonzero(on & alone, axis=0) + 1e-6 * np.count_nonzero(on, axis=0)
        if len(much) and much.max() > 0:
            shown[actor] = subjects[int(np.argmax(much))].key
    result = ShownLeaks()
    projects = {actor: decide(project, [key], Decision.SHOW) for actor, key in shown.items()}
    named = {actor: [f for f in findings(p) if f.clip == clip_key] for actor, p in projects.items()}
    for frame, (ids, heads) in enumerate(truth.frames()):
        hidden: dict[str, np.ndarray] = {}
        for layer in layers(project, clip_key, frame):
            mask = hidden.setdefault(layer.subject, np.zeros(ids.shape, bool))
            x0, y0, x1, y1 = layer.box
            mask[y0:y1, x0:x1] |= layer.alpha == 255
        visible = [
            (head, ids == truth.number(head.actor))
            for head in heads
            if head.face_px >= max(LEAST_PX, LEAST_SHARE * np.pi / 4 * head.width * head.height)
        ]
        for actor, key in shown.items():
            others = (
                np.any([mask for subject, mask in hidden.items() if subject != key], axis=0)
                if len(hidden) > (key in hidden)
                else np.zeros(ids.shape, bool)
            )
            for head, face in visible:
                if head.actor == actor:
                    continue
                result.frames += 1
                if np.count_nonzero(face & others) < COVERED * head.face_px:
                    result.leaks.append((actor, frame, head.actor))
                    if not any(f.first <= frame <= f.last for f in named[actor]):
                        result.unnamed.append((actor, frame, head.actor))
    return result


def _overlaps(project: Project, clip_key: str, truth: ClipTruth):
    """Actors, subjects, the intersection over union of their boxes (frames, actors, subjects), whether a head is just
    there, seen or hidden (the same shape), and whether an actor can be seen (frames, actors)."""
    frames = list(truth.heads)
    actors = sorted({h.actor for heads in frames for h in heads})
    subjects = [s for s in project.subjects if s.in_clip(clip_key)]
    boxes = np.full((len(subjects), len(frames), 4), np.nan)
    for i, subject in enumerate(subjects):
        for sighting in subject.in_clip(clip_key):
            rows = outline_rows(project, sighting)
            part = rows[: len(frames) - sighting.first]
            boxes[i, sighting.first : sighting.first + len(part)] = np.concatenate(
                [part[:, :2] - part[:, 2:4] / 2, part[:, :2] + part[:, 2:4] / 2], axis=1
            )
    likeness, real = np.zeros((len(frames), len(actors), len(subjects))), np.zeros((len(frames), len(actors)), bool)
    there = np.zeros(likeness.shape, bool)
    for f, heads in enumerate(frames):
        for head in heads:
            a = actors.index(head.actor)
            box = np.array(
                [
                    head.cx - head.width / 2,
                    head.cy - head.height / 2,
                    head.cx + head.width / 2,
                    head.cy + head.height / 2,
                ]
            )
            likeness[f, a], beneath = _overlap_clipped(box, boxes[:, f], (truth.width, truth.height))
            there[f, a] = (likeness[f, a] >= NEAR) | (beneath >= BENEATH)
            real[f, a] = head.head_visible >= 0.25
    return actors, subjects, likeness, there, real


@dataclass(frozen=True)
class Identity:
    """HOTA (Luiten et al., IJCV 2021, mean over the usual thresholds), IDF1 (Ristani et al., 2016), and identity
    switches."""

    hota: float
    idf1: float
    switches: int


def identity(project: Project, clip_key: str, truth: ClipTruth) -> Identity:
    """Compare subjects with the people in a clip, on head boxes, where at least a quarter of the head is visible."""
    frames = list(truth.heads)
    actors = sorted({h.actor for heads in frames for h in heads})
    subjects = [s for s in project.subjects if s.in_clip(clip_key)]
    n_frames = len(frames)
    boxes = np.full((len(subjects), n_frames, 4), np.nan)
    for i, subject in enumerate(subjects):
        for sighting in subject.in_clip(clip_key):
            rows = outline_rows(project, sighting)
            low, high = max(0, sighting.first), min(n_frames - 1, sighting.last)
            part = rows[low - sighting.first : high - sighting.first + 1]
            boxes[i, low : high + 1] = np.concatenate(
                [part[:, :2] - part[:, 2:4] / 2, part[:, :2] + part[:, 2:4] / 2], axis=1
            )
    size = (truth.width, truth.height)
    likeness = np.zeros((n_frames, len(actors), len(subjects)))
    real, ignored = np.zeros((n_frames, len(actors)), bool), np.zeros((n_frames, len(subjects)), bool)
    for f, heads in enumerate(frames):
        for head in heads:
            a = actors.index(head.actor)
            box = np.array(
                [
                    head.cx - head.width / 2,
                    head.cy - head.height / 2,
                    head.cx + head.width / 2,
                    head.cy + head.height / 2,
                ]
            )
            overlap = _iou_clipped(box, boxes[:, f], size)
            if head.head_visible < 0.25:
                ignored[f] |= overlap > 0.3
                continue
            real[f, a] = True
            likeness[f, a] = overlap
        # Outside the picture nothing can be compared.
        ignored[f] |= np.isnan(boxes[:, f, 0]) | (_iou_clipped(np.array([0, 0, *size]), boxes[:, f], size) <= 0)
    return Identity(
        _hota(likeness, real, ~ignored), _idf1(likeness, real, ~ignored), _switches(likeness, real, ~ignored)
    )


def _iou_clipped(box, others, size):
    return _overlap_clipped(box, others, size)[0]


def _overlap_clipped(box, others, size):
    """Intersection over union of a box with others (x0, y0, x1, y1), within a picture of this size, and the share of
    the box that lies in each."""
    limit = np.array([*size, *size])
    box, others = np.clip(box, 0, limit), np.clip(np.nan_to_num(others, nan=-1.0), 0, limit)
    low, high = np.maximum(box[:2], others[:, :2]), np.minimum(box[2:], others[:, 2:])
    inter = np.prod(np.clip(high - low, 0, None), axis=1)
    area = np.prod(box[2:] - box[:2])
    union = area + np.prod(others[:, 2:] - others[:, :2], axis=1) - inter
    return np.where(union > 0, inter / np.maximum(union, 1e-9), 0), inter / max(area, 1e-9)


def _matches(likeness, real, there, threshold, bonus=None):
    for f in range(len(real)):
        rows, columns = np.flatnonzero(real[f]), np.flatnonzero(there[f])
        if not len(rows) or not len(columns):
            continue
        score = likeness[f][np.ix_(rows, columns)]
        worth = np.where(score >= threshold, score + (0 if bonus is None else 10 * bonus[np.ix_(rows, columns)]), 0)
        for r, c in zip(*linear_sum_assignment(-worth)):
            if score[r, c] >= threshold:
                yield f, rows[r], columns[c]


def _hota(likeness, real, there) -> float:
    values = []
    n_real, n_there = real.sum(0), there.sum(0)
    together = np.einsum("fas,fa,fs->as", (likeness >= 0.5).astype(float), real.astype(float), there.astype(float))
    alignment = together / np.maximum(n_real[:, None] + n_there[None] - together, 1)
    for threshold in np.arange(0.05, 0.96, 0.05):
        pairs = np.zeros((real.shape[1], there.shape[1]))
        hits = 0
        for _, a, s in _matches(likeness, real, there, threshold, alignment):
            pairs[a, s] += 1
            hits += 1
        association = pairs / np.maximum(n_real[:, None] + n_there[None] - pairs, 1)
        ass = (pairs * association).sum() / max(hits, 1)
        det = hits / max(real.sum() + there.sum() - hits, 1)
        values.append(np.sqrt(det * ass))
    return float(np.mean(values))


def _idf1(likeness, real, there) -> float:
    hits = np.einsum("fas,fa,fs->as", (likeness >= 0.3).astype(float), real.astype(float), there.astype(float))
    rows, columns = linear_sum_assignment(-hits)
    return float(2 * hits[rows, columns].sum() / max(real.sum() + there.sum(), 1))


def _switches(likeness, real, there) -> int:
    last: dict[int, int] = {}
    count = 0
    for _, a, s in _matches(likeness, real, there, 0.3):
        count += a in last and last[a] != s
        last[a] = s
    return count
