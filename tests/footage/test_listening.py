"""Listening to films made here: who speaks when; and what is heard of them, plain and disguised."""

from fractions import Fraction

import av
import numpy as np

from skiagraph.errors import Cancelled
from skiagraph.footage.adding import facts_of
from skiagraph.footage.hearing import heard, plans, room_of, sound_of
from skiagraph.footage.listening import listen_to
from skiagraph.jobs import JobControl
from skiagraph.media.index import open_clip
from skiagraph.project import edits, voices
from skiagraph.project.model import Project
from skiagraph.voice.disguise import Disguise
from tests.support import TemporaryFolder, make_clip
from tests.voice.support import at_rate
from tests.voice.support import voices as speakers

RATE = 48000


def talking_film(path, parts, *, frames=300, tracks=1, pts=None, base=Fraction(1, 25), hum=0.002):
    """A film in which (begin s, samples at 16 kHz) are heard, over a soft background. pts: of frame n, in base."""
    total = int(frames / 25 * RATE)
    wave = np.random.default_rng(8).standard_normal(total) * hum
    for begin, said in parts:
        said = at_rate(said, RATE)[: total - int(begin * RATE)]
        wave[int(begin * RATE) : int(begin * RATE) + len(said)] += said * 0.5
    with av.open(str(path), "w") as out:
        video = out.add_stream("libx264", rate=25, options={"preset": "ultrafast"})
        video.width, video.height, video.pix_fmt, video.time_base = 64, 48, "yuv420p", base
        video.codec_context.time_base = base
        streams = [
            out.add_stream("pcm_s16le" if path.suffix == ".mov" else "aac", rate=RATE, layout="stereo")
            for _ in range(tracks)
        ]
        for n in range(frames):
            picture = av.VideoFrame.from_ndarray(np.full((72, 64), 20 + n % 200, np.uint8), format="yuv420p")
            picture.pts, picture.time_base = pts(n) if pts else n, base
            out.mux(video.encode(picture))
        out.mux(video.encode(None))
        for n, stream in enumerate(streams):
            block = av.AudioFrame.from_ndarray(
                np.ascontiguousarray(np.stack([wave, wave]).astype(np.float32) * (1 if n == 0 else 0.5)),
                format="fltp",
                layout="stereo",
            )
            block.sample_rate, block.pts, block.time_base = RATE, 0, Fraction(1, RATE)
            fitting = av.AudioResampler(
                format=stream.format.name,
                layout="stereo",
                rate=RATE,
                frame_size=stream.codec_context.frame_size or 1024,
            )
            for part in fitting.resample(block) + fitting.resample(None):
                out.mux(stream.encode(part))
            out.mux(stream.encode(None))
    return path


def project_of(path) -> Project:
    return edits.add_clip(Project(), facts_of(*open_clip(path)))


