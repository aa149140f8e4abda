"""A kind that is added from outside, without touching another file, is drawn, saved, loaded, checked and exported; and
what each family promises holds for every kind there is."""

import unittest
from typing import Annotated, ClassVar
from unittest import mock

import cv2
import msgspec
import numpy as np

from skiagraph.cover.cover import Cover, Region
from skiagraph.errors import CannotOpenProject
from skiagraph.handover.export import export_clip
from skiagraph.media.index import open_clip
from skiagraph.media.reader import FrameReader
from skiagraph.project import edits, file, outlines
from skiagraph.project.layers import matte
from skiagraph.project.model import Outline, Style
from skiagraph.review.exposure import check_file
from skiagraph.review.finding import KINDS, Finding, FindingKind, finding_kind, sentence
from skiagraph.review.findings import acceptance_of, findings, open_findings
from skiagraph.shape.shape import Shape
from skiagraph.values import Value, described, parameters
from tests.support import TemporaryFolder, covered, head_path, make_clip, project_on


class Strange(TemporaryFolder):
    """A test in which three kinds are known that the program does not ship."""

    def setUp(self):
        super().setUp()
        for family in (Cover.kinds, Shape.kinds, KINDS):
            patcher = mock.patch.dict(family)
            patcher.start()
            self.addCleanup(patcher.stop)

        @Cover.register
        class Negative(Cover, Value, frozen=True, tag_field="kind", tag="negative"):
            word: ClassVar[str] = "Negative"
            tip: ClassVar[str] = "Turned over, and flat"
            share: Annotated[
                float,
                msgspec.Meta(ge=0, le=1),
                described("Share", "How much of it is turned over.", low=0, high=100, unit=" %", scale=100),
            ] = 1.0

            def hide(self, region: Region) -> np.ndarray:
                x0, y0, x1, y1 = region.box
                mean = 255 - region.samples[y0:y1, x0:x1].astype(float).mean()
                return np.full((y1 - y0, x1 - x0), round(mean * self.share), region.samples.dtype)

        @Shape.register
        class Diamond(Shape, Value, frozen=True, tag_field="kind", tag="diamond"):
            def distance(self, u, v):
                return (np.abs(u) + np.abs(v) - 1) / np.sqrt(2)

            def edge(self):
                return np.array([[1.0, 0], [0, 1], [-1, 0], [0, -1]])

        @finding_kind
        class TooSmall(FindingKind):
            reason, word = "too-small", "Too small"

            def on_subject(self, scene, subject, sightings):
                for sighting in sightings:
                    if scene.rows(sighting)[0, 2] < 70:
                        yield Finding(
                            scene.clip.key, subject.key, self.reason, sighting.first, sighting.last, 0.0, sighting.first
                        )

            def sentence(self, project, finding, told):
                return f"{told.name} is very small at {told.where}. Look closely."

        self.negative, self.diamond = Negative, Diamond
        self.clip = make_clip(self.folder / "a.mkv", 12, size=(320, 240), encoder="ffv1")
        project = project_on(self.clip, head_path(0, 12, cx=160, cy=120, width=80, height=100))
        project = edits.set_style(project, "s1", Style.of(Negative(0.9), 0.0, 0.0))
        project, self.key = outlines.add_subject(project, "c1", 5, Outline.at(60, 60, 60, 60, shape=Diamond()))
        self.project = edits.set_style(project, self.key, Style.of(Negative(0.5), 0.0, 0.0))

    def frame(self, path, n):
        with FrameReader(*open_clip(path)) as reader:
            return reader.read(n)


class OutsideKindTest(Strange):
    def test_drawn(self):
        drawn = matte(self.project, "c1", 5)
        self.assertEqual((drawn[60, 60], drawn[60, 84], drawn[82, 82], drawn[120, 160]), (255, 255, 0, 255))
        shown = covered(self.project, "c1", self.frame(self.clip, 5)).planes()[0]
        self.assertEqual(len(np.unique(shown[50:70, 50:70])), 1)

    def test_saved_and_loaded(self):
        place = self.folder / "p.skiagraph"
        file.save(self.project, place)
        again = file.load(place)
        self.assertEqual(again, self.project)
        self.assertEqual(again.subject(self.key).sightings[0].shape, self.diamond())
        kinds = [
            o["properties"]["kind"]["enum"]
            for o in file.schema()["$defs"]["Style"]["properties"]["covers"]["items"]["anyOf"]
        ]
        self.assertIn(["negative"], kinds)
        del Cover.kinds["negative"]
        with self.assertRaises(CannotOpenProject) as caught:
            file.load(place)
        self.assertSentence(str(caught.exception), "negative")

    def test_checked_and_accepted(self):
        found = [f for f in findings(self.project) if f.reason == "too-small"]
        self.assertEqual([f.subject for f in found], [self.key])
        self.assertSentence(sentence(self.project, found[0]), "very small")
        accepted = edits.accept(self.project, acceptance_of(self.project, found[0], "Ida"))
        self.assertFalse([f for f in open_findings(accepted) if f.reason == "too-small"])

    def test_exported_and_proved(self):
        out = self.folder / "out.mkv"
        export_clip(self.project, "c1", out, matte_target=self.folder / "m.mkv")
        np.testing.assert_array_equal(
            self.frame(out, 5).planes()[0], covered(self.project, "c1", self.frame(self.clip, 5)).planes()[0]
        )
        np.testing.assert_array_equal(self.frame(self.folder / "m.mkv", 5).planes()[0], matte(self.project, "c1", 5))
        self.assertEqual(check_file(self.project, "c1", out), [])
        bare = edits.remove_subjects(self.project, [self.key])
        export_clip(bare, "c1", self.folder / "bare.mkv")
        self.assertEqual({f.subject for f in check_file(self.project, "c1", self.folder / "bare.mkv")}, {self.key})

    def test_offered_on_the_command_line(self):
        from skiagraph.cli import _parser

        self.assertEqual(_parser().parse_args(["render", "p", "-o", "o", "--style", "negative"]).style, "negative")


class EveryKindTest(unittest.TestCase):
    def test_covers_describe_their_parameters_and_hide_in_their_own_samples(self):
        for tag, kind in Cover.kinds.items():
            with self.subTest(tag):
                self.assertTrue(kind.word and kind.tip and kind().state())
                for parameter in parameters(kind):
                    self.assertTrue(parameter.title and parameter.tip.endswith("."))
                    if parameter.form == "number":
                        self.assertTrue(parameter.low <= parameter.default * parameter.scale <= parameter.high)

    def test_the_edge_of_a_shape_is_where_its_distance_is_nought(self):
        for tag, kind in Shape.kinds.items():
            with self.subTest(tag):
                edge = kind().edge()
                np.testing.assert_allclose(kind().distance(edge[:, 0], edge[:, 1]), 0, atol=1e-6)
                self.assertLess(float(kind().distance(np.zeros(1), np.zeros(1))[0]), 0)
                self.assertGreater(cv2.contourArea(edge.astype(np.float32)), 0.5)

    def test_findings_have_words(self):
        for reason, kind in KINDS.items():
            self.assertTrue(kind.word and kind.reason == reason)
