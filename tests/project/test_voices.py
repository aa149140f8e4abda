"""Ranges of sound and who speaks: edits, the file, and that nothing but a person's word makes a voice plain."""

import unittest

from hypothesis import given, settings
from hypothesis import strategies as st

from skiagraph.errors import CannotOpenProject, EditRefused
from skiagraph.project import cast, edits, file, voices
from skiagraph.project.evidence import Listening, Speech, Voice
from skiagraph.project.history import History
from skiagraph.project.model import Decision, replace
from skiagraph.project.voicing import usual_disguise
from skiagraph.voice.disguise import Disguise
from tests.support import TemporaryFolder, head_path, make_clip, project_on

CLIP = "c1"


def spoken(*pieces, voice="1"):
    """A voice that speaks at (begin, end) s on track 1, at 25 frames a second."""
    return Voice(voice, tuple(Speech(1, a, b, round(a * 25), round(b * 25)) for a, b in pieces))


def listening(*heard):
    return Listening(CLIP, heard)


class WithClip(TemporaryFolder):
    def setUp(self):
        super().setUp()
        self.project = project_on(make_clip(self.folder / "a.mp4", 40), head_path(0, 20, 40), head_path(22, 18, 120))

    @property
    def keys(self):
        return [s.key for s in self.project.subjects]


class RangesTest(WithClip):
    def test_add_move_split_join_remove(self):
        project = voices.add_range(self.project, CLIP, 1.0, 3.0, self.keys[0])
        key = project.decisions.voices[-1].key
        project = voices.move_ends(project, key, 0.5, 2.5)
        project = voices.split_range(project, key, 1.5)
        first, second = voices.ranges_in(project, CLIP)
        self.assertEqual(
            [(v.begins_s, v.ends_s, v.subject) for v in (first, second)],
            [(0.5, 1.5, self.keys[0]), (1.5, 2.5, self.keys[0])],
        )
        self.assertNotEqual(first.key, second.key)
        joined = voices.join_ranges(project, [second.key, first.key])
        self.assertEqual([(v.key, v.begins_s, v.ends_s) for v in joined.decisions.voices], [(key, 0.5, 2.5)])
        self.assertEqual(voices.remove_ranges(joined, [key]).decisions.voices, ())

    def test_joining_never_leaves_a_track_or_channel_plain(self):
        project = voices.add_range(self.project, CLIP, 0, 1, track=1, channel=1)
        project = voices.add_range(project, CLIP, 2, 3, track=2)
        joined = voices.join_ranges(project, [v.key for v in project.decisions.voices]).decisions.voices[0]
        self.assertEqual((joined.begins_s, joined.ends_s, joined.track, joined.channel), (0, 3, 0, 0))

    def test_what_makes_no_sense_is_refused(self):
        project = voices.add_range(self.project, CLIP, 1.0, 3.0)
        key = project.decisions.voices[0].key
        for asked in (
            lambda: voices.add_range(project, CLIP, 2.0, 2.0),
            lambda: voices.move_ends(project, key, 3.0, 1.0),
            lambda: voices.split_range(project, key, 5.0),
            lambda: voices.join_ranges(project, [key]),
            lambda: voices.remove_ranges(project, ["r99"]),
        ):
            with self.assertRaises(EditRefused) as caught:
                asked()
            self.assertSentence(str(caught.exception))

    def test_ways_to_disguise(self):
        project = voices.add_range(voices.add_range(self.project, CLIP, 0, 1), CLIP, 2, 3)
        one, other = project.decisions.voices
        project = voices.set_usual_disguise(
            voices.set_disguise(project, [one.key], Disguise.kinds["silence"]()), Disguise.kinds["tone"](hz=500.0)
        )
        self.assertEqual([type(project.disguise_of(v)).__name__ for v in project.decisions.voices], ["Silence", "Tone"])
        self.assertEqual(voices.draw_anew(project, [other.key]).decisions.voices[1].draw, 1)

    def test_all_that_a_voice_says_with_short_pauses_is_one_range(self):
        project = voices.take_listening(self.project, listening(spoken((0.1, 1.0), (1.4, 2.0), (5.0, 6.0))))
        voice = project.evidence.listening_of(CLIP).voices[0]
        project = voices.disguise_voices(project, CLIP, [voice], self.keys[0])
        self.assertEqual([(v.begins_s, v.ends_s) for v in voices.ranges_in(project, CLIP)], [(0.1, 2.0), (5.0, 6.0)])
        # Asked again there is nothing left to do.
        self.assertEqual(voices.disguise_voices(project, CLIP, [voice]).decisions.voices, project.decisions.voices)

    def test_what_is_left_plain(self):
        project = voices.add_range(self.project, CLIP, 1.0, 2.0)
        project = voices.add_range(project, CLIP, 1.5, 3.0, track=1)
        project = voices.add_range(project, CLIP, 3.0, 9.0, track=1, channel=2)
        self.assertEqual(voices.left_plain(project, CLIP, 0.5, 4.0, 1), [(0.5, 1.0), (3.0, 4.0)])
        self.assertEqual(voices.left_plain(project, CLIP, 0.5, 4.0, 2), [(0.5, 1.0), (2.0, 4.0)])

    def test_what_is_laid_hangs_on_the_clip_the_range_and_its_draw(self):
        project = voices.add_range(self.project, CLIP, 1.0, 2.0, track=2, channel=2)
        self.assertEqual(voices.laid_over(project, CLIP, 1), ())
        laid = voices.laid_over(project, CLIP, 2)[0]
        self.assertEqual((laid.begins_s, laid.ends_s, laid.channels, laid.disguise), (1.0, 2.0, (1,), usual_disguise()))
        self.assertNotEqual(
            laid.about, voices.laid_over(voices.draw_anew(project, [project.decisions.voices[0].key]), CLIP, 2)[0].about
        )


