"""Who is who: the same person across absences, cuts and clips, with a stated confidence.

Evidence is added as log odds: how near face descriptors are (Schroff et al., FaceNet, CVPR 2015, compare by Euclidean distance),
how alike hair and clothes look, and that two in one frame are two people. Grouping is agglomerative with average linkage under
those constraints (Wagstaff et al., Constrained K-means, ICML 2001, for the idea of cannot-link). What is not sure enough to be
joined is proposed.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np

from skiagraph.track.appearance import likeness

# Distance at which two faces are as likely one person as two. On the pictures the network was trained with that is near 0.55;
# lower here, since to take two people for one may expose somebody, and to take one for two only asks a question.
EVEN, STEEP = 0.45, 26.0
FACE_MOST = 5.0
# Likeness of clothes at which they say nothing, and how much they say in one clip and across clips.
CLOTHES_EVEN, CLOTHES_STEEP, CLOTHES_MOST, ELSEWHERE = 0.80, 11.0, 2.2, 0.35
# Before anything is known two sightings are more likely two people.
PRIOR = -0.8
# From this probability two are joined; from the other they are proposed.
JOIN, PROPOSE = 0.9, 0.3
# A descriptor worth less than this tells nothing.
LEAST_WORTH = 0.12


@dataclass(frozen=True, slots=True, eq=False)
class Signature:
    """What is known of how somebody looks. vectors float32 (n, 128), worths (n,) 0..1, colours as from head_colours or None.

    Held in memory only; never written anywhere.
    """

    vectors: np.ndarray
    worths: np.ndarray
    colours: np.ndarray | None = None

    def __len__(self) -> int:
        return len(self.worths)

    @staticmethod
    def none() -> Signature:
        return Signature(np.zeros((0, 128), np.float32), np.zeros(0, np.float32))

    @staticmethod
    def joined(parts: Sequence[Signature]) -> Signature:
        """All vectors together, the most telling twelve; colours as a mean."""
        parts = [p for p in parts if len(p) or p.colours is not None]
        if not parts:
            return Signature.none()
        vectors, worths = np.concatenate([p.vectors for p in parts]), np.concatenate([p.worths for p in parts])
        best = np.argsort(-worths, kind="stable")[:12]
        colours = [p.colours for p in parts if p.colours is not None]
        mean = np.sqrt(np.mean(np.square(colours), axis=0)) if colours else None
        return Signature(vectors[best], worths[best], mean)


def face_distance(a: Signature, b: Signature) -> tuple[float, float] | None:
    """Distance of two people's faces, and how much it is worth (0..1); None when it cannot be told.

    A lower quartile of all pairs, weighted by worth: the views that happen to agree are the ones to compare.
    """
    if not len(a) or not len(b):
        return None
    distance = np.linalg.norm(a.vectors[:, None] - b.vectors[None], axis=2).ravel()
    weight = (a.worths[:, None] * b.worths[None]).ravel()
    if np.sqrt(weight.max()) < LEAST_WORTH:
        return None
    order = np.argsort(distance)
    passed = np.cumsum(weight[order])
    at = order[int(np.searchsorted(passed, 0.25 * passed[-1]))]
    return float(distance[at]), float(np.sqrt(weight.max()))


def log_odds(a: Signature, b: Signature, *, same_clip: bool) -> float:
    """Log odds that two are one person, from how they look."""
    odds = PRIOR
    face = face_distance(a, b)
    if face is not None:
        distance, worth = face
        odds += float(np.clip(STEEP * (EVEN - distance), -FACE_MOST, FACE_MOST)) * min(1.0, 0.3 + worth)
    if a.colours is not None and b.colours is not None:
        said = float(np.clip(CLOTHES_STEEP * (likeness(a.colours, b.colours) - CLOTHES_EVEN), -CLOTHES_MOST, CLOTHES_MOST))
        odds += said * (1.0 if same_clip else ELSEWHERE)
    return odds


def probability(odds: float) -> float:
    return float(1 / (1 + np.exp(-np.clip(odds, -30, 30))))


@dataclass(frozen=True, slots=True)
class Grouping:
    """groups: rows that are one person; sure: for each group the least probability of a join in it (1.0 where nothing was joined);
    likely: (group, group, probability) to be asked about, likeliest first."""

    groups: tuple[tuple[int, ...], ...]
    sure: tuple[float, ...]
    likely: tuple[tuple[int, int, float], ...]


def group(signatures: Sequence[Signature], apart: Callable[[int, int], bool], same_clip: Callable[[int, int], bool],
          fixed: Sequence[Sequence[int]] = (), extra: Callable[[int, int], float] = lambda i, j: 0.0) -> Grouping:
    """Group sightings into people.

    apart: whether two rows cannot be one person; fixed: rows that are known to be one; extra: log odds from elsewhere.
    """
    n = len(signatures)
    odds, barred = np.full((n, n), -np.inf), np.zeros((n, n), bool)
    for i in range(n):
        for j in range(i):
            barred[i, j] = barred[j, i] = apart(i, j)
            odds[i, j] = odds[j, i] = log_odds(signatures[i], signatures[j], same_clip=same_clip(i, j)) + extra(i, j)
    groups = [list(rows) for rows in fixed]
    placed = {row for rows in groups for row in rows}
    groups += [[row] for row in range(n) if row not in placed]
    sure = [1.0] * len(groups)
    while True:
        best, pair = -np.inf, None
        for a in range(len(groups)):
            for b in range(a):
                value = _between(odds, barred, groups[a], groups[b])
                if value > best:
                    best, pair = value, (b, a)
        if pair is None or probability(best) < JOIN:
            break
        a, b = pair
        groups[a] += groups[b]
        sure[a] = min(sure[a], sure[b], probability(best))
        del groups[b], sure[b]
    likely = []
    for a in range(len(groups)):
        for b in range(a):
            p = probability(_between(odds, barred, groups[a], groups[b]))
            if p >= PROPOSE:
                likely.append((b, a, p))
    return Grouping(tuple(tuple(sorted(g)) for g in groups), tuple(sure), tuple(sorted(likely, key=lambda entry: -entry[2])))


def _between(odds, barred, a: list[int], b: list[int]) -> float:
    """Log odds that two groups are one person: the mean over their pairs; none where two were seen at once."""
    if barred[np.ix_(a, b)].any():
        return -np.inf
    return float(odds[np.ix_(a, b)].mean())
