"""The look of a whole project: house styles in one step, versions on the same paths, everything covered but somebody,
lead and tail."""

import unittest

import numpy as np

from skiagraph.cover.cover import Cover, Style
from skiagraph.cover.label import Label
from skiagraph.errors import EditRefused
from skiagraph.project import cast, edits, housing, outlines, presence
from skiagraph.project.decisions import ThingSubject
from skiagraph.project.evidence import Scan
from skiagraph.project.house import House, HouseStyle
from skiagraph.project.layers import held_at, layers, matte
from skiagraph.project.model import Decision, Outline, Reach, replace
from tests.project.worlds import world

Mosaic, Blur, Solid = (Cover.kinds[k] for k in ("mosaic", "blur", "solid"))


class LookTest(unittest.TestCase):
    def setUp(self):
        project, self.one = outlines.add_subject(world(), "c1", 30, Outline.at(120, 90, 50, 60))
        project, self.two = outlines.add_subject(project, "c1", 30, Outline.at(300, 90, 50, 60))
        self.project, self.thing = outlines.add_subject(
            project, "c1", 30, Outline.at(400, 150, 60, 30), of=ThingSubject()
        )

    def kinds(self, project, frame=30):
        return {layer.subject: layer.style.cover.kind for layer in layers(project, "c1", frame)}


class HouseStyleTest(LookTest):
    def test_one_step_for_all_by_kind_of_subject(self):
        own = edits.set_style(self.project, self.one, Style.of(Blur(0.3)))
        keyed = outlines.keyframe_here(own, self.one, "c1", 30)
        used = housing.use_house_style(
            keyed, HouseStyle(Style.of(Solid()), House("Tern", by_kind={"thing": Style.of(Mosaic(2))}))
        )
        self.assertEqual(self.kinds(used), {self.one: "solid", self.two: "solid", self.thing: "mosaic"})
        self.assertEqual(
            [s.sightings for s in used.subjects], [s.sightings for s in keyed.subjects], "paths and keyframes stay"
        )
        self.assertEqual(housing.house_style_of(used, "Gull").house.name, "Gull")
        everyone = edits.set_style_for_all(used, Style.of(Blur()))
        self.assertEqual(set(self.kinds(everyone).values()), {"blur"})

    def test_lead_and_tail_within_the_shot(self):
        project = housing.use_house_style(self.project, HouseStyle(Style.of(Solid()), House(lead_s=0.2, tail_s=0.4)))
        (sighting,) = project.subject(self.one).sightings
        sighting = replace(sighting, first=20, last=40, begin_set=False, end_set=False)
        project = project.with_subject(replace(project.subject(self.one), sightings=(sighting,)))
        covered = [n for n in range(80) if held_at(project, sighting, n) is not None]
        self.assertEqual((covered[0], covered[-1]), (15, 50))
        self.assertEqual(
            (held_at(project, sighting, 16), held_at(project, sighting, 45), held_at(project, sighting, 30)),
            (20, 40, 30),
        )
        self.assertTrue(matte(project, "c1", 47)[90, 120] == 255)
        chosen = replace(sighting, end_set=True)
        self.assertIsNone(held_at(project, chosen, 41), "an end that a person chose stays")
        cut = replace(project, evidence=project.evidence.with_scan(Scan("n1", "c1", 1, 80, cuts=(18, 44)), ()))
        covered = [n for n in range(80) if held_at(cut, sighting, n) is not None]
        self.assertEqual((covered[0], covered[-1]), (18, 43))


