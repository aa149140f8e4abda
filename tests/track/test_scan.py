"""The real detectors on the shipped demo: everybody is found where they are, and a scan can be broken off and taken
up."""

from unittest import mock

import numpy as np

from skiagraph.demo.ship import shipped
from skiagraph.demo.truth import load_truth
from skiagraph.detect.detections import Detections
from skiagraph.detect.finder import FaceFinder, Search
from skiagraph.errors import Cancelled
from skiagraph.jobs import JobControl
from skiagraph.media.index import open_clip
from skiagraph.media.reader import FrameReader
from skiagraph.media.writer import PictureWriter
from skiagraph.track import sweep
from skiagraph.track.scan import BelievingSettings, ScanSettings, forget, scan
from tests.support import TemporaryFolder

FRAMES = 30


class ScanTest(TemporaryFolder):
    def setUp(self):
        super().setUp()
        self.info, index = open_clip(shipped("quay.mp4"))
        self.index = index.cut(FRAMES, "")
        self.truth = load_truth(shipped("quay.truth.json"))

    def assertEverybodyFound(self, result):
        self.assertEqual(len([p for p in result.people if not p.doubtful]), 4)
        for frame in range(FRAMES):
            for head in self.truth.heads[frame]:
                if head.face_px >= 200:
                    away = min(
                        np.hypot(p.paths[0].cx[frame] - head.cx, p.paths[0].cy[frame] - head.cy) for p in result.people
                    )
                    self.assertLess(away, 0.2 * head.height, (frame, head.actor))

    def test_everybody_is_found_where_they_are(self):
        told = []
        result = scan(self.info, self.index, ScanSettings(), partial=told.append)
        self.assertEverybodyFound(result)
        self.assertTrue(told)
        self.assertTrue(all(len(p.signature) for p in result.people))
        self.assertEqual(result.likely, ())

    def test_stepping_finds_the_same_people(self):
        told = []
        with mock.patch("skiagraph.track.scan.BELIEVING", BelievingSettings(partial_stepping=12)):
            result = scan(self.info, self.index, ScanSettings(every=6), partial=told.append)
        self.assertEverybodyFound(result)
        self.assertTrue(told and len(told[0].people) == 4, "they appear while the scan runs")
        self.assertTrue(all(len(p.paths[0]) == FRAMES for p in result.people))

    def test_whoever_shows_no_face_is_found_by_their_body(self):
        nothing = lambda *some, **named: Search(())
        with (
            mock.patch.multiple(
                FaceFinder, submit=nothing, submit_edges=nothing, submit_around=nothing, submit_parts=nothing
            ),
            mock.patch("skiagraph.track.sweep.look_at", lambda *some, **named: Detections.none()),
        ):
            people = scan(self.info, self.index, ScanSettings(every=10)).people
        for frame in range(FRAMES):
            for head in self.truth.heads[frame]:
                if head.face_px >= 200:
                    boxes = [
                        p.boxes()[p.row(frame)] for person in people for p in person.paths if p.first <= frame <= p.last
                    ]
                    self.assertTrue(
                        any(
                            b[0] < head.cx - 0.3 * head.width
                            and b[2] > head.cx + 0.3 * head.width
                            and b[1] < head.cy - 0.3 * head.height
                            and b[3] > head.cy + 0.3 * head.height
                            for b in boxes
                        ),
                        (frame, head.actor),
                    )

    def test_everybody_is_found_in_a_film_that_lies_on_its_side(self):
        clip, height = self.folder / "side.mp4", self.info.upright_size[1]
        with (
            FrameReader(self.info, self.index) as reader,
            PictureWriter(
                clip,
                self.info.upright_size[::-1],
                self.info.rate,
                encoder="libx264",
                pixel_format="rgb24",
                store="yuv420p",
                muxer="mp4",
                options={"crf": "18"},
            ) as film,
        ):
            for frame in range(FRAMES):
                film.write(np.ascontiguousarray(np.rot90(reader.read(frame).rgb(), -1)))
        people = [p for p in scan(*open_clip(clip), ScanSettings(every=10)).people if not p.doubtful]
        self.assertEqual(len(people), 4)
        for frame in range(FRAMES):
            for head in self.truth.heads[frame]:
                if head.face_px >= 200:
                    away, person = min(
                        (np.hypot(p.paths[0].cx[frame] - (height - head.cy), p.paths[0].cy[frame] - head.cx), n)
                        for n, p in enumerate(people)
                    )
                    self.assertLess(away, 0.3 * head.height, (frame, head.actor))
                    self.assertLess(abs(people[person].paths[0].angle[frame] - 90), 25)

    def test_a_scan_that_was_broken_off_goes_on_where_it_was(self):
        control = JobControl(lambda progress: control.cancel() if progress.done >= 27 else None)
        with self.assertRaises(Cancelled):
            scan(self.info, self.index, ScanSettings(), control)
        kept = list((self.folder / "cache" / "scans").rglob("*.npz"))
        self.assertTrue(kept)
        searched = []
        submit = sweep.FaceFinder.submit
        looked, look = [], sweep.Sweep._look_at_edges
        with (
            mock.patch.object(
                sweep.FaceFinder, "submit", lambda self, *a, **k: searched.append(1) or submit(self, *a, **k)
            ),
            mock.patch.object(
                sweep.Sweep,
                "_look_at_edges",
                lambda self, picture: looked.append(picture.number) or look(self, picture),
            ),
        ):
            result = scan(self.info, self.index, ScanSettings())
        self.assertEqual(looked, [0, FRAMES - 1], "edges of the first part are looked at again")
        self.assertLess(len(searched), FRAMES - 10)
        self.assertEverybodyFound(result)
        self.assertTrue(all(len(p.signature) for p in result.people), "people of the first part are described too")
        self.assertFalse(list((self.folder / "cache" / "scans").rglob("*.npz")), "a whole scan leaves no checkpoint")

    def test_taking_up_a_stepped_scan_at_a_cut_changes_nothing(self):
        film = self.folder / "cut.mp4"
        with PictureWriter(
            film,
            self.info.upright_size,
            self.info.rate,
            encoder="libx264",
            pixel_format="rgb24",
            store="yuv420p",
            muxer="mp4",
            options={"preset": "ultrafast", "crf": "14"},
        ) as writer:
            for name in ("quay.mp4", "hall.mp4"):
                with FrameReader(*open_clip(shipped(name))) as reader:
                    for frame in reader.frames(0, 20):
                        writer.write(frame.rgb())
        info, index = open_clip(film)
        settings = ScanSettings(every=5)
        whole = scan(info, index, settings)
        self.assertEqual(whole.cuts, (20,))
        begun = set()
        for stop in (30, 32, 33, 34, 36):
            control = JobControl(lambda p: control.cancel() if p.step == sweep.STEP_FIND and p.done >= stop else None)
            with self.assertRaises(Cancelled):
                scan(info, index, settings, control)
            numbers = []
            result = scan(
                info,
                index,
                settings,
                JobControl(lambda p: numbers.append(p.done - 1) if p.step == sweep.STEP_FIND else None),
            )
            begun.add(numbers[0])
            self.assertEqual((result.cuts, len(result.people)), (whole.cuts, len(whole.people)), (stop, numbers[0]))
            for person in whole.people:
                for path in person.paths:
                    for n in range(len(path)):
                        mine = [
                            (p.cx[path.first + n - p.first], p.cy[path.first + n - p.first])
                            for other in result.people
                            for p in other.paths
                            if p.first <= path.first + n <= p.last
                        ]
                        away = min(np.hypot(x - path.cx[n], y - path.cy[n]) for x, y in mine)
                        self.assertLess(away, 0.1 * path.width[n], (stop, numbers[0], path.first + n))
        self.assertTrue(begun & {20, 21}, begun)

    def test_two_scans_of_one_clip_at_once_do_not_disturb_each_other(self):
        settings, inner = ScanSettings(every=10), []

        def other(progress):
            if progress.step == sweep.STEP_FIND and not inner:
                inner.append(None)
                inner[0] = scan(self.info, self.index, settings)
                forget(self.info, settings)

        outer = scan(self.info, self.index, settings, JobControl(other))
        self.assertEqual(len(outer.people), len(inner[0].people))
        for person, same in zip(outer.people, inner[0].people):
            for path, twin in zip(person.paths, same.paths, strict=True):
                np.testing.assert_array_equal(path.rows(), twin.rows())
        self.assertFalse(
            [path for path in (self.folder / "cache" / "scans").iterdir() if path.is_dir()], "nothing is left of either"
        )

    def test_other_settings_do_not_take_up_the_checkpoint(self):
        control = JobControl(lambda progress: control.cancel() if progress.done >= 20 else None)
        with self.assertRaises(Cancelled):
            scan(self.info, self.index, ScanSettings(), control)
        found = []
        scan(
            self.info,
            self.index,
            ScanSettings(every=10),
            JobControl(lambda p: found.append(p.done) if p.step == sweep.STEP_FIND else None),
        )
        self.assertEqual(found[0], 1, "it begins with the first frame")
        left = list((self.folder / "cache" / "scans").rglob("*.npz"))
        self.assertTrue(left, "what the other had seen is still there for it")
