"""Pitch, poles and putting speech together again, on vowels whose numbers are known."""

import unittest

import numpy as np

from skiagraph.voice import lpc
from skiagraph.voice.pitch import pitch_track
from skiagraph.voice.speech import Speech, long_spectrum, shifted, with_long_spectrum
from tests.voice.support import RATE, buzz, voices


class PitchTest(unittest.TestCase):
    def test_the_pitch_of_vowels_is_found(self):
        for hz in (80, 120, 200, 330):
            track = pitch_track(buzz(hz, 1.0), RATE)
            inside = track.hz[10:90]
            self.assertTrue((inside > 0).all(), hz)
            self.assertLess(np.abs(inside / hz - 1).max(), 0.02, hz)
            self.assertAlmostEqual(track.middle_hz / hz, 1, delta=0.02)

    def test_noise_and_silence_have_none(self):
        noise = np.random.default_rng(3).standard_normal(RATE) * 0.1
        self.assertLess((pitch_track(noise, RATE).hz > 0).mean(), 0.15)
        self.assertFalse(pitch_track(np.zeros(RATE), RATE).hz.any())

    def test_it_follows_a_glide(self):
        n = np.arange(RATE)
        hz = 100 + 100 * n / RATE
        glide = np.diff(np.floor(np.cumsum(hz) / RATE), prepend=0)
        track = pitch_track(glide, RATE)
        at = np.arange(15, 85)
        self.assertLess(np.abs(track.hz[at] / (100 + 100 * at * track.hop_s) - 1).max(), 0.05)

    def test_less_than_a_window_is_no_error(self):
        for count in (0, 1, 50):
            self.assertGreaterEqual(len(pitch_track(np.zeros(count), RATE).hz), 1)


class PolesTest(unittest.TestCase):
    def test_formants_of_a_vowel_are_its_poles(self):
        speech = Speech(buzz(110, 1.0, formants=(600, 1400, 2600, 3600)), RATE)
        found = speech.formants_hz
        self.assertLess(np.abs(found / np.array([600, 1400, 2600, 3600]) - 1).max(), 0.08)

    def test_poles_that_stay_give_the_filter_back(self):
        frames = np.random.default_rng(2).standard_normal((6, 400)).cumsum(axis=1) * np.hanning(400)
        a = lpc.predictors(frames, 12)
        found = lpc.poles(a)
        self.assertTrue((np.abs(found) < 1).all())
        self.assertLess(np.abs(np.array([np.poly(p).real for p in found]) - a).max(), 1e-6)

    def test_mcadams_brings_formants_together_around_one_radian(self):
        found = 0.95 * np.exp(1j * np.array([[0.5, -0.5, 1.0, -1.0, 2.0, -2.0]]))
        turned = np.abs(np.angle(lpc.moved(found, 0.8, 1.0)))[0]
        self.assertGreater(turned[0], 0.5)
        self.assertAlmostEqual(turned[2], 1.0)
        self.assertLess(turned[4], 2.0)
        # They come in pairs still.
        self.assertTrue(np.allclose(turned[::2], turned[1::2]))

    def test_a_formant_goes_where_it_is_wanted(self):
        speech = Speech(buzz(110, 1.0), RATE)
        wanted = np.array([600.0, 1700, 2700, 3800])
        moved = Speech(speech.said(speech.residual, bent=speech.bent_to(wanted)), RATE)
        self.assertLess(np.abs(moved.formants_hz / wanted - 1).max(), 0.1)


class SaidTest(unittest.TestCase):
    def test_taken_apart_and_put_together_it_is_the_same(self):
        for voice in voices()[:3]:
            speech = Speech(voice, RATE)
            again = speech.said(speech.residual)
            self.assertEqual(len(again), len(voice))
            self.assertGreater(np.corrcoef(again, voice)[0, 1], 0.95)

    def test_pitch_changes_and_formants_do_not(self):
        speech = Speech(buzz(110, 1.0), RATE)
        higher = Speech(speech.said(speech.at_pitch(speech.track.hz * 1.5)), RATE)
        self.assertAlmostEqual(higher.track.middle_hz / 165, 1, delta=0.03)
        self.assertLess(np.abs(higher.formants_hz / speech.formants_hz - 1).max(), 0.1)

    def test_formants_change_and_pitch_does_not(self):
        speech = Speech(buzz(110, 1.0), RATE)
        wider = Speech(shifted(speech, 0, 3), RATE)
        self.assertAlmostEqual(wider.track.middle_hz / 110, 1, delta=0.03)
        self.assertLess(np.abs(wider.formants_hz / speech.formants_hz / 2**0.25 - 1).max(), 0.08)

    def test_a_whisper_has_no_pitch(self):
        # A first formant over the pitch of voices: below, a resonance by itself may pass for one.
        speech = Speech(buzz(110, 2.0, formants=(800, 1400, 2500, 3500)), RATE)
        whispered = Speech(speech.said(speech.whispered(np.random.default_rng(4))), RATE)
        self.assertGreater((speech.track.hz > 0).mean(), 0.95)
        self.assertLess((whispered.track.hz > 0).mean(), 0.5)

    def test_speakers_have_one_spectrum_afterwards(self):
        def apart(spectra):
            return float(np.std([s[4:] - s[4:].mean() for s in spectra], axis=0).mean())

        plain = [long_spectrum(v, RATE) for v in voices()[:8]]
        even = [long_spectrum(with_long_spectrum(v, RATE), RATE) for v in voices()[:8]]
        self.assertLess(apart(even), 0.4 * apart(plain))
