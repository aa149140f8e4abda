"""The checkpoint of a scan: what is read is what was added, damage ends it, and it goes when the scan is whole."""

import os
import time
from dataclasses import replace

import numpy as np

from skiagraph.track.dissolves import Dissolve
from skiagraph.track.linking import Seen
from skiagraph.track.observations import CHUNK, KEPT_S, Checkpoint, Observation, SeenHeads, claimed, compact, restored
from tests.support import TemporaryFolder, make_clip
from tests.track.faces import seen


class CheckpointTest(TemporaryFolder):
    def setUp(self):
        super().setUp()
        self.clip = make_clip(self.folder / "a.mp4", 5)
        self.place = self.folder / "checkpoint"

    def observation(self, frame):
        colours = np.linspace(0, 1, 8, dtype=np.float32)
        faces = (
            Seen.joined([seen(10 + frame, 20, colours=colours), seen(80, 20, score=0.5)]) if frame % 3 else Seen.none()
        )
        return Observation(
            frame,
            faces,
            np.array([[1, 0, frame], [0, 1, 2.0]]),
            frame == 7,
            frame % 2 == 0,
            frame % 3 == 0,
            None
            if frame % 4
            else SeenHeads(
                np.full((frame % 3, 4), frame + 0.25), (colours[::-1], None)[: frame % 3], np.arange(frame % 3) == 1
            ),
        )

    def test_what_was_added_is_read(self):
        checkpoint = Checkpoint(self.clip, "every=1", self.place)
        for frame in range(CHUNK + 20):
            checkpoint.add(self.observation(frame))
        checkpoint.flush()
        again = list(Checkpoint(self.clip, "every=1", self.place).read())
        self.assertEqual([o.frame for o in again], list(range(CHUNK + 20)))
        for wanted, got in zip((self.observation(n) for n in range(CHUNK + 20)), again):
            np.testing.assert_array_equal(wanted.seen.found.boxes, got.seen.found.boxes)
            np.testing.assert_array_equal(wanted.view, got.view)
            self.assertEqual((wanted.cut, wanted.whole, wanted.coloured), (got.cut, got.whole, got.coloured))
            self.assertEqual(wanted.bodies is None, got.bodies is None)
            if wanted.bodies is not None:
                np.testing.assert_array_equal(wanted.bodies.heads, got.bodies.heads)
                np.testing.assert_array_equal(wanted.bodies.sure, got.bodies.sure)
            for a, b in zip(
                *((*o.seen.colours, *(o.bodies.colours if o.bodies else ())) for o in (wanted, got)), strict=True
            ):
                self.assertEqual(a is None, b is None)
                if a is not None:
                    np.testing.assert_allclose(a, b, atol=0.003)

    def test_a_checkpoint_is_one_scans_at_a_time(self):
        with (
            claimed(self.clip, "every=1", self.place) as first,
            claimed(self.clip, "every=1", self.place) as second,
            claimed(self.clip, "every=5", self.place) as other,
        ):
            self.assertEqual((first, second, other), (True, False, True))
        with claimed(self.clip, "every=1", self.place) as again:
            self.assertTrue(again)
        for lock in self.place.glob("*.lock"):
            os.utime(lock, (0, 0))
        Checkpoint(self.clip, "every=1", self.place)
        self.assertFalse(list(self.place.iterdir()), "what nobody needs any more goes")

    def test_where_nothing_can_be_written_nobody_waits_for_another(self):
        (self.folder / "file").write_bytes(b"")
        with claimed(self.clip, "every=1", self.folder / "file" / "in it") as mine:
            self.assertTrue(mine)

    def test_frames_in_coloured_light_are_known_without_reading_all_again(self):
        checkpoint = Checkpoint(self.clip, "every=1", self.place)
        for frame in range(CHUNK + 20):
            checkpoint.add(self.observation(frame))
        self.assertEqual(checkpoint.coloured, set(range(0, CHUNK + 20, 3)))
        checkpoint.flush()
        again = Checkpoint(self.clip, "every=1", self.place)
        for _ in again.read():
            pass
        self.assertEqual(again.coloured, checkpoint.coloured)
        for kept in (checkpoint, again):
            np.testing.assert_array_equal(kept.views.frames, np.arange(CHUNK + 20))
            np.testing.assert_array_equal(kept.views.similarities[7], self.observation(7).view)

    def test_frames_that_nobody_looked_at_are_in_the_light_of_those_around_them(self):
        checkpoint = Checkpoint(self.clip, "every=10", self.place)
        for frame, coloured in ((0, False), (10, True), (14, True), (20, True), (30, False), (40, True)):
            checkpoint.add(replace(self.observation(frame), coloured=coloured))
        self.assertEqual(checkpoint.coloured, set(range(10, 21)) | {40})

    def test_dissolves_are_kept_once_each(self):
        checkpoint, wanted = (
            Checkpoint(self.clip, "every=1", self.place),
            [Dissolve(20, 26, 32), Dissolve(150, 160, 170)],
        )
        for frame in range(2 * CHUNK):
            checkpoint.add(self.observation(frame))
            if frame == 40:
                checkpoint.note(wanted[0])
            elif frame == 180:
                checkpoint.note(wanted[1])
                # Found again, as by a scan that was taken up.
                checkpoint.note(Dissolve(149, 159, 171))
        checkpoint.flush()
        self.assertEqual(checkpoint.dissolves, wanted)
        again = Checkpoint(self.clip, "every=1", self.place)
        self.assertEqual(len(list(again.read())), 2 * CHUNK)
        self.assertEqual(again.dissolves, wanted)

    def test_it_is_written_as_it_grows(self):
        checkpoint = Checkpoint(self.clip, "every=1", self.place)
        for frame in range(CHUNK + 1):
            checkpoint.add(self.observation(frame))
        self.assertGreaterEqual(len(list(Checkpoint(self.clip, "every=1", self.place).read())), CHUNK)

    def test_other_settings_and_other_clips_have_others(self):
        checkpoint = Checkpoint(self.clip, "every=1", self.place)
        checkpoint.add(self.observation(1))
        checkpoint.flush()
        self.assertEqual(list(Checkpoint(self.clip, "every=5", self.place).read()), [])
        self.assertEqual(list(Checkpoint(make_clip(self.folder / "b.mp4", 6), "every=1", self.place).read()), [])

    def test_damage_ends_it_quietly(self):
        checkpoint = Checkpoint(self.clip, "every=1", self.place)
        for frame in range(2 * CHUNK + 5):
            checkpoint.add(self.observation(frame))
        checkpoint.flush()
        chunks = sorted(self.place.rglob("*.npz"))
        chunks[1].write_bytes(b"nothing")
        again = list(Checkpoint(self.clip, "every=1", self.place).read())
        self.assertTrue(0 < len(again) < 2 * CHUNK)

    def test_colours_are_kept_in_less_and_come_back(self):
        before = self.observation(1).seen
        small = compact(before)
        self.assertEqual(small.colours[0].dtype, np.uint8)
        self.assertIs(compact(small).colours[0], small.colours[0])
        after = restored(small)
        np.testing.assert_allclose(after.colours[0], before.colours[0], atol=0.003)
        self.assertIsNone(after.colours[1])

    def test_all_comes_in_order_from_disk_and_memory(self):
        checkpoint = Checkpoint(self.clip, "every=1", self.place)
        for frame in range(CHUNK + 20):
            checkpoint.add(self.observation(frame))
        self.assertEqual([o.frame for o in checkpoint.every()], list(range(CHUNK + 20)))
        taken_up = Checkpoint(self.clip, "every=1", self.place)
        last = [o.frame for o in taken_up.read()][-1]
        taken_up.add(self.observation(last + 1))
        self.assertEqual([o.frame for o in taken_up.every()], list(range(last + 2)))

    def test_what_cannot_be_written_stays_in_memory(self):
        (self.folder / "closed").write_text("a file where a folder should be")
        checkpoint = Checkpoint(self.clip, "every=1", self.folder / "closed")
        for frame in range(2 * CHUNK + 5):
            checkpoint.add(self.observation(frame))
        checkpoint.flush()
        self.assertEqual([o.frame for o in checkpoint.every()], list(range(2 * CHUNK + 5)))

    def test_discarding_leaves_nothing(self):
        checkpoint = Checkpoint(self.clip, "every=1", self.place)
        checkpoint.add(self.observation(1))
        checkpoint.flush()
        checkpoint.discard()
        self.assertEqual(list(self.place.rglob("*.npz")), [])

    def test_what_nobody_goes_on_with_is_gone_after_a_week(self):
        for name, age in (("old", KEPT_S + 60), ("young", KEPT_S - 3600)):
            (self.place / name).mkdir(parents=True)
            then = time.time() - age
            os.utime(self.place / name, (then, then))
        Checkpoint(self.clip, "every=1", self.place)
        self.assertEqual([p.name for p in self.place.iterdir()], ["young"])
