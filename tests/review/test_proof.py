"""What the check of an exported file compares beside faces: covers as strong as decided, the picture outside of them,
times, tags, sound; and that searching only what changed misses nothing."""

from fractions import Fraction
from unittest import mock

import numpy as np

from skiagraph.cover.composite import with_layers
from skiagraph.demo.people import BLUE_CAP, OLD_HAND
from skiagraph.detect.detections import Detections
from skiagraph.detect.finder import FaceFinder
from skiagraph.detect.squared import Squared
from skiagraph.handover.export import export_clip
from skiagraph.media.index import open_clip
from skiagraph.media.reader import FrameReader
from skiagraph.media.writer import PictureWriter
from skiagraph.project import edits
from skiagraph.project.layers import layers
from skiagraph.project.model import Cover, Style, replace
from skiagraph.review.exposure import prove
from skiagraph.review.file_covers import weak_covers
from skiagraph.review.file_faces import FILE_SEARCH, FileSearcher
from skiagraph.review.finding import Reason
from tests.detect.test_finder import scene
from tests.support import TemporaryFolder, head_path, make_clip, project_on

SIZE = (320, 240)


def textured(n, width, height):
    """Detail everywhere that no cover may leave, and that does not move."""
    rng = np.random.default_rng(3)
    picture = rng.integers(40, 215, (height // 4, width // 4, 3), np.uint8).repeat(4, axis=0).repeat(4, axis=1)
    return picture


class ProofTest(TemporaryFolder):
    def setUp(self):
        super().setUp()
        self.clip = make_clip(
            self.folder / "a.mkv",
            12,
            size=SIZE,
            encoder="libx264",
            options={"crf": "12", "preset": "ultrafast"},
            draw=textured,
            sound=True,
        )
        self.project = project_on(self.clip, head_path(0, 12, cx=100, cy=120, width=70, height=90))

    def exported(self, project=None, name="out.mp4", **more):
        out = self.folder / name
        export_clip(project or self.project, "c1", out, **more)
        return out

    def facts(self, proof):
        return {fact.what: fact for fact in proof.facts}

    def reasons(self, proof):
        return {f.reason for f in proof.findings}

    def test_a_good_file_has_no_finding_and_says_what_was_compared(self):
        proof = prove(self.project, "c1", self.exported())
        self.assertEqual(proof.findings, ())
        self.assertTrue(proof.is_good)
        facts = self.facts(proof)
        self.assertEqual(
            {
                "Covers",
                "Faces",
                "Recogniser",
                "Picture outside of covers",
                "Frames and times",
                "Colour tags",
                "Sound track 1",
            }
            - set(facts),
            set(),
        )
        self.assertIn("12 covers in 12 frames", facts["Covers"].result)
        self.assertNotIn(False, [fact.good for fact in proof.facts])

    def test_lossless_is_the_same_bit_for_bit_outside(self):
        proof = prove(self.project, "c1", self.exported(name="out.mkv"))
        self.assertEqual(self.facts(proof)["Picture outside of covers"].result, "the same bit for bit")

    def test_a_cover_of_the_same_kind_that_is_weaker_is_named(self):
        blurred = edits.set_project_style(self.project, Style.of(Cover.kinds["blur"](0.3)))
        weaker = edits.set_project_style(self.project, Style.of(Cover.kinds["blur"](0.04)))
        self.assertEqual(self.reasons(prove(blurred, "c1", self.exported(blurred))), set())
        self.assertIn(Reason.FILE_DIFFERS, self.reasons(prove(blurred, "c1", self.exported(weaker, "weak.mp4"))))

    def test_one_frame_without_its_cover_is_named(self):
        out = self.film(lambda n, frame, covered: frame if n == 7 else covered)
        found = [f for f in prove(self.project, "c1", out).findings if f.reason == Reason.FILE_DIFFERS]
        self.assertEqual([(f.first, f.last) for f in found], [(7, 7)])

    def test_a_strange_picture_outside_is_named(self):
        def stained(n, frame, covered):
            if n == 5:
                covered = covered.writable()
                covered.planes()[0][150:220, 220:300] = 235
            return covered

        found = [f for f in prove(self.project, "c1", self.film(stained)).findings if f.reason == Reason.FILE_PICTURE]
        self.assertEqual([(f.first, f.last) for f in found], [(5, 5)])

    def film(self, choose):
        """The clip with its covers as a file, each frame as choose(n, as it was shot, covered) gives it."""
        out = self.folder / "made.mkv"
        with (
            FrameReader(*open_clip(self.clip)) as reader,
            PictureWriter(out, SIZE, Fraction(25), encoder="ffv1", pixel_format="yuv420p", muxer="matroska") as writer,
        ):
            for frame in reader.frames():
                shown = choose(frame.number, frame, with_layers(frame, layers(self.project, "c1", frame.number)))
                writer.write(np.ascontiguousarray(shown.picture.to_ndarray(format="yuv420p")))
        return out

    def test_sound_that_is_gone_is_named(self):
        out = self.film(lambda n, frame, covered: covered)
        proof = prove(self.project, "c1", out)
        self.assertEqual(self.reasons(proof), {Reason.FILE_CHANGED})
        self.assertIn("missing", self.facts(proof)["Sound track 1"].result)

    def test_frames_at_other_times_and_other_tags_are_named(self):
        other = make_clip(
            self.folder / "late.mkv",
            12,
            size=SIZE,
            rate=Fraction(20),
            encoder="libx264",
            options={"crf": "12"},
            draw=textured,
            tags={"colorspace": 5},
        )
        tagged = make_clip(
            self.folder / "tagged.mkv",
            12,
            size=SIZE,
            encoder="libx264",
            options={"crf": "12"},
            draw=textured,
            tags={"colorspace": 1, "color_primaries": 1, "color_trc": 1},
        )
        project = project_on(tagged, head_path(0, 12, cx=100, cy=120, width=70, height=90))
        facts = self.facts(prove(project, "c1", other))
        self.assertFalse(facts["Frames and times"].good)
        self.assertFalse(facts["Colour tags"].good)
        self.assertIn("matrix 5 instead of 1", facts["Colour tags"].result)

    def test_what_a_cover_hides_is_looked_for_in_what_is_left(self):
        with FrameReader(*open_clip(self.clip)) as reader:
            shot = reader.read(3)
            blurred = edits.set_project_style(self.project, Style.of(Cover.kinds["blur"](0.3)))
            covers = layers(blurred, "c1", 3)
            expected = with_layers(shot, covers)
            self.assertEqual(weak_covers(shot, expected, covers, shot.grey(), expected.grey()), {})
            leaking = expected.writable()
            for plane, source in zip(leaking.planes(), shot.planes()):
                plane[:] = (0.7 * plane.astype(float) + 0.3 * source).astype(plane.dtype)
            self.assertEqual(set(weak_covers(shot, leaking, covers, shot.grey(), leaking.grey())), {"s1"})
            noisy = expected.writable()
            plane = noisy.planes()[0]
            plane[:] = np.clip(plane.astype(int) + np.random.default_rng(1).integers(-6, 7, plane.shape), 0, 255)
            self.assertEqual(weak_covers(shot, noisy, covers, shot.grey(), noisy.grey()), {})


class SearchTest(TemporaryFolder):
    """Only what changed is searched; nothing that a whole search finds is missed by it."""

    def frames(self):
        """Somebody stands, somebody else comes for two frames in between, and a third goes by."""
        for n in range(FILE_SEARCH.whole_every + 4):
            people = [(BLUE_CAP, 120, 150, 40, 5, 0), (OLD_HAND, 300 + 12 * n, 200, 34, -5, 0)]
            if n in (5, 6):
                people.append((BLUE_CAP, 520, 130, 36, 0, 0))
            yield n, scene((640, 360), *people)

    def test_whoever_comes_for_two_frames_is_found_and_gone_afterwards(self):
        with FaceFinder(24) as finder:
            searcher = FileSearcher(finder, None, Squared(1.0))
            for n, picture in self.frames():
                found, whole = searcher.find(picture, []), finder.find(picture, 0.6)
                for box in whole.boxes:
                    middle = (box[:2] + box[2:]) / 2
                    near = (
                        np.abs((found.boxes[:, :2] + found.boxes[:, 2:]) / 2 - middle).max(axis=1)
                        if len(found)
                        else np.array([99.0])
                    )
                    self.assertLess(near.min(), 12, f"frame {n}: {middle}")
                right = (found.boxes[:, 0] > 470) & (found.boxes[:, 1] < 150)
                self.assertEqual(bool(right.any()), n in (5, 6), n)

    def test_whoever_lies_is_found_and_one_who_stands_is_no_second_one(self):
        with FaceFinder(24) as finder:
            found = FileSearcher(finder, None, Squared(1.0)).find(
                scene((640, 360), (BLUE_CAP, 120, 150, 40, 5, 0), (OLD_HAND, 440, 200, 44, 0, 90)), []
            )
        self.assertEqual(sorted(round(float(r)) for r in np.nan_to_num(found.rolls)), [0, 90])

    def test_a_picture_that_stands_still_is_searched_once(self):
        picture = scene((640, 360), (BLUE_CAP, 120, 150, 40, 5, 0))
        with (
            FaceFinder(24) as finder,
            mock.patch.object(finder, "find", wraps=finder.find) as whole,
            mock.patch.object(finder, "submit_around", wraps=finder.submit_around) as parts,
        ):
            searcher = FileSearcher(finder, None, Squared(1.0))
            found = [searcher.find(picture, []) for _ in range(5)]
        self.assertEqual((whole.call_count, parts.call_count), (1, 0))
        self.assertTrue(all(len(f) == 1 for f in found))
        self.assertIsInstance(found[0], Detections)


class OtherFilesTest(TemporaryFolder):
    def test_a_part_and_a_turned_clip_are_proved_too(self):
        clip = make_clip(
            self.folder / "turned.mov", 20, size=SIZE, draw=textured, rotation=90, sound=True, options={"crf": "14"}
        )
        project = project_on(clip, head_path(0, 20, cx=100, cy=120, width=70, height=90))
        from skiagraph.handover.export import write_clip
        from skiagraph.handover.writers.film import CoveredFilm

        out = self.folder / "part.mp4"
        write_clip(project, "c1", [(CoveredFilm("h264-mp4"), out)], span=(5, 14))
        proof = prove(project, "c1", out, span=(5, 14))
        self.assertEqual(
            (proof.findings, proof.frames, proof.span), ((), 10, (5, 14)), [f for f in proof.facts if f.good is False]
        )

    def test_fewer_frames_end_the_check_at_once(self):
        clip = make_clip(self.folder / "a.mkv", 12, size=SIZE, draw=textured)
        project = project_on(clip, head_path(0, 12))
        shorter = project.with_clip(replace(project.clip("c1"), frames=9))
        export_clip(shorter, "c1", self.folder / "short.mp4")
        proof = prove(project, "c1", self.folder / "short.mp4")
        self.assertEqual([f.reason for f in proof.findings], [Reason.FILE_SHAPE])
        self.assertIn("9 frames instead of", proof.facts[0].result)
