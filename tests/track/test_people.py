"""From followed chains to people: shadows go, tails that met are one, absences stay absences, two at once are two."""

import unittest

import numpy as np

from skiagraph.track.bridging import Followed, Lead
from skiagraph.track.chaining import Chain
from skiagraph.track.describing import Description
from skiagraph.track.identity import IDENTITY
from skiagraph.track.path import FOLLOWED, FOUND, Path
from skiagraph.track.people import (
    _linked,
    _meet,
    people_of,
    split_where_unlike,
    stretches_of,
    without_hints,
    without_misread,
    without_shadows,
)
from skiagraph.track.stretch import Stretch
from tests.track.faces import tracklet
from tests.track.test_identity import vector


def described(tracklets, person, worth=0.8, every=5):
    """Descriptions of a made-up person on the given tracklets."""
    rng, found = np.random.default_rng(person), {}
    for t in tracklets:
        for frame, box in list(zip(t.frames, t.boxes))[::every]:
            found.setdefault(frame, []).append(Description(np.asarray(box), vector(person, 0.1, rng), worth, 1.0))
    return found


def both(*parts):
    joined = {}
    for part in parts:
        for frame, found in part.items():
            joined.setdefault(frame, []).extend(found)
    return joined


def straight(first, last, x, origin) -> Path:
    n = last - first + 1
    rows = np.column_stack(
        [np.full(n, x), np.full(n, 50.0), np.full(n, 40.0), np.full(n, 50.0), np.zeros(n), np.full(n, 0.6)]
    )
    return Path.from_rows(first, rows, np.asarray(origin))


class MeetingTest(unittest.TestCase):
    """Where a tail meets the lead of the path that goes on."""

    def joined(self, apart):
        before = straight(0, 39, 100, [FOUND] * 10 + [FOLLOWED] * 30)
        after = straight(20, 59, 100 + apart, [FOLLOWED] * 20 + [FOUND] * 20)
        return _linked(before, after)

    def test_the_cover_holds_both_where_they_lie_a_little_apart(self):
        path = self.joined(16)
        for frame in (20, 30, 39):
            box = path.boxes()[path.row(frame)]
            self.assertTrue(box[0] <= 80.01 and box[2] >= 135.99, (frame, box))
        np.testing.assert_allclose(path.width[path.row(40) :], 40)
        np.testing.assert_allclose(path.width[:10], 40)

    def test_what_was_followed_to_somewhere_else_does_not_count(self):
        np.testing.assert_allclose(self.joined(60).width, 40)

    def test_in_between_a_head_turns_by_the_shorter_way(self):
        before, after = straight(0, 9, 100, [FOUND] * 10), straight(12, 20, 100, [FOUND] * 9)
        turned = [
            Path.from_rows(p.first, p.rows() + [0, 0, 0, 0, angle, 0], p.origin)
            for p, angle in ((before, 174), (after, -177))
        ]
        np.testing.assert_allclose(_linked(*turned).angle[9:13], (174, 177, 180, 183))


