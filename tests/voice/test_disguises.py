"""What every disguise promises, and what each does to a voice."""

import unittest

import numpy as np

from skiagraph.cover.spoken import BadCover, said_of
from skiagraph.values import parameters, read, written
from skiagraph.voice.attacks import Others, attacked, is_known
from skiagraph.voice.disguise import Disguise, Heard
from skiagraph.voice.drawing import lots
from skiagraph.voice.loudness import loudness
from skiagraph.voice.speakers import likeness
from skiagraph.voice.speech import Speech
from tests.voice.support import RATE, at_rate, encoder, voices

SECRET = b"s" * 32


def heard(samples, rate=RATE, about="a", room=None):
    return Heard(samples if samples.ndim == 2 else samples[:, None], rate, lots(SECRET, about), room)


class EveryDisguiseTest(unittest.TestCase):
    def test_it_is_exactly_as_long_and_nothing_of_the_samples_is_left(self):
        room = np.random.default_rng(2).standard_normal((RATE, 1)) * 1e-3
        plain = voices()[0]
        for tag, kind in Disguise.kinds.items():
            made = kind().instead(heard(plain, room=room))
            self.assertEqual(made.shape, (len(plain), 1), tag)
            self.assertTrue(np.isfinite(made).all(), tag)
            self.assertLessEqual(np.abs(made).max(), 1.0, tag)
            if made.any():
                self.assertLess(abs(np.corrcoef(made[:, 0], plain)[0, 1]), 0.3, tag)

    def test_all_rates_and_channels_and_odd_lengths(self):
        for rate, channels, count in (
            (8000, 1, 8003),
            (22050, 2, 22051),
            (44100, 6, 30001),
            (48000, 2, 48000),
            (96000, 1, 50001),
        ):
            speech = np.repeat(at_rate(voices()[1], rate)[:count, None], channels, axis=1)
            for tag, kind in Disguise.kinds.items():
                made = kind().instead(heard(speech, rate, room=speech[:2000] * 0.01))
                self.assertEqual(made.shape, speech.shape, (tag, rate))
                self.assertTrue(np.isfinite(made).all(), (tag, rate))

    def test_silence_and_scraps_are_no_error(self):
        for tag, kind in Disguise.kinds.items():
            for count in (1, 10, 300, 4000):
                made = kind().instead(heard(np.zeros(count)))
                self.assertEqual(made.shape, (count, 1), tag)
                self.assertTrue(kind.kinds is Disguise.kinds and np.isfinite(made).all())

    def test_words_stay_as_loud(self):
        for tag, kind in Disguise.kinds.items():
            if kind.speaks:
                plain = voices()[2][:, None] * 0.3
                self.assertAlmostEqual(
                    loudness(kind().instead(heard(plain)), RATE), loudness(plain, RATE), delta=1.0, msg=tag
                )

    def test_it_describes_itself_and_is_kept(self):
        for tag, kind in Disguise.kinds.items():
            self.assertTrue(kind.word and kind.tip and kind.resists.endswith("."), tag)
            self.assertEqual(read(__import__("json").loads(written(kind())), Disguise), kind())
            for parameter in parameters(kind):
                self.assertLess(parameter.low, parameter.high, (tag, parameter.name))
                for value in (parameter.low, parameter.high):
                    self.assertEqual(said_of(f"{tag}:{parameter.name}={value:g}", Disguise, "disguise").kind, tag)

    def test_nonsense_in_words_is_a_sentence(self):
        for text in ("mumble", "deeper:pitch=low", "deeper:pitch=99", "tone:colour=3"):
            with self.assertRaises(BadCover):
                said_of(text, Disguise, "way to disguise a voice")


