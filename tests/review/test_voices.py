"""What is heard plain, findings about voices, the lanes of the voice row, and the proof on exported files."""

import unittest
from unittest import mock

from skiagraph.handover.export import export_clip, write_clip
from skiagraph.handover.writers.film import CoveredFilm
from skiagraph.jobs import JobControl
from skiagraph.media.clip import probe
from skiagraph.media.index import open_clip
from skiagraph.media.sound_alike import sound_alike
from skiagraph.project import cast, voices
from skiagraph.project.evidence import Listening, Speech, Voice
from skiagraph.project.model import Decision
from skiagraph.review.file_voices import check_voices, made_up_voices
from skiagraph.review.finding import sentence
from skiagraph.review.findings import acceptance_of, findings, open_findings
from skiagraph.review.voice_lanes import SpeechState, snapped, voice_lanes, voice_summary
from skiagraph.review.who_speaks import plain_speech, who_speaks
from skiagraph.voice.disguise import Disguise
from tests.footage.test_listening import project_of, talking_film
from tests.support import TemporaryFolder, head_path, make_clip, project_on
from tests.voice.support import stranger


def among_few(test):
    """With a few made-up voices to compare with, where what is asked is not who is known among all of them."""
    return mock.patch("skiagraph.review.file_voices.made_up_voices", lambda: made_up_voices()[:4])(test)


def speech(*pieces, track=1):
    return tuple(Speech(track, a, b, round(a * 25), round(b * 25)) for a, b in pieces)


class WhoSpeaksTest(TemporaryFolder):
    def setUp(self):
        super().setUp()
        # Ada is seen all the time, Bo only in the second half.
        project = project_on(make_clip(self.folder / "a.mp4", 100), head_path(0, 100, 40), head_path(50, 50, 120))
        self.project = voices.take_listening(
            project, Listening("c1", (Voice("1", speech((0.2, 0.9), (1.2, 1.6))), Voice("2", speech((2.4, 3.6)))))
        )
        self.ada, self.bo = (s.key for s in self.project.subjects)
        self.one, self.two = (v.key for v in self.project.evidence.listening_of("c1").voices)

    def reasons(self, project, reason="heard-plain"):
        return [(f.subject, f.first, f.last) for f in findings(project) if f.reason == reason]

    def test_who_alone_is_in_the_picture_speaks(self):
        self.assertEqual(
            [(s.subject, s.said) for s in who_speaks(self.project, "c1")], [(self.ada, False), ("", False)]
        )

    def test_a_person_says_it_better(self):
        project = voices.name_speaker(voices.name_speaker(self.project, self.two, self.bo), self.one, "")
        first, second = who_speaks(project, "c1")
        self.assertEqual((first.subject, first.free, second.subject, second.said), ("", True, self.bo, True))

    def test_plain_speech_of_covered_people_is_a_finding(self):
        self.assertEqual(self.reasons(self.project), [(self.ada, 5, 40), ("", 60, 90)])
        for finding in findings(self.project):
            if finding.reason == "heard-plain":
                self.assertSentence(sentence(self.project, finding), "heard plain")

    def test_who_is_shown_or_may_be_heard_is_none(self):
        shown = cast.decide(self.project, [self.ada, self.bo], Decision.SHOW)
        self.assertEqual(self.reasons(shown), [])
        free = voices.name_speaker(voices.name_speaker(self.project, self.one, ""), self.two, "")
        self.assertEqual(self.reasons(free), [])
        # Ada is shown, but nobody knows whether it is Bo who speaks.
        half = cast.decide(self.project, [self.ada], Decision.SHOW)
        self.assertEqual(self.reasons(half), [("", 60, 90)])

    def test_disguised_it_is_none_and_one_click_does_that(self):
        finding = next(f for f in findings(self.project) if f.reason == "heard-plain" and f.subject == self.ada)
        done = finding.kind.remedied(self.project, finding)
        self.assertEqual(self.reasons(done), [("", 60, 90)])
        self.assertEqual([(v.begins_s, v.ends_s, v.subject) for v in done.decisions.voices], [(0.2, 1.6, self.ada)])

    def test_a_voice_that_is_disguised_elsewhere_is_always_a_finding(self):
        shown = cast.decide(self.project, [self.ada, self.bo], Decision.SHOW)
        project = voices.add_range(shown, "c1", 0.1, 1.0)
        found = [p.why for p in plain_speech(project, "c1")]
        self.assertEqual(found, ["elsewhere"])

    def test_accepted_it_stays_so(self):
        waiting = [f for f in open_findings(self.project) if f.reason == "heard-plain"]
        project = self.project.deciding(accepted=tuple(acceptance_of(self.project, f, "Editor") for f in waiting))
        self.assertFalse([f for f in open_findings(project) if f.reason == "heard-plain"])

    def test_a_weak_disguise_is_a_finding_with_a_remedy(self):
        project = voices.add_range(self.project, "c1", 0.2, 1.6, self.ada, disguise=Disguise.kinds["deeper"]())
        finding = next(f for f in findings(project) if f.reason == "voice-too-weak")
        self.assertSentence(sentence(project, finding), "deeper")
        safe = finding.kind.remedied(project, finding)
        self.assertFalse(self.reasons(safe, "voice-too-weak"))
        self.assertEqual(safe.disguise_of(safe.decisions.voices[0]).kind, "altered")

    def test_lanes_say_what_becomes_of_speech(self):
        project = voices.add_range(self.project, "c1", 0.1, 1.0, self.ada)
        (lane,) = voice_lanes(project, "c1", 1)
        self.assertEqual([s.state for s in lane.speech], [SpeechState.DISGUISED, SpeechState.PLAIN, SpeechState.PLAIN])
        self.assertEqual([(r.name, r.word, r.weak) for r in lane.ranges], [("Person 1", "Altered", False)])
        self.assertEqual(voice_summary(project, "c1", 1), "2 voices · 1 disguised")
        self.assertEqual(voice_summary(self.project, "c1", 0), "no sound")

    def test_ends_snap_to_pauses_that_are_near(self):
        self.assertEqual(snapped(self.project, "c1", 1, 0.95, 0.1), 0.9)
        self.assertEqual(snapped(self.project, "c1", 1, 1.05, 0.1), 1.05)