class WhoTest(WithClip):
    def test_saying_who_speaks_gives_them_the_ranges_of_that_voice(self):
        project = voices.take_listening(self.project, listening(spoken((1, 2)), spoken((3, 4), voice="2")))
        one, two = (v.key for v in project.evidence.listening_of(CLIP).voices)
        project = voices.add_range(voices.add_range(project, CLIP, 1, 2), CLIP, 3, 4)
        project = voices.name_speaker(project, one, self.keys[1])
        self.assertEqual([v.subject for v in project.decisions.voices], [self.keys[1], ""])
        self.assertEqual((voices.said_speaker(project, one), voices.said_speaker(project, two)), (self.keys[1], None))
        self.assertIsNone(voices.said_speaker(voices.name_speaker(project, one, None), one))

    def test_listening_again_keeps_who_was_said_to_speak(self):
        project = voices.take_listening(self.project, listening(spoken((1, 2)), spoken((3, 4), voice="2")))
        one, two = (v.key for v in project.evidence.listening_of(CLIP).voices)
        project = voices.name_speaker(project, two, self.keys[0])
        again = voices.take_listening(
            project, listening(spoken((3.1, 4.2)), spoken((1.1, 2), voice="2"), spoken((7, 8), voice="3"))
        )
        keys = [v.key for v in again.evidence.listening_of(CLIP).voices]
        self.assertEqual(keys[:2], [two, one])
        self.assertNotIn(keys[2], (one, two))
        self.assertEqual(again.decisions, project.decisions)

    def test_ranges_outlive_whoever_spoke(self):
        a, b = self.keys
        project = voices.add_range(self.project, CLIP, 1, 2, a)
        merged = cast.merge_subjects(project, b, [a])
        self.assertEqual([v.subject for v in merged.decisions.voices], [b])
        self.assertEqual([v.subject for v in edits.remove_subjects(project, [a]).decisions.voices], [""])
        self.assertEqual(edits.remove_clip(project, CLIP).decisions.voices, ())

    def test_undo_knows_ranges_and_listening_is_no_step(self):
        history = History(self.project)
        history.apply("disguise", voices.add_range(history.project, CLIP, 1, 2))
        history.learn(voices.take_listening(history.project, listening(spoken((1, 2)))))
        self.assertEqual(len(history.project.decisions.voices), 1)
        history.undo()
        self.assertEqual(history.project.decisions.voices, ())
        self.assertIsNotNone(history.project.evidence.listening_of(CLIP))
        history.redo()
        self.assertEqual(len(history.project.decisions.voices), 1)

    @settings(max_examples=30, deadline=None)
    @given(st.lists(st.sampled_from(["merge", "remove person", "listen", "name", "show", "undo style"]), max_size=6))
    def test_nothing_but_a_persons_word_makes_a_range_shorter(self, steps):
        project = voices.add_range(self.project, CLIP, 1, 2, self.keys[0])
        before = voices.laid_over(project, CLIP, 1)
        for step in steps:
            here = [s.key for s in project.subjects]
            if step == "merge" and len(here) > 1:
                project = cast.merge_subjects(project, here[0], here[1:])
            elif step == "remove person" and here:
                project = edits.remove_subjects(project, here[:1])
            elif step == "listen":
                project = voices.take_listening(project, listening(spoken((0.5, 1.5))))
            elif step == "name" and here and project.evidence.listening_of(CLIP):
                project = voices.name_speaker(project, project.evidence.listening_of(CLIP).voices[0].key, here[0])
            elif step == "show" and here:
                project = cast.decide(project, here, Decision.SHOW)
            self.assertEqual(voices.laid_over(project, CLIP, 1), before)