class AlteredTest(unittest.TestCase):
    def test_the_same_draw_sounds_the_same_and_another_does_not(self):
        plain, altered = voices()[3], Disguise.kinds["altered"]()
        one, again, other = (altered.instead(heard(plain, about=about)) for about in ("a", "a", "b"))
        self.assertTrue(np.array_equal(one, again))
        self.assertLess(np.corrcoef(one[:, 0], other[:, 0])[0, 1], 0.5)

    def test_pitch_is_drawn_and_not_the_speakers(self):
        found = []
        for n, voice in enumerate(voices()[:6]):
            made = Disguise.kinds["altered"]().instead(heard(voice, about=n))[:, 0]
            found.append((Speech(voice, RATE).track.middle_hz, Speech(made, RATE).track.middle_hz))
        before, after = np.log(np.array(found)).T
        self.assertGreater(np.abs(before - after).mean(), 0.15)

    def test_a_machine_does_not_know_the_voice_and_knows_it_as_it_was(self):
        clean = voices()
        speakers = Others(clean[1:13], encoder())
        altered, known = Disguise.kinds["altered"](), 0
        for draw in range(4):
            made = altered.instead(heard(clean[0], about=draw))[:, 0]
            known += is_known(attacked(clean[0], made, speakers, altered, encoder()))
        self.assertLessEqual(known, 1)
        deeper = Disguise.kinds["deeper"]()
        self.assertTrue(
            is_known(attacked(clean[0], deeper.instead(heard(clean[0]))[:, 0], speakers, deeper, encoder()))
        )

    def test_two_voices_on_two_channels_stay_two(self):
        both = np.stack([voices()[0], voices()[9]], axis=1)
        made = Disguise.kinds["altered"]().instead(heard(both))
        self.assertLess(abs(np.corrcoef(made[:, 0], made[:, 1])[0, 1]), 0.3)

    def test_one_voice_on_two_channels_stays_one_as_loud_in_each(self):
        both = np.stack([voices()[0], 0.4 * voices()[0]], axis=1)
        made = Disguise.kinds["altered"]().instead(heard(both))
        self.assertGreater(np.corrcoef(made[:, 0], made[:, 1])[0, 1], 0.999)
        self.assertAlmostEqual(float(np.std(made[:, 1]) / np.std(made[:, 0])), 0.4, delta=0.01)


class WeakTest(unittest.TestCase):
    def test_a_plain_shift_is_undone_by_shifting_back(self):
        plain = voices()[5]
        deeper = Disguise.kinds["deeper"](pitch=4, formants=4).instead(heard(plain))[:, 0]
        back = shifted_back(deeper, 4)
        describe = encoder().describe
        self.assertGreater(likeness(describe(back), describe(plain)), likeness(describe(deeper), describe(plain)))
        self.assertTrue(
            Disguise.kinds["deeper"].weak and Disguise.kinds["higher"].weak and not Disguise.kinds["altered"].weak
        )

    def test_flat_has_one_pitch(self):
        made = Disguise.kinds["flat"](hz=140.0).instead(heard(voices()[4]))[:, 0]
        track = Speech(made, RATE).track
        self.assertAlmostEqual(track.middle_hz, 140, delta=6)
        low, high = np.percentile(track.voiced, (10, 90))
        self.assertLess(high / low, 1.06)


def shifted_back(samples, semitones):
    from skiagraph.voice.speech import shifted

    return shifted(Speech(samples, RATE), semitones, semitones)


class RoomTest(unittest.TestCase):
    def test_the_room_has_the_level_and_spectrum_of_the_background_and_nothing_said(self):
        rng = np.random.default_rng(5)
        hum = (
            np.sin(2 * np.pi * 220 * np.arange(2 * RATE) / RATE)[:, None] * 0.01
            + rng.standard_normal((2 * RATE, 1)) * 1e-3
        )
        made = Disguise.kinds["room"]().instead(heard(voices()[0][: 3 * RATE], room=hum))
        self.assertAlmostEqual(float(np.std(made) / np.std(hum)), 1, delta=0.1)
        spectrum = np.abs(np.fft.rfft(made[:RATE, 0]))
        self.assertAlmostEqual(int(spectrum.argmax()), 220, delta=3)

    def test_without_a_room_it_is_silent(self):
        self.assertFalse(Disguise.kinds["room"]().instead(heard(voices()[0])).any())
