"""Who is who: near faces join, far ones do not, two in one frame never, and what is not sure is asked."""

import unittest

import numpy as np

from skiagraph.track.identity import IDENTITY, Signature, SignatureTable, face_distance, group, log_odds, probability


def vector(person: int, noise: float, rng) -> np.ndarray:
    """A descriptor of a made-up person: far from all others, moved by about `noise`."""
    base = np.zeros(128, np.float32)
    base[person * 3 : person * 3 + 3] = 0.5
    shift = rng.standard_normal(128).astype(np.float32)
    return base + noise * shift / np.linalg.norm(shift)


def signature(person, noise=0.12, worth=0.9, count=3, colours=None, seed=0):
    rng = np.random.default_rng(seed * 100 + person)
    return Signature(
        np.array([vector(person, noise, rng) for _ in range(count)]), np.full(count, worth, np.float32), colours
    )


def clothes(n):
    histogram = np.full(16, 0.01)
    histogram[n] = 1
    return np.sqrt(histogram / histogram.sum()).astype(np.float32)


def never(count, *pairs):
    """For so many rows, which of them cannot be one person."""
    apart = np.zeros((count, count), bool)
    for i, j in pairs:
        apart[i, j] = apart[j, i] = True
    return apart


class EvidenceTest(unittest.TestCase):
    def test_distance_is_symmetric_and_small_for_one_person(self):
        a, b, c = signature(1, seed=1), signature(1, seed=2), signature(2, seed=3)
        self.assertEqual(face_distance(a, b), face_distance(b, a))
        self.assertLess(face_distance(a, b)[0], 0.3)
        self.assertGreater(face_distance(a, c)[0], 0.8)

    def test_without_a_face_there_is_no_distance(self):
        self.assertIsNone(face_distance(Signature.none(), signature(1)))
        self.assertIsNone(face_distance(signature(1, worth=0.01), signature(1)))

    def test_odds_rise_with_likeness_and_with_clothes(self):
        same, other = signature(1, seed=1), signature(1, seed=2)
        self.assertGreater(
            log_odds(same, other, same_clip=True), log_odds(same, signature(1, noise=0.4, seed=3), same_clip=True)
        )
        dressed = [Signature(s.vectors, s.worths, clothes(0)) for s in (same, other)]
        changed = Signature(other.vectors, other.worths, clothes(5))
        self.assertGreater(log_odds(*dressed, same_clip=True), log_odds(dressed[0], changed, same_clip=True))
        self.assertLess(
            abs(log_odds(*dressed, same_clip=False) - log_odds(dressed[0], changed, same_clip=False)),
            abs(log_odds(*dressed, same_clip=True) - log_odds(dressed[0], changed, same_clip=True)),
        )

    def test_clothes_alone_never_join(self):
        a, b = (Signature(np.zeros((0, 128), np.float32), np.zeros(0, np.float32), clothes(2)) for _ in range(2))
        self.assertLess(probability(log_odds(a, b, same_clip=True)), IDENTITY.join)

    def test_joined_keeps_the_most_telling(self):
        many = Signature.joined([signature(1, worth=0.1 * n, count=4, seed=n) for n in range(1, 8)])
        self.assertEqual(len(many), 12)
        self.assertGreaterEqual(many.worths.min(), 0.5)
        self.assertEqual(len(Signature.joined([])), 0)


class SignatureTableTest(unittest.TestCase):
    def test_many_at_once_are_told_as_one_by_one(self):
        people = [
            signature(
                n % 5,
                noise=0.05 * n,
                worth=0.2 + 0.03 * n,
                count=n % 4,
                colours=clothes(n % 3) if n % 2 else None,
                seed=n,
            )
            for n in range(20)
        ]
        table = SignatureTable(people)
        for n, person in enumerate(people):
            with self.subTest(n):
                np.testing.assert_allclose(
                    table.log_odds(person, first=n),
                    [log_odds(person, other, same_clip=True) for other in people[:n]],
                    atol=1e-9,
                )
                near, far = table.distances(person), table.distances(person, beyond=0.4)
                np.testing.assert_allclose(np.where(near[0] > 0.4, 0.4, near[0]), far[0])
                np.testing.assert_allclose(near[1], far[1])

    def test_a_quarter_of_the_weight_decides(self):
        one = Signature(np.zeros((1, 128), np.float32), np.ones(1, np.float32))
        views = np.zeros((4, 128), np.float32)
        views[:, 0] = 0.1, 0.2, 0.3, 0.4
        self.assertAlmostEqual(face_distance(one, Signature(views, np.ones(4, np.float32)))[0], 0.1, places=6)
        self.assertAlmostEqual(
            face_distance(one, Signature(views, np.array([0.1, 0.1, 1, 1], np.float32)))[0], 0.3, places=6
        )


