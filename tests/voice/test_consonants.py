"""What is a throat's and what is a mouth's, and how loud the one is beside the other."""

import unittest

import numpy as np
from scipy.signal import lfilter

from skiagraph.voice.consonants import CONSONANTS, levelled, sonorant
from skiagraph.voice.disguise import Heard
from skiagraph.voice.drawing import lots
from skiagraph.voice.kinds.altered import Altered
from skiagraph.voice.speech import Speech
from tests.voice.support import RATE, buzz, voices


def creak(seconds: float, rng) -> np.ndarray:
    """A vowel whose folds beat 20 to 60 times a second without any order, as at the end of a sentence."""
    pulses = np.zeros(int(seconds * RATE))
    pulses[np.cumsum(rng.integers(RATE // 60, RATE // 20, 1000))[: int(seconds * 20)]] = 1
    for centre in (500, 1500, 2500):
        r = np.exp(-np.pi * 80 / RATE)
        pulses = lfilter([1 - r], [1, -2 * r * np.cos(2 * np.pi * centre / RATE), r * r], pulses)
    return pulses / np.abs(pulses).max() * 0.5


def hiss(seconds: float, rng) -> np.ndarray:
    return np.diff(rng.standard_normal(int(seconds * RATE) + 1)) * 0.05


class SonorantTest(unittest.TestCase):
    def setUp(self):
        self.rng = np.random.default_rng(4)

    def test_vowels_are_and_hisses_and_silence_are_not(self):
        quiet = np.zeros(RATE // 2)
        speech = np.concatenate([buzz(120, 0.5), hiss(0.5, self.rng), quiet])
        found = sonorant(speech, RATE)
        half = RATE // 2
        self.assertGreater(found[400 : half - 400].mean(), 0.95)
        self.assertLess(found[half + 400 : 2 * half - 400].mean(), 0.05)
        self.assertFalse(found[2 * half + 400 :].any())

    def test_a_creaky_vowel_has_no_pitch_and_is_no_consonant(self):
        speech = Speech(np.concatenate([buzz(120, 0.5), creak(1.0, self.rng)]), RATE)
        middle = slice(int(0.6 * RATE), int(1.4 * RATE))
        at = np.arange(len(speech.samples))[middle] / RATE
        self.assertLess((speech.track.at(at) > 0).mean(), 0.5)
        self.assertGreater(speech.voicing[middle].mean(), 0.6)

    def test_no_sound_and_hardly_any(self):
        for samples in (np.zeros(0), np.zeros(5), np.full(3, 0.1), np.zeros(RATE)):
            self.assertEqual(len(sonorant(samples, RATE)), len(samples))
            self.assertFalse(sonorant(samples[:0], RATE).any())

    def test_the_beats_of_a_creaky_voice_are_not_those_of_the_disguised_one(self):
        plain = np.concatenate([buzz(120, 1.0), creak(2.0, self.rng), buzz(110, 1.0)])
        made = Altered().instead(Heard(plain[:, None], RATE, lots(b"s" * 32, "creak")))[:, 0]
        part = slice(int(1.2 * RATE), int(2.8 * RATE))

        def beats(samples):
            # When the folds beat: swings of the residual.
            loud = np.abs(Speech(samples, RATE).residual[part])
            return np.convolve(loud, np.ones(16) / 16, mode="same")

        own = np.corrcoef(beats(plain), beats(plain + 0.001 * self.rng.standard_normal(len(plain))))[0, 1]
        self.assertGreater(own, 0.9)
        self.assertLess(np.corrcoef(beats(plain), beats(made))[0, 1], 0.5)


class LevelledTest(unittest.TestCase):
    def ratio(self, samples, voicing):
        return np.sqrt(np.mean(samples[voicing < 0.5] ** 2) / np.mean(samples[voicing >= 0.5] ** 2))

    def test_consonants_of_two_speakers_become_more_alike_and_vowels_stay(self):
        speech = np.concatenate([buzz(120, 1.0), hiss(1.0, np.random.default_rng(1))])
        voicing = np.concatenate([np.ones(RATE), np.zeros(RATE)])
        found = []
        for loud in (0.5, 2.0):
            said = np.concatenate([speech[:RATE], loud * speech[RATE:]])
            made = levelled(said, RATE, voicing, 0.0)
            np.testing.assert_allclose(made[:RATE], said[:RATE])
            found.append((self.ratio(said, voicing), self.ratio(made, voicing)))
        (soft, soft_made), (loud, loud_made) = found
        self.assertAlmostEqual(loud / soft, 4.0, delta=0.1)
        self.assertLess(loud_made / soft_made, 2.5)

    def test_never_changed_by_more_than_the_most(self):
        speech = np.concatenate([buzz(120, 1.0), hiss(1.0, np.random.default_rng(1)) * 1e-3])
        voicing = np.concatenate([np.ones(RATE), np.zeros(RATE)])
        made = levelled(speech, RATE, voicing, 3.0)
        most = CONSONANTS.most * 10 ** (CONSONANTS.raised_db / 20)
        self.assertLessEqual(np.abs(made[RATE:]).max(), most * np.abs(speech[RATE:]).max() * 1.001)

    def test_speech_of_vowels_alone_or_none(self):
        for speech in (buzz(120, 0.3), np.zeros(1000), voices()[0][:0]):
            made = levelled(speech, RATE, np.ones(len(speech)), 0.0)
            np.testing.assert_array_equal(made, speech)


if __name__ == "__main__":
    unittest.main()