class VersionTest(LookTest):
    def test_two_versions_on_the_same_paths(self):
        first = edits.set_style_for_all(self.project, Style.of(Blur()))
        first = edits.set_style(first, self.two, Style.of(Mosaic(2)))
        second = housing.add_version(first, "For the late news")
        second = edits.set_style_for_all(second, Style.of(Solid()))
        self.assertEqual(
            (housing.versions(second), second.decisions.version),
            (["Version 1", "For the late news"], "For the late news"),
        )
        moved = outlines.move_outline(second, self.one, "c1", 30, Outline.at(140, 95, 50, 60), Reach.SIGHTING)
        back = housing.in_version(moved, "Version 1")
        self.assertEqual(self.kinds(back), {self.one: "blur", self.two: "mosaic", self.thing: "blur"})
        self.assertEqual(layers(back, "c1", 30)[0].outline.cx, 140, "what was moved in one is moved in the other")
        again = housing.in_version(back, "For the late news")
        self.assertEqual(
            (again.decisions.style, again.decisions.subjects, again.decisions.version),
            (moved.decisions.style, moved.decisions.subjects, moved.decisions.version),
        )
        self.assertIs(housing.in_version(again, "For the late news"), again)

    def test_somebody_new_is_covered_in_every_version(self):
        project = housing.add_version(self.project, "Gull")
        project, new = outlines.add_subject(project, "c1", 30, Outline.at(220, 60, 40, 40))
        for name in housing.versions(project):
            self.assertIn(new, self.kinds(housing.in_version(project, name)))

    def test_merging_makes_nobody_less_covered_in_any_version(self):
        wide = edits.set_style(self.project, self.two, Style.of(Solid(), 0.9, 0.3))
        project = housing.add_version(wide, "Gull")
        project = edits.set_style_for_all(project, Style.of(Blur(), 0.1, 0.1))
        far = presence.trim_sighting(project, self.two, "c1", 30, 30, 40)
        far = presence.trim_sighting(far, self.one, "c1", 30, 5, 29)
        merged = cast.merge_subjects(far, self.one, [self.two])
        before = housing.in_version(merged, "Version 1")
        self.assertEqual(before.style_of(before.subject(self.one)).margin, 0.9)

    def test_names(self):
        project = housing.add_version(self.project, "Gull")
        renamed = housing.rename_version(project, "  Tern ")
        self.assertEqual((housing.versions(renamed), renamed.decisions.version), (["Version 1", "Tern"], "Tern"))
        left = housing.remove_version(renamed, "Tern")
        self.assertEqual((housing.versions(left), left.decisions.version), (["Version 1"], "Version 1"))
        for wrong in (
            lambda: housing.add_version(project, " "),
            lambda: housing.add_version(project, "Gull"),
            lambda: housing.in_version(project, "Nobody"),
            lambda: housing.remove_version(left, "Version 1"),
            lambda: housing.rename_version(project, "Version 1"),
            lambda: housing.rename_version(self.project, "x"),
        ):
            with self.assertRaises(EditRefused):
                wrong()


class RestTest(LookTest):
    def test_everything_is_covered_but_those_who_are_shown(self):
        project = cast.decide(housing.cover_rest(self.project, "c1"), [self.one], Decision.SHOW)
        seen = matte(project, "c1", 30)
        self.assertEqual(int(seen[90, 120]), 0)
        outline = Outline.at(120, 90, 50, 60)
        y, x = np.mgrid[0:200, 0:480] + 0.5
        outside = ~outline.contains(np.stack([x.ravel(), y.ravel()], 1)).reshape(200, 480)
        self.assertTrue((seen[outside] == 255).all(), "nothing beside is seen, the soft edge lies within")
        self.assertTrue((matte(project, "c1", 79) == 255).all(), "who is not seen there shows nothing")
        covered = cast.decide(project, [self.one], Decision.UNDECIDED)
        self.assertTrue((matte(covered, "c1", 30) == 255).all())
        back = housing.uncover_rest(project, "c1")
        self.assertEqual(back.decisions.rests, ())

    def test_its_strength_is_against_a_large_head_wherever(self):
        project = housing.cover_rest(self.project, "c1", Style.of(Mosaic(2)))
        rest = layers(project, "c1", 30)[0]
        self.assertEqual((rest.subject, rest.box, rest.measure[0]), ("", (0, 0, 480, 200), 80.0))

    def test_labels_of_those_shown_and_covered(self):
        project = housing.set_label(cast.decide(self.project, [self.one], Decision.SHOW), self.one, Label.of("Clerk"))
        found = layers(project, "c1", 30)
        self.assertEqual(
            [(layer.subject, layer.label) for layer in found],
            [(self.two, False), (self.thing, False), (self.one, True)],
        )
        self.assertEqual(layers(housing.set_label(project, self.one, None), "c1", 30)[-1].label, False)