def grouped_plainly(odds, apart, least):
    """Average linkage as it is defined: the pair of groups with the highest mean over their pairs, searched anew each
    time."""
    groups = [[n] for n in range(len(odds))]
    while True:
        pairs = [
            (odds[np.ix_(a, b)].mean(), i, j)
            for i, a in enumerate(groups)
            for j, b in enumerate(groups)
            if j < i and not apart[np.ix_(a, b)].any()
        ]
        if not pairs or max(pairs)[0] < least:
            return {tuple(sorted(g)) for g in groups}
        _, i, j = max(pairs)
        groups[j] += groups.pop(i)


class GroupTest(unittest.TestCase):
    def test_groups_are_those_of_average_linkage(self):
        least = float(np.log(IDENTITY.join / (1 - IDENTITY.join)))
        for seed in range(12):
            rng = np.random.default_rng(seed)
            odds = rng.normal(0, 5, (14, 14))
            odds = np.tril(odds, -1) + np.tril(odds, -1).T
            apart = never(14, *rng.integers(0, 14, (8, 2)))
            np.fill_diagonal(apart, False)
            known = {(i, j): float(odds[i, j]) for i in range(14) for j in range(i)}
            with self.subTest(seed):
                self.assertEqual(
                    set(group([Signature.none()] * 14, apart, known=known).groups), grouped_plainly(odds, apart, least)
                )

    def test_nobody_is_no_group(self):
        self.assertEqual(group([], never(0)).groups, ())

    def test_sightings_of_three_people(self):
        people = [1, 2, 1, 3, 2, 1]
        grouping = group([signature(p, seed=n) for n, p in enumerate(people)], never(6))
        self.assertEqual(sorted(grouping.groups), [(0, 2, 5), (1, 4), (3,)])
        self.assertTrue(all(s >= IDENTITY.join for s in grouping.sure))
        self.assertEqual(grouping.likely, ())

    def test_two_in_one_frame_are_two_whatever_they_look_like(self):
        twins = [signature(1, seed=1), signature(1, seed=2), signature(1, seed=3)]
        grouping = group(twins, never(3, (0, 1)))
        self.assertEqual(len(grouping.groups), 2)
        self.assertFalse(any({0, 1} <= set(g) for g in grouping.groups))
        self.assertFalse(
            any({0, 1} <= set(grouping.groups[a]) | set(grouping.groups[b]) and p > 0 for a, b, p in grouping.likely)
        )

    def test_what_is_not_sure_is_asked(self):
        a, b = signature(1, noise=0.28, seed=1), signature(1, noise=0.28, seed=4)
        grouping = group([a, b], never(2))
        self.assertEqual(len(grouping.groups), 2)
        self.assertEqual(len(grouping.likely), 1)
        self.assertTrue(IDENTITY.propose <= grouping.likely[0][2] < IDENTITY.join)

    def test_where_nothing_can_be_compared_nobody_is_asked(self):
        self.assertEqual(group([signature(1, seed=1), Signature.none(), Signature.none()], never(3)).likely, ())

    def test_other_evidence_counts(self):
        strangers = [signature(1, seed=1), signature(2, seed=2)]
        self.assertEqual(len(group(strangers, never(2)).groups), 2)
        self.assertEqual(len(group(strangers, never(2), extra=np.full((2, 2), 12.0)).groups), 1)
        self.assertEqual(len(group(strangers, never(2), fixed=[(0, 1)]).groups), 1)

    def test_nobody_is_in_two_groups_by_pairs_that_share_a_row(self):
        strangers = [signature(n, seed=n) for n in range(6)]
        self.assertEqual(
            group(strangers, never(6), fixed=[(0, 1), (3, 4), (1, 2), (4, 2)]).groups, ((0, 1, 2, 3, 4), (5,))
        )
