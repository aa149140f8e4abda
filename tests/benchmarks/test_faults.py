"""Faults on purpose, a few of each with a seed: the benchmark tries thousands."""

import random
import unittest

from benchmarks.faults import FAULTS, REFUSED, RIGHT, Tally, damaged, tried
from tests.support import TemporaryFolder


class FaultsTest(TemporaryFolder):
    def test_faults_of_every_kind_end_well(self):
        for tally in tried(media=12, projects=40, kills=3, sources=3, full=1, seed=7):
            with self.subTest(tally.kind):
                self.assertTrue(tally.is_clean, (tally.ended, tally.told))


class TallyTest(unittest.TestCase):
    def test_a_fault_is_no_clean_end(self):
        for fault in FAULTS:
            tally = Tally("x")
            tally.add(RIGHT)
            tally.add(REFUSED)
            self.assertTrue(tally.is_clean)
            tally.add(fault, "case 3")
            self.assertFalse(tally.is_clean)
            self.assertEqual((tally.tried, tally.told), (3, {fault: ["case 3"]}))

    def test_damage_comes_from_the_seed(self):
        data = bytes(range(256)) * 20
        self.assertEqual(damaged(data, random.Random("a")), damaged(data, random.Random("a")))
        self.assertGreater(len({damaged(data, random.Random(f"{n}")) for n in range(50)}), 45)