class FileVoicesTest(TemporaryFolder):
    def setUp(self):
        super().setUp()
        self.path = talking_film(self.folder / "a.mov", [(1.0, stranger())], frames=200)
        self.project = project_of(self.path)
        self.info, self.index = open_clip(self.path)

    def checked(self, project, exported, span=(0.0, float("inf"))):
        target = self.folder / "out.mov"
        export_clip(exported, "c1", target)
        found = check_voices(project, "c1", self.info, self.index, probe(target), *span, JobControl())
        return found, sound_alike(self.path, target, None, None, found.disguised)

    def test_a_file_in_which_a_voice_is_disguised_proves_it(self):
        project = voices.add_range(self.project, "c1", 1.0, 6.2)
        found, alike = self.checked(project, project)
        self.assertEqual([f.reason for f in found.findings if f.reason == "voice-plain-in-file"], [])
        self.assertIn("altered", found.facts[0].result)
        self.assertEqual([(t.good, "all samples equal" in t.said) for t in alike], [(True, True)])

    @among_few
    def test_a_file_in_which_it_is_not_is_found_out(self):
        project = voices.add_range(self.project, "c1", 1.0, 6.2)
        found, _ = self.checked(project, self.project)
        self.assertEqual([f.reason for f in found.findings], ["voice-plain-in-file"])
        self.assertFalse(found.facts[0].good)
        self.assertSentence(sentence(project, found.findings[0]), "heard plain")

    @among_few
    def test_a_part_that_begins_inside_of_a_range_is_compared_from_the_same_moment(self):
        project = voices.add_range(self.project, "c1", 1.0, 6.2)
        for exported, reasons in ((self.project, ["voice-plain-in-file"]), (project, [])):
            target = self.folder / "part.mov"
            write_clip(exported, "c1", [(CoveredFilm("prores-mov"), target)], span=(62, 140))
            found = check_voices(project, "c1", self.info, self.index, probe(target), 62 / 25, 141 / 25, JobControl())
            self.assertEqual([f.reason for f in found.findings if f.reason == "voice-plain-in-file"], reasons)

    @among_few
    def test_a_range_on_one_channel_is_checked_on_that_channel(self):
        project = voices.add_range(self.project, "c1", 1.0, 6.2, channel=2)
        self.assertEqual([f.reason for f in self.checked(project, self.project)[0].findings], ["voice-plain-in-file"])
        found, _ = self.checked(project, project)
        self.assertTrue(found.facts[0].good is not False or found.findings[0].reason == "voice-known-in-file")
        self.assertNotIn("voice-plain-in-file", [f.reason for f in found.findings])

    def test_the_same_voice_plain_elsewhere_is_found(self):
        project = voices.add_range(self.project, "c1", 1.0, 3.4)
        found, _ = self.checked(project, project)
        places = [f for f in found.findings if f.reason == "voice-plain-in-file"]
        self.assertEqual(len(places), 1)
        self.assertGreater(places[0].first, 80)

    def test_a_weak_disguise_is_known(self):
        project = voices.add_range(self.project, "c1", 1.0, 6.2, disguise=Disguise.kinds["deeper"]())
        found, _ = self.checked(project, project)
        self.assertEqual([f.reason for f in found.findings], ["voice-known-in-file"])
        self.assertSentence(sentence(project, found.findings[0]), "machine")

    def test_what_is_no_speech_any_more_is_said_to_be_gone(self):
        project = voices.add_range(self.project, "c1", 1.0, 6.2, disguise=Disguise.kinds["tone"]())
        found, _ = self.checked(project, project)
        self.assertEqual((found.findings, found.facts[0].good), ((), True))

    def test_nothing_disguised_is_nothing_to_say(self):
        found, alike = self.checked(self.project, self.project)
        self.assertEqual((found.facts, found.findings, found.disguised), ((), (), {}))
        self.assertTrue(alike[0].good)

    @among_few
    def test_other_sound_outside_is_no_disguise(self):
        """Where the file's sound differs outside of ranges, the comparison says so."""
        project = voices.add_range(self.project, "c1", 1.0, 3.0)
        more = voices.add_range(project, "c1", 4.0, 5.5, disguise=Disguise.kinds["tone"]())
        _, alike = self.checked(project, more)
        self.assertFalse(alike[0].good)


if __name__ == "__main__":
    unittest.main()
