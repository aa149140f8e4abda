"""Who is who: the same person across absences, cuts and clips, with a stated confidence.

Evidence is added as log odds: how near face descriptors are (Schroff et al., FaceNet, CVPR 2015, compare by Euclidean distance),
how alike hair and clothes look, and that two in one frame are two people. Grouping is agglomerative with average linkage under
those constraints (Wagstaff et al., Constrained K-means, ICML 2001, for the idea of cannot-link). What is not sure enough to be
joined is proposed.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from types import MappingProxyType

import numpy as np

from skiagraph.track.appearance import likeness


@dataclass(frozen=True, slots=True)
class IdentitySettings:
    """How evidence becomes log odds. Two faces on the pictures the descriptor was trained with are even near 0.55; lower here, since to take two people for one may expose somebody, and to take one for two only asks a question."""

    face_even: float = 0.45  # distance at which two faces are as likely one person as two; larger: more is joined
    face_steep: float = 26.0  # log odds for each unit nearer
    face_most: float = 5.0  # log odds that faces give at most
    clothes_even: float = 0.80  # likeness of clothes at which they say nothing; larger: less is joined
    clothes_steep: float = 11.0  # log odds for each unit more alike
    clothes_most: float = 2.2  # log odds that clothes give at most
    elsewhere: float = 0.35  # share of that across clips
    prior: float = -0.8  # log odds before anything is known: two sightings are more likely two people
    join: float = 0.9  # probability from which two are joined; smaller: more is joined, and may be wrong
    propose: float = 0.3  # probability from which they are asked about; smaller: more questions
    least_worth: float = 0.12  # worth under which a descriptor tells nothing


IDENTITY = IdentitySettings()


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

    @property
    def tells(self) -> bool:
        """True where anything is known of how somebody looks."""
        return len(self) > 0 or self.colours is not None

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
    distance, worth = _distances(a, [b])
    return None if np.isnan(distance[0]) else (float(distance[0]), float(worth[0]))


def _distances(a: Signature, others: Sequence[Signature]) -> tuple[np.ndarray, np.ndarray]:
    """Distance of a face to each of others, and what each is worth: two of (n,), NaN where it cannot be told."""
    counts = np.array([len(other) for other in others], int)
    distance, worth = np.full(len(others), np.nan), np.zeros(len(others))
    if not len(a) or not counts.sum():
        return distance, worth
    theirs = np.concatenate([other.vectors for other in others if len(other)]).astype(np.float64)
    mine = a.vectors.astype(np.float64)
    squared = (mine ** 2).sum(axis=1)[:, None] + (theirs ** 2).sum(axis=1)[None] - 2 * mine @ theirs.T
    pairs = np.sqrt(np.maximum(squared, 0)).ravel()
    weight = (a.worths.astype(np.float64)[:, None] * np.concatenate([other.worths for other in others if len(other)])[None]).ravel()
    some = np.flatnonzero(counts)
    whose = np.tile(np.repeat(np.arange(len(some)), counts[some]), len(a))
    order = np.lexsort((pairs, whose))
    starts = np.concatenate([[0], np.cumsum(counts[some] * len(a))[:-1]])
    weight = weight[order]
    most, total, passed = np.maximum.reduceat(weight, starts), np.add.reduceat(weight, starts), np.cumsum(weight)
    passed -= np.repeat(passed[starts] - weight[starts], counts[some] * len(a))
    # The first pair with which a quarter of the weight is passed, whatever the last bits of the sums.
    reached = np.where(passed >= np.repeat((0.25 - 1e-9) * total, counts[some] * len(a)), np.arange(len(order)), len(order))
    at = order[np.minimum.reduceat(reached, starts)]
    told = np.sqrt(most) >= IDENTITY.least_worth
    distance[some[told]], worth[some[told]] = pairs[at[told]], np.sqrt(most[told])
    return distance, worth


def log_odds(a: Signature, b: Signature, *, same_clip: bool) -> float:
    """Log odds that two are one person, from how they look."""
    return float(all_log_odds(a, [b], np.array([same_clip]))[0])


def all_log_odds(a: Signature, others: Sequence[Signature], same_clip: np.ndarray) -> np.ndarray:
    """Log odds that somebody and each of others are one person, (n,), from how they look. same_clip: bool (n,)."""
    odds = np.full(len(others), IDENTITY.prior)
    distance, worth = _distances(a, others)
    seen = ~np.isnan(distance)
    odds[seen] += np.clip(IDENTITY.face_steep * (IDENTITY.face_even - distance[seen]), -IDENTITY.face_most, IDENTITY.face_most) * np.minimum(1.0, 0.3 + worth[seen])
    dressed = np.array([a.colours is not None and other.colours is not None for other in others], bool)
    if dressed.any():
        alike = np.array([likeness(a.colours, other.colours) for other, known in zip(others, dressed) if known])
        odds[dressed] += np.clip(IDENTITY.clothes_steep * (alike - IDENTITY.clothes_even), -IDENTITY.clothes_most, IDENTITY.clothes_most) * np.where(same_clip[dressed], 1.0, IDENTITY.elsewhere)
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
          fixed: Sequence[Sequence[int]] = (), extra: Callable[[int, int], float] = lambda i, j: 0.0,
          report: Callable[[int, int], None] = lambda done, total: None, known: Mapping[tuple[int, int], float] = MappingProxyType({})) -> Grouping:
    """Group sightings into people.

    apart: whether two rows cannot be one person; fixed: rows that are known to be one; extra: log odds from elsewhere; known: log odds of pairs of which nothing else counts; report is told
    how many of the rows are compared, and may raise to cancel. The time goes with the square of the rows: means between groups are
    kept as sums (Lance and Williams, The Computer Journal 1967) instead of made anew.
    """
    n = len(signatures)
    odds, barred = np.zeros((n, n)), np.zeros((n, n), bool)
    for i in range(n):
        report(i, n)
        if not i:
            continue
        row = all_log_odds(signatures[i], signatures[:i], np.array([same_clip(i, j) for j in range(i)], bool))
        odds[i, :i] = odds[:i, i] = row + [extra(i, j) for j in range(i)]
        barred[i, :i] = barred[:i, i] = [apart(i, j) for j in range(i)]
    for (i, j), value in known.items():
        odds[i, j] = odds[j, i] = value
    groups = [list(rows) for rows in fixed]
    placed = {row for rows in groups for row in rows}
    groups += [[row] for row in range(n) if row not in placed]
    member = np.zeros((len(groups), n))
    for g, rows in enumerate(groups):
        member[g, rows] = 1
    sums, bars, sizes = member @ odds @ member.T, (member @ barred @ member.T) > 0, member.sum(axis=1)
    sure, alive = np.ones(len(groups)), np.ones(len(groups), bool)
    # Log odds that two groups are one person: the mean over their pairs; none where two were seen at once, or with itself.
    mean = np.where(bars, -np.inf, sums / np.outer(sizes, sizes)) if n else sums
    below = np.tril(np.ones_like(mean, bool), -1)
    mean[~below] = -np.inf
    while len(groups) > 1:
        b, a = np.unravel_index(int(np.argmax(mean)), mean.shape)
        best = mean[b, a]
        if probability(best) < IDENTITY.join:
            break
        groups[a] += groups[b]
        sure[a] = min(sure[a], sure[b], probability(best))
        alive[b] = False
        sizes[a] += sizes[b]
        sums[a] += sums[b]
        sums[:, a] += sums[:, b]
        bars[a] |= bars[b]
        bars[:, a] |= bars[:, b]
        row = np.where(bars[a] | ~alive, -np.inf, sums[a] / (sizes[a] * sizes))
        mean[a, :a], mean[a + 1:, a] = row[:a], row[a + 1:]
        mean[b, :], mean[:, b] = -np.inf, -np.inf
    left = np.flatnonzero(alive)
    place = {int(g): k for k, g in enumerate(left)}
    likely = [(place[int(a)], place[int(b)], probability(mean[b, a])) for b, a in np.argwhere(mean > -np.inf) if probability(mean[b, a]) >= IDENTITY.propose]
    return Grouping(tuple(tuple(sorted(groups[g])) for g in left), tuple(float(v) for v in sure[left]), tuple(sorted(likely, key=lambda entry: -entry[2])))
