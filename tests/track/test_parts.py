"""Scans of several parts as one: the same person once, two people twice, and what lies between said."""

import unittest

import numpy as np

from skiagraph.track.identity import Signature
from skiagraph.track.parts import merged
from skiagraph.track.results import FaceTable, FoundJoin, FoundPerson, ScanResult
from tests.support import head_path


def face(seed: int, noise: float = 0.0) -> Signature:
    vector = np.random.default_rng(seed).normal(0, 1, 128)
    vector = vector / np.linalg.norm(vector) + np.random.default_rng(seed + 99).normal(0, noise, 128)
    return Signature(np.array([vector / np.linalg.norm(vector)] * 3, np.float32), np.ones(3, np.float32))


def person(key, first, signature, doubtful=False, joins=()):
    return FoundPerson(key, (head_path(first, 20),), first, (0.0, 0.0, 9.0, 9.0), doubtful, 1.0, joins, signature)


def part(begun, *people, likely=(), frames=300):
    table = FaceTable(np.array([begun + 3], np.int32), np.zeros((1, 4), np.int16), np.array([80], np.uint8))
    return ScanResult(people, table, (begun + 7,), frames, "", likely, begun + 40, begun)


class MergedTest(unittest.TestCase):
    def test_the_same_face_is_one_person_and_another_is_not(self):
        joins = (FoundJoin(205, 209, (2,), 0.97),)
        found = merged(
            [
                part(0, person(1, 2, face(1)), person(2, 4, face(2)), likely=((1, 2, 0.4),)),
                part(200, person(1, 203, face(2)), person(2, 204, face(3), joins=joins), likely=((1, 2, 0.5),)),
            ]
        )
        self.assertEqual(
            [(p.key, [path.first for path in p.paths]) for p in found.people], [(1, [2]), (2, [4, 203]), (4, [204])]
        )
        self.assertEqual((found.begun, found.end, found.gaps, found.frames), (0, 240, ((40, 199),), 300))
        self.assertEqual(
            (found.likely, found.cuts, list(found.faces.frames)), (((1, 2, 0.4), (2, 4, 0.5)), (7, 207), [3, 203])
        )
        self.assertEqual(found.people[2].joins[0].others, (4,))
        self.assertLess(found.people[1].sure, 1.0)

    def test_nobody_takes_in_two_who_were_seen_at_once(self):
        twins = merged([part(0, person(1, 2, face(5))), part(200, person(1, 203, face(5)), person(2, 203, face(5)))])
        self.assertEqual(len(twins.people), 3)
        self.assertEqual(
            {frozenset(pair[:2]) for pair in twins.likely},
            {frozenset((1, 2)), frozenset((1, 3))},
            "it is asked which of them it is",
        )

    def test_whoever_is_doubtful_or_tells_nothing_stays_alone(self):
        found = merged(
            [
                part(0, person(1, 2, face(5), True), person(2, 2, Signature.none())),
                part(200, person(1, 203, face(5)), person(2, 203, Signature.none())),
            ]
        )
        self.assertEqual((len(found.people), found.likely), (4, ()))
