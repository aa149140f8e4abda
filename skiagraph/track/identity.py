"""Who is who: the same person across absences, cuts and clips, with a stated confidence.

Evidence is added as log odds: how near face descriptors are (Schroff et al., FaceNet, CVPR 2015, compare by Euclidean
distance), how alike hair and clothes look, and that two in one frame are two people. Grouping is agglomerative with
average linkage under those constraints (Wagstaff et al., Constrained K-means, ICML 2001, for the idea of cannot-link).
What is not sure enough to be joined is proposed.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from types import MappingProxyType

import numpy as np


@dataclass(frozen=True, slots=True)
class IdentitySettings:
    """How evidence becomes log odds.

    Two faces on the pictures the descriptor was trained with are even near 0.55; lower here, since to take two people
    for one may expose somebody, and to take one for two only asks a question.
    """

    # distance at which two faces are as likely one person as two; larger: more is joined
    face_even: float = 0.45
    # log odds for each unit of distance that two faces are nearer
    face_steep: float = 26.0
    # share of those log odds that a comparison of no worth still gives; it gives all of them from a worth of so much
    # less than 1 on
    face_unsure: float = 0.3
    # quantile of the distances of all pairs of views, weighted by worth, that counts; smaller: the views that happen to
    # agree decide
    face_quantile: float = 0.25
    # log odds that faces give at most
    face_most: float = 5.0
    # likeness of clothes at which they say nothing; larger: less is joined
    clothes_even: float = 0.80
    # log odds for each unit more alike
    clothes_steep: float = 11.0
    # log odds that clothes give at most
    clothes_most: float = 2.2
    # share of what clothes say that they say across clips
    elsewhere: float = 0.35
    # log odds before anything is known: two sightings are more likely two people
    prior: float = -0.8
    # probability from which two are joined; smaller: more is joined, and may be wrong
    join: float = 0.9
    # probability from which they are asked about; smaller: more questions. Over what the prior alone gives (0.31), so
    # that nobody is asked about for want of evidence
    propose: float = 0.33
    # worth under which a descriptor tells nothing
    least_worth: float = 0.12


IDENTITY = IdentitySettings()


@dataclass(frozen=True, slots=True, eq=False)
class Signature:
    """What is known of how somebody looks. vectors float32 (n, 128), worths (n,) 0..1, colours as from head_colours or
    None.

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
    distance, worth = SignatureTable([b]).distances(a)
    return None if np.isnan(distance[0]) else (float(distance[0]), float(worth[0]))


def log_odds_of_faces(distance: np.ndarray | float, worth: np.ndarray | float) -> np.ndarray:
    """Log odds, beside the prior, that two faces at a distance are one person's, of a comparison of some worth,
    0..1."""
    return np.clip(
        IDENTITY.face_steep * (IDENTITY.face_even - distance), -IDENTITY.face_most, IDENTITY.face_most
    ) * np.minimum(1.0, IDENTITY.face_unsure + worth)


