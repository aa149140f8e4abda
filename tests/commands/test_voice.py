"""The command about voices, from listening to the exported file."""

import numpy as np

from skiagraph.media.clip import probe
from skiagraph.project import file
from skiagraph.project.model import Sighting, Subject
from skiagraph.shape.place import Similarity
from tests.command_line import CommandLine
from tests.footage.test_listening import project_of, talking_film
from tests.voice.support import voices as speakers


class VoiceCommandTest(CommandLine):
    def setUp(self):
        super().setUp()
        self.film = talking_film(
            self.folder / "talk.mov", [(0.5, speakers()[7][:56000]), (5.0, speakers()[6][:56000])], frames=225
        )
        project = project_of(self.film)
        ada = Subject("s1", "Ada", sightings=(Sighting("g1", "c1", 0, 224, base=Similarity(32, 24, 20, 24, 0)),))
        self.place = self.folder / "p.skiagraph"
        file.save(project.deciding(subjects=(ada,)), self.place)

    def voice(self, *arguments):
        return self.run_command("voice", self.place, *arguments)

    def test_listening_naming_disguising_and_leaving(self):
        code, out, _ = self.voice()
        self.assertEqual(code, 0)
        self.assertIn("not listened to", out)
        code, out, err = self.voice("--listen")
        self.assertEqual(code, 0, err)
        self.assertIn("2 voices", out)
        code, out, err = self.voice(
            "--is", "v1=Ada", "--said-by", "v1", "--range", "00:00:05:00-00:00:06:00", "--style", "tone:hz=500"
        )
        self.assertEqual(code, 0, err)
        project = file.load(self.place)
        self.assertEqual([(v.subject, v.disguise.hz) for v in project.decisions.voices], [("", 500.0), ("s1", 500.0)])
        # The last frame named is in it.
        self.assertEqual((project.decisions.voices[0].begins_s, project.decisions.voices[0].ends_s), (5.0, 6.04))
        self.assertIn("tone:hz=500", out)
        code, out, _ = self.voice("--all-like", "whisper", "--anew", "r2", "--leave", "r1")
        project = file.load(self.place)
        self.assertEqual(
            (len(project.decisions.voices), project.decisions.voices[0].draw, project.decisions.voice.kind),
            (1, 1, "whisper"),
        )
        self.voice("--leave", "all")
        self.assertEqual(file.load(self.place).decisions.voices, ())

    def test_export_and_check_take_it_along(self):
        self.voice("--range", "25-74", "--subject", "Ada", "--style", "silence")
        target = self.folder / "out.mov"
        code, out, err = self.run_command("render", self.place, "-o", target)
        self.assertEqual(code, 0, err)
        from skiagraph.media.audio import placed_blocks
        from skiagraph.media.samples import as_float

        sound = np.concatenate(
            [
                as_float(b)
                for _, _, b in placed_blocks(
                    target, probe(target).sound[0].stream, probe(target).start_pts * probe(target).time_base
                )
            ]
        )
        self.assertLess(np.abs(sound[48000 : 3 * 48000]).max(), 0.01)
        self.assertGreater(np.abs(sound[:40000]).max(), 0.05)
        code, out, _ = self.run_command("check", self.place, "--file", target)
        self.assertIn("Voice, Ada", out)
        self.assertNotIn("voice-plain-in-file", out)

    def test_nonsense_is_one_sentence_and_changes_nothing(self):
        before = self.place.read_bytes()
        for arguments, word in (
            (("--range", "abc"), "range"),
            (("--range", "5-9999"), "runs from"),
            (("--whole", "--style", "mumble"), "mumble"),
            (("--whole", "--track", "3"), "track 3"),
            (("--whole", "--channel", "9"), "channel 9"),
            (("--said-by", "Nobody"), "Nobody"),
            (("--is", "v9=Ada"), "v9"),
            (("--is", "v9"), "v1=NAME"),
            (("--leave", "r7"), "not there"),
            (("--whole", "--subject", "Eve"), "Eve"),
        ):
            code, out, err = self.voice(*arguments)
            self.assertEqual(code, 2, arguments)
            self.assertSentence(err.removeprefix("skiagraph: "), word)
        self.assertEqual(self.place.read_bytes(), before)

    def test_a_clip_without_sound(self):
        from tests.support import make_clip

        file.save(project_of(make_clip(self.folder / "mute.mp4", 20)), self.place)
        code, _, err = self.voice("--whole")
        self.assertEqual(code, 2)
        self.assertSentence(err.removeprefix("skiagraph: "), "no sound")
        self.assertEqual(self.voice("--listen")[0], 0)
