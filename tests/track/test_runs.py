"""What may be two people is cut and asked about, what is likely one says so, and what surely is one is put together
again."""

import unittest
from dataclasses import replace

import numpy as np

from skiagraph.track.meetings import odds_of
from skiagraph.track.path import FOLLOWED, FOUND, Path
from skiagraph.track.reconsidering import Join, Reconsidered
from skiagraph.track.runs import Runs, key_of
from skiagraph.track.stretch import Stretch
from skiagraph.track.ways import WAYS

BOX = np.array([85.0, 85, 115, 115])


class _Told:
    """Ways of which the probability of each pair of neighbours is given."""

    settings = WAYS

    def __init__(self, likely):
        self._likely = likely

    def probability(self, before, after):
        return self._likely[before, after]

    def is_sure(self, before, after):
        return self.probability(before, after) >= WAYS.sure


def stretch(number, first, last, *found):
    """Somebody in frames first to last, seen in some of them."""
    there = np.isin(np.arange(first, last + 1), found)
    faces = tuple((frame, BOX, 0.6) for frame in found)
    return Stretch(
        Path.from_rows(
            first,
            np.tile([100.0, 100, 40, 52, 0, 0.6], (len(there), 1)),
            np.where(there, FOUND, FOLLOWED).astype(np.uint8),
        ),
        (number,),
        faces,
        (),
        None,
        False,
        number,
    )


def runs(*likely, alone=(), frames=(0, 20, 40, 60)):
    return Runs(
        [key_of(frame, BOX) for frame in frames],
        [list(range(len(frames)))],
        frozenset(alone),
        _Told(dict(zip(zip(range(9), range(1, 9)), likely))),
    )


def none(*stretches):
    return Reconsidered(list(stretches), [], {})


class RunsTest(unittest.TestCase):
    def test_where_two_sights_may_be_of_two_people_the_path_is_cut_and_that_is_asked(self):
        made = runs(1.0, 0.4, 1.0).parted(none(stretch(7, 0, 70, 0, 20, 40, 60)))
        self.assertEqual(
            [(s.path.first, s.path.last, s.number, [f for f, _, _ in s.faces]) for s in made.stretches],
            [(0, 30, 7, [0, 20]), (31, 70, 8, [40, 60])],
        )
        self.assertEqual((made.joins, list(made.asked)), ([], [(0, 1)]))
        self.assertAlmostEqual(made.asked[0, 1], odds_of(0.4))

    def test_nothing_of_a_path_is_lost_by_it(self):
        whole = stretch(7, -5, 90, 0, 20, 40, 60)
        made = runs(0.1, 0.2, 0.3).parted(none(stretch(1, 0, 9, 3), whole))
        pieces = [s for s in made.stretches if s.number != 1]
        np.testing.assert_array_equal(
            np.concatenate([s.path.rows() for s in sorted(pieces, key=lambda s: s.path.first)]), whole.path.rows()
        )
        self.assertEqual(len({s.number for s in made.stretches}), 5)

    def test_what_is_likely_one_person_stays_and_says_so(self):
        made = runs(0.8, 0.995, 0.3, alone=[(2, 3)]).parted(none(stretch(7, 0, 70, 0, 20, 40, 60)))
        self.assertEqual(len(made.stretches), 1)
        (join,) = made.joins
        self.assertEqual((join.first, join.last, join.row, join.others), (1, 19, 0, ()))
        self.assertAlmostEqual(join.odds, odds_of(0.8))

    def test_a_path_of_which_only_one_side_was_found_is_not_cut_and_says_so(self):
        whole = stretch(7, 0, 70, 0, 20, 40, 60)
        rest = replace(
            whole,
            path=Path.from_rows(
                0, whole.path.rows(), np.where(np.arange(71) > 30, FOLLOWED, whole.path.origin).astype(np.uint8)
            ),
        )
        made = runs(1.0, 0.4, 1.0).parted(none(rest))
        self.assertEqual(
            (len(made.stretches), made.asked, [(j.first, j.last, j.row) for j in made.joins]), (1, {}, [(21, 39, 0)])
        )

    def test_sights_on_other_paths_are_none_of_its_neighbours(self):
        made = runs(0.1, 0.1, 0.1).parted(none(stretch(1, 0, 30, 0), stretch(2, 31, 70, 40)))
        self.assertEqual((len(made.stretches), made.asked), (2, {}))

    def test_of_pieces_without_a_face_neighbours_are_asked_about_and_nobody_else(self):
        bodies = [
            replace(stretch(1, number * 20, number * 20 + 9, number * 20), colours=np.ones(3, np.float32))
            for number in range(3)
        ]
        made = runs(0.6, 0.97, 1.0).parted(none(*bodies, replace(stretch(9, 0, 70, 7), colours=np.ones(3, np.float32))))
        self.assertEqual(
            {pair: round(float(odds), 3) for pair, odds in made.asked.items()},
            {(0, 1): round(odds_of(0.6), 3), (1, 2): round(odds_of(0.97), 3)},
        )
        self.assertEqual([(s.chains, s.colours is None) for s in made.stretches], [((), True)] * 3 + [((9,), False)])

    def test_joins_and_questions_of_meetings_go_with_the_pieces_they_are_of(self):
        other = stretch(2, 0, 90, 5)
        met = Reconsidered(
            [stretch(1, 0, 70, 0, 20, 40, 60), other, stretch(3, 80, 99, 85)],
            [Join(22, 26, 0, (1,), 3.0), Join(50, 55, 1, (0,), 3.0)],
            {(0, 2): 0.5},
        )
        made = runs(1.0, 0.4, 1.0).parted(met)
        self.assertEqual([(j.row, j.others) for j in made.joins], [(0, (1,)), (1, (3,))])
        self.assertEqual(made.asked[2, 3], 0.5, "its end is what may go on as the other")

    def test_pieces_are_put_together_where_two_sights_are_surely_of_one_person(self):
        pieces = [stretch(1, 0, 10, 0), stretch(2, 11, 30, 20), stretch(3, 31, 70, 40, 60)]
        self.assertEqual(runs(0.995, 0.995, 1.0).fixed(pieces), [[0, 1, 2]])
        self.assertEqual(runs(0.995, 0.9, 1.0).fixed(pieces), [[0, 1]])
        self.assertEqual(runs(0.1, 0.9, 1.0, alone=[(0, 1)]).fixed(pieces), [[0, 1]])

    def test_never_two_who_were_there_at_once(self):
        at_once = [stretch(1, 0, 70, 0, 40), stretch(2, 11, 50, 20, 30)]
        self.assertEqual(runs(1.0, 1.0, 1.0).fixed(at_once), [])
        among_three = [stretch(1, 0, 10, 0), stretch(2, 11, 30, 20, 25), stretch(3, 0, 70, 5, 40)]
        self.assertEqual(runs(1.0, 1.0, 1.0).fixed(among_three), [[0, 1]])