class SignatureTable:
    """Signatures side by side, so that one is held against many at once."""

    def __init__(self, signatures: Sequence[Signature]):
        self._counts = np.array([len(s) for s in signatures], int)
        self._ends = np.concatenate([[0], np.cumsum(self._counts)])
        self._vectors = np.concatenate(
            [np.zeros((0, 128)), *(s.vectors.astype(np.float64) for s in signatures if len(s))]
        )
        self._worths = np.concatenate([np.zeros(0), *(s.worths.astype(np.float64) for s in signatures if len(s))])
        self._squares = (self._vectors**2).sum(axis=1)
        self._dressed = np.array([s.colours is not None for s in signatures], bool)
        clothes = [s.colours for s in signatures if s.colours is not None]
        self._colours = np.stack(clothes) if clothes else np.zeros((0, 1), np.float32)
        self._dressed_before = np.concatenate([[0], np.cumsum(self._dressed)])

    def __len__(self) -> int:
        return len(self._counts)

    def distances(
        self, a: Signature, first: int | None = None, beyond: float = np.inf
    ) -> tuple[np.ndarray, np.ndarray]:
        """Distance of a face to each of the first so many (all by default), and what each is worth: two of (n,), NaN
        where it cannot be told.

        Those further than `beyond` are given as that.
        """
        count = len(self) if first is None else first
        distance, worth = np.full(count, np.nan), np.zeros(count)
        some = np.flatnonzero(self._counts[:count])
        if not len(a) or not len(some):
            return distance, worth
        end, starts = self._ends[count], self._ends[some]
        mine, my_worth, theirs = a.vectors.astype(np.float64), a.worths.astype(np.float64), self._worths[:end]
        pairs = np.sqrt(
            np.maximum((mine**2).sum(axis=1)[:, None] + self._squares[None, :end] - 2 * mine @ self._vectors[:end].T, 0)
        )
        most = my_worth.max() * np.maximum.reduceat(theirs, starts)
        told = np.sqrt(most) >= IDENTITY.least_worth
        # A quarter of the weight, whatever the last bits of the sums.
        quarter = (IDENTITY.face_quantile - 1e-9) * my_worth.sum() * np.add.reduceat(theirs, starts)
        near = told & (np.add.reduceat((my_worth @ (pairs <= beyond)) * theirs, starts) >= quarter)
        distance[some[told]], worth[some[told]] = beyond, np.sqrt(most[told])
        # Those with as many views are sorted together.
        for views in np.unique(self._counts[some[near]]):
            rows = np.flatnonzero(near & (self._counts[some] == views))
            columns = starts[rows, None] + np.arange(views)
            apart = pairs[:, columns].transpose(1, 0, 2).reshape(len(rows), -1)
            weight = (my_worth[:, None, None] * theirs[columns]).transpose(1, 0, 2).reshape(len(rows), -1)
            # The order among equal distances makes no difference.
            order = np.argsort(apart, axis=1)
            reached = np.cumsum(np.take_along_axis(weight, order, axis=1), axis=1) >= quarter[rows, None]
            distance[some[rows]] = np.take_along_axis(
                apart, np.take_along_axis(order, reached.argmax(axis=1)[:, None], axis=1), axis=1
            )[:, 0]
        return distance, worth

    def log_odds(self, a: Signature, same_clip: np.ndarray | bool = True, first: int | None = None) -> np.ndarray:
        """Log odds that somebody and each of the first so many are one person, (n,), from how they look. same_clip:
        bool, (n,) or one for all."""
        count = len(self) if first is None else first
        odds = np.full(count, IDENTITY.prior)
        # Further away than that no face says more.
        distance, worth = self.distances(a, count, IDENTITY.face_even + IDENTITY.face_most / IDENTITY.face_steep + 1e-6)
        seen = ~np.isnan(distance)
        odds[seen] += log_odds_of_faces(distance[seen], worth[seen])
        dressed = self._dressed[:count]
        if a.colours is not None and dressed.any():
            alike = self._colours[: self._dressed_before[count]] @ a.colours
            here = np.broadcast_to(same_clip, count)[dressed]
            odds[dressed] += np.clip(
                IDENTITY.clothes_steep * (alike - IDENTITY.clothes_even), -IDENTITY.clothes_most, IDENTITY.clothes_most
            ) * np.where(here, 1.0, IDENTITY.elsewhere)
        return odds


def log_odds(a: Signature, b: Signature, *, same_clip: bool) -> float:
    """Log odds that two are one person, from how they look."""
    return float(SignatureTable([b]).log_odds(a, same_clip)[0])


def probability(odds: float) -> float:
    return float(1 / (1 + np.exp(-np.clip(odds, -30, 30))))


@dataclass(frozen=True, slots=True)
class Grouping:
    """groups: rows that are one person; sure: for each group the least probability of a join in it (1.0 where nothing
    was joined); likely: (group, group, probability) to be asked about, likeliest first."""

    groups: tuple[tuple[int, ...], ...]
    sure: tuple[float, ...]
    likely: tuple[tuple[int, int, float], ...]