class PeopleTest(unittest.TestCase):
    def cast(self, tracklets, descriptions, solved=None, meetings=()):
        chains = [Chain((t,)) for t in tracklets]
        return people_of(stretches_of(chains, solved or [Followed() for _ in chains], meetings, descriptions, 25))

    def test_leaving_and_returning_gives_two_sightings_of_one_person(self):
        parts = [tracklet(1, range(0, 30), 100), tracklet(2, range(90, 120), 500)]
        people, likely = self.cast(parts, described(parts, 1))
        self.assertEqual(len(people), 1)
        self.assertEqual([(p.first, p.last) for p in people[0].paths], [(0, 29), (90, 119)])
        self.assertGreaterEqual(people[0].sure, IDENTITY.join)
        self.assertEqual(likely, [])

    def test_strangers_stay_strangers(self):
        parts = [tracklet(1, range(0, 30), 100), tracklet(2, range(90, 120), 100)]
        people, _ = self.cast(parts, both(described(parts[:1], 1), described(parts[1:], 2)))
        self.assertEqual(len(people), 2)

    def test_two_at_once_are_two_even_if_alike(self):
        parts = [tracklet(1, range(0, 30), 100), tracklet(2, range(0, 30), 500)]
        people, _ = self.cast(parts, described(parts, 1))
        self.assertEqual(len(people), 2)

    def test_who_is_found_once_while_somebody_alike_is_there_is_not_left_bare(self):
        for x, people_ in ((400, 2), (102, 1)):
            parts = [tracklet(1, range(0, 61), 100), tracklet(2, range(30, 31), x)]
            people, _ = self.cast(parts, described(parts, 1))
            self.assertEqual(len(people), people_)
            self.assertTrue(
                any(
                    p.first <= 30 <= p.last and abs(p.cx[30 - p.first] - x) < 5
                    for person in people
                    for p in person.paths
                ),
                x,
            )

    def test_one_head_tracked_twice_is_one(self):
        parts = [tracklet(1, range(0, 30), 100), tracklet(2, range(20, 60), 104)]
        people, _ = self.cast(parts, described(parts, 1))
        self.assertEqual(len(people), 1)
        (first,) = people[0].paths
        self.assertEqual((first.first, first.last), (0, 59))

    def test_somebody_beside_a_cover_that_holds_two_places_is_somebody(self):
        side = straight(0, 39, 140, [FOUND] * 40)
        wide = straight(0, 39, 120, [FOUND] * 40)
        wide = Path.from_rows(
            0,
            np.column_stack([wide.cx, wide.cy, np.full(40, 110.0), np.full(40, 60.0), np.zeros(40), wide.confidence]),
            wide.origin,
        )

        def stretch(path, x, number, frames):
            return Stretch(
                path,
                (number,),
                tuple((n, np.array([x - 15.0, 35, x + 15, 65]), 0.9) for n in frames),
                (),
                None,
                False,
                number,
            )

        people, _ = people_of([stretch(wide, 90, 1, range(40)), stretch(side, 140, 2, range(10, 40, 2))])
        self.assertEqual(len(people), 2)
        twice, _ = people_of([stretch(wide, 90, 1, range(0, 40, 2)), stretch(side, 140, 2, range(1, 40, 2))])
        self.assertEqual(len(twice), 1, "never seen at once, and on each other all the time")

    def test_a_tail_that_came_to_a_beginning_goes_on_in_it(self):
        parts = [tracklet(1, range(0, 30), 100), tracklet(2, range(60, 90), 100)]
        tail = np.column_stack(
            [
                np.full(30, 100.0),
                np.full(30, 150.0),
                np.full(30, 60.0),
                np.full(30, 81.0),
                np.zeros(30),
                np.full(30, 0.5),
            ]
        )
        people, _ = self.cast(parts, {}, [Followed(tails={29: tail}), Followed()], [(0, 1)])
        self.assertEqual(len(people), 1)
        (path,) = people[0].paths
        self.assertEqual((path.first, path.last, len(path)), (0, 89, 90))
        self.assertEqual(int(path.origin[60]), FOUND)

    def test_a_long_tail_gives_way_to_a_face_that_is_found(self):
        parts = [tracklet(1, range(0, 30), 100), tracklet(2, range(60, 90), 140)]
        tail = np.column_stack(
            [
                np.full(90, 100.0),
                np.full(90, 150.0),
                np.full(90, 60.0),
                np.full(90, 81.0),
                np.zeros(90),
                np.full(90, 0.5),
            ]
        )
        people, _ = self.cast(parts, described(parts, 1), [Followed(tails={29: tail}), Followed()])
        self.assertEqual(len(people), 1)
        where = {path.first + n: float(x) for path in people[0].paths for n, x in enumerate(path.cx)}
        self.assertLess(abs(where[75] - 140), 3)
        self.assertLess(abs(where[40] - 100), 3)

    def test_best_face_is_the_one_worth_most(self):
        parts = [tracklet(1, range(0, 30), lambda n: 100 + n)]
        found = described(parts, 1, worth=0.3)
        found[15] = [Description(np.asarray(parts[0].boxes[15]), vector(1, 0.1, np.random.default_rng(0)), 0.95, 1.0)]
        people, _ = self.cast(parts, found)
        self.assertEqual(people[0].best_frame, 15)

    def test_doubtful_ones_are_kept_apart(self):
        parts = [tracklet(1, range(0, 30), 100), tracklet(2, range(90, 100), 400, score=0.6)]
        parts[1].doubtful = True
        people, likely = self.cast(parts, described(parts, 1))
        self.assertEqual([p.doubtful for p in people], [False, True])
        self.assertEqual(likely, [])

    def test_paths_of_one_person_never_overlap(self):
        rng = np.random.default_rng(8)
        for _ in range(20):
            parts, begin = [], 0
            for n in range(4):
                begin += int(rng.integers(-6, 30))
                length = int(rng.integers(8, 40))
                parts.append(tracklet(n + 1, range(max(0, begin), max(0, begin) + length), 100 + rng.normal(0, 2)))
                begin = max(0, begin) + length
            people, _ = self.cast(parts, described(parts, 1))
            for person in people:
                for a, b in zip(person.paths, person.paths[1:]):
                    self.assertLess(a.last, b.first)

    def test_where_one_path_of_a_person_goes_over_into_the_next_the_cover_holds_both(self):
        parts = [tracklet(1, range(0, 30), 100), tracklet(2, range(60, 90), 124)]
        rows = np.column_stack(
            [
                np.full(20, 100.0),
                np.full(20, 150.0),
                np.full(20, 60.0),
                np.full(20, 81.0),
                np.zeros(20),
                np.full(20, 0.5),
            ]
        )
        on, back = rows, rows + [24, 0, 0, 0, 0, 0]
        people, _ = self.cast(
            parts, described(parts, 1), [Followed(tails={29: on}), Followed(leads={0: Lead(back, False)})]
        )
        self.assertEqual(len(people), 1)
        left, right = (
            {path.first + n: float(x) for path in people[0].paths for n, x in enumerate(path.boxes()[:, side])}
            for side in (0, 2)
        )
        for frame in range(40, 50):
            self.assertLess(left[frame], 71, frame)
            self.assertGreater(right[frame], 153, frame)
        for frame in (20, 70):
            self.assertLess(right[frame] - left[frame], 66)

    def test_a_lead_that_goes_back_past_whoever_was_found_before_takes_nothing_from_them(self):
        parts = [tracklet(1, range(40, 61), 100), tracklet(2, range(75, 96), 140)]
        back = np.column_stack(
            [
                np.full(50, 300.0),
                np.full(50, 150.0),
                np.full(50, 60.0),
                np.full(50, 81.0),
                np.zeros(50),
                np.full(50, 0.3),
            ]
        )
        people, _ = self.cast(parts, described(parts, 1), [Followed(), Followed(leads={0: Lead(back, False)})])
        self.assertEqual(len(people), 1)
        where = {path.first + n: float(x) for path in people[0].paths for n, x in enumerate(path.cx)}
        for frame in range(42, 59):
            self.assertLess(abs(where[frame] - 100), 3, frame)
        self.assertLess(abs(where[85] - 140), 3)

    def test_where_two_followed_paths_of_one_person_reach_into_each_other_the_surer_one_is_taken(self):
        def path(first, sure, found):
            rows = np.tile([100.0, 150, 60, 80, 0, 0], (len(sure), 1))
            rows[:, 5] = sure
            return Path.from_rows(first, rows, np.where(found, FOUND, FOLLOWED))

        before = path(0, [0.9] * 10 + [0.6] * 10 + [0.2] * 20, np.arange(40) < 10)
        after = path(15, [0.1] * 10 + [0.6] * 15 + [0.9] * 10, np.arange(35) >= 25)
        self.assertEqual(
            _meet(before, after, 9, 40),
            25,
            "not from the middle of the frames in which both are known, and not only where a face was found",
        )
        self.assertEqual(_meet(before, path(38, [0.3] * 2 + [0.9] * 5, np.arange(7) >= 2), 9, 40), 38)
        self.assertEqual(_meet(before, path(10, [0.9] * 5, np.arange(5) >= 0), 9, 10), 10)