class ListeningTest(TemporaryFolder):
    def test_two_speakers_are_heard_when_they_speak(self):
        one, other = speakers()[7][: 4 * 16000], speakers()[6][: 4 * 16000]
        project = project_of(talking_film(self.folder / "a.mp4", [(0.5, one), (6.0, other)]))
        found = listen_to(project, "c1")
        self.assertEqual(len(found.voices), 2)
        (first,), (second,) = (v.speech for v in found.voices)
        for speech, begin in ((first, 0.5), (second, 6.0)):
            self.assertAlmostEqual(speech.begins_s, begin, delta=0.35)
            self.assertAlmostEqual(speech.ends_s, begin + 4, delta=0.5)
            self.assertAlmostEqual(speech.first, speech.begins_s * 25, delta=1)
            self.assertAlmostEqual(speech.last, speech.ends_s * 25, delta=1)

    def test_one_speaker_on_two_tracks_is_one_voice(self):
        project = project_of(talking_film(self.folder / "b.mp4", [(0.5, speakers()[7])], frames=200, tracks=2))
        found = listen_to(project, "c1")
        self.assertEqual(len(found.voices), 1)
        self.assertEqual({s.track for s in found.voices[0].speech}, {1, 2})

    def test_nobody_speaks_and_no_sound(self):
        self.assertEqual(listen_to(project_of(talking_film(self.folder / "c.mp4", [], frames=50)), "c1").voices, ())
        self.assertEqual(listen_to(project_of(make_clip(self.folder / "d.mp4", 20)), "c1").voices, ())

    def test_where_frames_are_of_different_length_speech_is_at_the_frames_that_are_seen(self):
        # The first hundred frames take 80 ms each, the others 20.
        project = project_of(
            talking_film(
                self.folder / "e.mp4",
                [(8.2, speakers()[7][:48000])],
                frames=300,
                pts=lambda n: n * 80 if n < 100 else 8000 + (n - 100) * 20,
                base=Fraction(1, 1000),
            )
        )
        speech = listen_to(project, "c1").voices[0].speech[0]
        self.assertAlmostEqual(speech.begins_s, 8.2, delta=0.35)
        self.assertAlmostEqual(speech.first, 100 + (speech.begins_s - 8) / 0.02, delta=2)

    def test_it_can_be_cancelled(self):
        project = project_of(talking_film(self.folder / "f.mp4", [(0.5, speakers()[7])], frames=150))
        control = JobControl()
        control.cancel()
        with self.assertRaises(Cancelled):
            listen_to(project, "c1", control)


class HearingTest(TemporaryFolder):
    def setUp(self):
        super().setUp()
        self.path = talking_film(self.folder / "a.mov", [(1.0, speakers()[7])], frames=250)
        self.project = voices.add_range(project_of(self.path), "c1", 1.0, 6.5, disguise=Disguise.kinds["silence"]())
        self.info, self.index = open_clip(self.path)

    def test_what_is_disguised_is_heard_so_and_plain_when_one_asks(self):
        disguised = np.concatenate(list(heard(self.project, "c1", self.info, 0.0)))
        plain = np.concatenate(list(heard(self.project, "c1", self.info, 0.0, plain=True)))
        self.assertEqual(len(disguised), len(plain))
        self.assertTrue(np.array_equal(disguised[: RATE // 2], plain[: RATE // 2]))
        self.assertFalse(disguised[RATE + 100 : 6 * RATE].any())
        self.assertTrue(plain[RATE : 6 * RATE].any())

    def test_from_the_middle_it_is_what_it_is_from_the_beginning(self):
        project = voices.set_disguise(
            self.project, [self.project.decisions.voices[0].key], Disguise.kinds["altered"](anew=4.0)
        )
        whole = np.concatenate(list(heard(project, "c1", self.info, 0.0)))
        for seconds in (0.7, 2.0, 5.5):
            part = np.concatenate(list(heard(project, "c1", self.info, seconds)))
            begin = round(seconds * RATE)
            n = min(len(part), len(whole) - begin)
            self.assertGreater(n, RATE)
            self.assertLessEqual(int(np.abs(part[:n].astype(int) - whole[begin : begin + n]).max()), 1, seconds)

    def test_the_secret_of_the_desk_decides(self):
        project = voices.set_disguise(self.project, [self.project.decisions.voices[0].key], None)
        one, again, other = (plans(project, "c1", self.info, secret)[0].secret for secret in (None, None, b"o" * 32))
        self.assertEqual(one, again)
        self.assertNotEqual(one, other)

    def test_the_room_is_taken_where_nobody_speaks(self):
        room, rate = room_of(self.info, 0, None, [(0.9, 5.9)])
        self.assertEqual((rate, room.shape[1]), (RATE, 2))
        self.assertAlmostEqual(float(np.std(room)), 0.002, delta=0.001)
        self.assertIsNone(room_of(self.info, 0, None, [(0.0, 99.0)])[0])

    def test_what_is_known_of_the_sound(self):
        found = sound_of(self.project.clip("c1"))
        self.assertEqual((len(found.waves), found.trouble, found.waves[0].channels), (1, "", 2))
        self.assertEqual(sound_of(project_of(make_clip(self.folder / "none.mp4", 10)).clip("c1")).waves, ())