def group(
    signatures: Sequence[Signature],
    cannot_link: np.ndarray,
    fixed: Sequence[Sequence[int]] = (),
    extra: np.ndarray | float = 0.0,
    report: Callable[[int, int], None] = lambda done, total: None,
    known: Mapping[tuple[int, int], float] = MappingProxyType({}),
) -> Grouping:
    """Group sightings of one clip into people.

    cannot_link: bool (n, n), symmetric, whether two rows cannot be one person; fixed: rows that are known to be one,
    those of several that share a row too; extra: log odds from elsewhere, (n, n), symmetric; known: log odds of pairs
    of which nothing else counts; report is told how many of the rows are compared, and may raise to cancel. The time
    goes with the square of the rows: means between groups are kept as sums (Lance and Williams, The Computer Journal
    1967), and the nearest group of each instead of a search of all pairs (Anderberg, Cluster Analysis for Applications
    1973).
    """
    n = len(signatures)
    table, odds = SignatureTable(signatures), np.zeros((n, n))
    for i in range(n):
        report(i, n)
        odds[i, :i] = odds[:i, i] = table.log_odds(signatures[i], first=i)
    odds += extra
    for (i, j), value in known.items():
        odds[i, j] = odds[j, i] = value
    groups = _together(fixed)
    placed = {row for rows in groups for row in rows}
    groups += [[row] for row in range(n) if row not in placed]
    if not groups:
        return Grouping((), (), ())
    sizes = np.array([len(rows) for rows in groups], float)
    order, starts = np.concatenate(groups), np.concatenate([[0], np.cumsum(sizes[:-1])]).astype(int)
    sums, bars = (
        add.reduceat(add.reduceat(pairs[np.ix_(order, order)], starts, axis=0), starts, axis=1)
        for add, pairs in ((np.add, odds), (np.logical_or, cannot_link))
    )
    sure, alive = np.ones(len(groups)), np.ones(len(groups), bool)
    # Log odds that two groups are one person: the mean over their pairs; none where two were seen at once, or with
    # itself.
    mean = np.where(bars, -np.inf, sums / np.outer(sizes, sizes))
    mean[~np.tril(np.ones_like(mean, bool), -1)] = -np.inf
    nearest = mean.argmax(axis=1)
    best = mean[np.arange(len(groups)), nearest]
    while len(groups) > 1:
        b = int(np.argmax(best))
        a, odds_of_both = int(nearest[b]), best[b]
        if probability(odds_of_both) < IDENTITY.join:
            break
        groups[a] += groups[b]
        sure[a] = min(sure[a], sure[b], probability(odds_of_both))
        alive[b] = False
        sizes[a] += sizes[b]
        sums[a] += sums[b]
        sums[:, a] += sums[:, b]
        bars[a] |= bars[b]
        bars[:, a] |= bars[:, b]
        row = np.where(bars[a] | ~alive, -np.inf, sums[a] / (sizes[a] * sizes))
        mean[a, :a], mean[a + 1 :, a] = row[:a], row[a + 1 :]
        mean[b, :], mean[:, b] = -np.inf, -np.inf
        changed = np.flatnonzero(
            alive & ((nearest == a) | (nearest == b) | (np.arange(len(groups)) == a) | (mean[:, a] >= best))
        )
        nearest[changed] = mean[changed].argmax(axis=1)
        best[changed] = mean[changed, nearest[changed]]
        best[b] = -np.inf
    left = np.flatnonzero(alive)
    place = {int(g): k for k, g in enumerate(left)}
    likely = [
        (place[int(a)], place[int(b)], probability(mean[b, a]))
        for b, a in np.argwhere(mean > -np.inf)
        if probability(mean[b, a]) >= IDENTITY.propose
    ]
    return Grouping(
        tuple(tuple(sorted(groups[g])) for g in left),
        tuple(float(v) for v in sure[left]),
        tuple(sorted(likely, key=lambda entry: -entry[2])),
    )


def _together(fixed: Sequence[Sequence[int]]) -> list[list[int]]:
    """Groups of rows of which none is in two."""
    groups: list[list[int]] = []
    for rows in fixed:
        touched = [group for group in groups if not set(group).isdisjoint(rows)]
        merged = sorted({*rows, *(row for group in touched for row in group)})
        groups = [group for group in groups if group not in touched] + [merged]
    return groups