class SiftTest(unittest.TestCase):
    def test_a_doubtful_face_around_a_believed_head_is_its_shadow(self):
        real, shadow, apart = (
            tracklet(1, range(30), 100),
            tracklet(2, range(5, 20), 104),
            tracklet(3, range(5, 20), 500),
        )
        shadow.doubtful = apart.doubtful = True
        self.assertEqual([t.number for t in without_shadows([real, shadow, apart])], [1, 3])

    def test_what_stays_for_long_close_beside_a_head_is_a_part_of_it(self):
        real, back, passing = tracklet(1, range(30), 100), tracklet(2, range(5, 20), 145), tracklet(3, range(5, 9), 145)
        for t in (back, passing):
            t.doubtful, t.boxes = (
                True,
                [np.array([h[0] - 10, h[1] - 10, h[0] + 10, h[1] + 10], np.float32) for h in t.heads],
            )
        self.assertEqual([t.number for t in without_shadows([real, back, passing])], [1, 3])

    def test_a_planned_wait_is_not_where_heads_were_changed(self):
        # Looked at in each sixth frame; least sure at 60, after which it is somebody else.
        t = tracklet(1, [*range(0, 121, 6)], 100)
        t.scores[10] = 0.5
        faces = both(described([t], 1, every=1), {})
        others = described([t], 2, every=1)
        faces = {frame: (faces if frame < 60 else others)[frame] for frame in faces if frame not in range(36, 85)}
        cuts = [[part.frames[0] for part in split_where_unlike([t], faces, lost)] for lost in (6, 3)]
        self.assertEqual(cuts[0], [0, 60])
        self.assertNotEqual(cuts[1], cuts[0])

    def test_nobody_is_split_off_who_was_hardly_seen(self):
        for count, split in ((3, False), (12, True)):
            one = tracklet(1, range(30), 100)
            described_as = both(
                described([tracklet(1, range(30 - count), 100)], 1),
                described([tracklet(1, range(30 - count, 30), 100)], 2, every=2),
            )
            self.assertEqual(len(split_where_unlike([one], described_as)) > 1, split)

    def test_one_misread_face_splits_nobody(self):
        t = tracklet(1, range(0, 60), 100)
        # In profile a face is worth little, and one that is misread may seem worth much.
        faces = described([t], 1, worth=0.05)
        faces[30] = described([t], 2, worth=0.9)[30]
        self.assertGreater(len(split_where_unlike([t], faces)), 1)
        kept = without_misread([t], faces, 25.0)
        self.assertEqual(sorted(faces), sorted([*kept, 30]))
        self.assertEqual(split_where_unlike([t], kept), [t])

    def test_whoever_becomes_somebody_else_is_not_misread(self):
        t = tracklet(1, range(0, 60), 100)
        faces = {frame: (described([t], 1) if frame < 30 else described([t], 2))[frame] for frame in range(0, 60, 5)}
        self.assertEqual(sorted(without_misread([t], faces, 25.0)), sorted(faces))
        alone = {frame: found for frame, found in faces.items() if frame in (0, 5, 55)}
        self.assertEqual(sorted(without_misread([t], alone, 25.0)), [0, 5, 55])

    def test_believed_tracks_are_never_taken_away(self):
        one, other = tracklet(1, range(30), 100), tracklet(2, range(30), 104)
        self.assertEqual(len(without_shadows([one, other])), 2)

    def test_hints_are_left_out_of_believed_tracks_only(self):
        sure, doubtful = tracklet(1, range(10), 100), tracklet(2, range(10), 300)
        doubtful.doubtful = True
        for t in (sure, doubtful):
            t.scores[4] = 0.4
        without_hints([sure, doubtful])
        self.assertEqual((len(sure.frames), len(sure.boxes), len(doubtful.frames)), (9, 9, 10))
        self.assertNotIn(4, sure.frames)