class FileTest(WithClip):
    def test_voices_are_saved_and_loaded(self):
        project = voices.take_listening(self.project, listening(spoken((1, 2))))
        project = voices.name_speaker(project, project.evidence.listening_of(CLIP).voices[0].key, self.keys[0])
        project = voices.add_range(project, CLIP, 0.123456, 1.5, self.keys[0], 1, 2, Disguise.kinds["tone"](hz=700.0))
        place = self.folder / "p.skiagraph"
        file.save(project, place)
        again = file.load(place)
        self.assertEqual(
            (again.decisions.voices, again.decisions.speakers, again.evidence.listenings),
            (project.decisions.voices, project.decisions.speakers, project.evidence.listenings),
        )
        _, key = again.new_id("ranges")
        self.assertNotIn(key, {v.key for v in again.decisions.voices})
        _, key = again.new_id("voices")
        self.assertNotIn(key, {v.key for one in again.evidence.listenings for v in one.voices})

    def test_who_speaks_is_not_told_by_anything_in_the_file(self):
        """What tells voices apart, and the secret they are drawn from, are in no project."""
        project = voices.add_range(voices.take_listening(self.project, listening(spoken((1, 2)))), CLIP, 1, 2)
        place = self.folder / "p.skiagraph"
        file.save(project, place)
        self.assertLess(len(place.read_bytes()), 6000)

    def test_a_range_that_ends_before_it_begins_keeps_the_project_shut(self):
        project = voices.add_range(self.project, CLIP, 1, 2)
        for bad in (dict(begins_s=3.0), dict(clip="c9")):
            place = self.folder / "bad.skiagraph"
            file.save(project.deciding(voices=(replace(project.decisions.voices[0], **bad),)), place)
            with self.assertRaises(CannotOpenProject) as caught:
                file.load(place)
            self.assertSentence(str(caught.exception))

    def test_a_project_of_before_has_no_ranges(self):
        place = self.folder / "old.skiagraph"
        file.save(self.project, place)
        place.write_text(place.read_text().replace(f'"version":{file.VERSION}', '"version":7', 1))
        again = file.load(place)
        self.assertEqual((again.decisions.voices, again.decisions.voice), ((), usual_disguise()))


if __name__ == "__main__":
    unittest.main()
