"""Telling speech from other sound, and speakers from each other."""

import unittest

import numpy as np

from skiagraph.voice.activity import RATE, Activity, stretches
from skiagraph.voice.drawing import SIZE, desk_secret, lots
from skiagraph.voice.speakers import groups, likeness, mel_power
from tests.support import TemporaryFolder
from tests.voice.support import encoder, voices


class ActivityTest(unittest.TestCase):
    def test_speech_between_silence_and_noise_is_found(self):
        noise = np.random.default_rng(3).standard_normal(3 * RATE) * 0.01
        sound = np.concatenate([noise, voices()[0][: 4 * RATE], noise])
        activity = Activity()
        found = stretches(activity.heard(sound), activity.size / RATE)
        self.assertTrue(found)
        self.assertAlmostEqual(found[0][0], 3, delta=0.35)
        self.assertAlmostEqual(found[-1][1], 7, delta=0.6)

    def test_it_hears_the_same_in_any_blocks(self):
        sound = voices()[1][: 3 * RATE]
        whole = list(Activity().heard(sound))
        parts = Activity()
        self.assertEqual(whole, [p for n in range(0, len(sound), 700) for p in parts.heard(sound[n : n + 700])])

    def test_tones_and_silence_are_no_speech(self):
        for sound in (np.zeros(3 * RATE), 0.3 * np.sin(2 * np.pi * 440 * np.arange(3 * RATE) / RATE)):
            activity = Activity()
            self.assertEqual(stretches(activity.heard(sound), activity.size / RATE), [])

    def test_short_noises_go_and_short_pauses_are_bridged(self):
        step = 0.032
        probability = [0] * 20 + [1] * 3 + [0] * 30 + [1] * 30 + [0] * 4 + [1] * 30 + [0] * 30
        self.assertEqual(len(stretches(probability, step)), 1)


class SpeakersTest(unittest.TestCase):
    def test_one_speaker_is_nearer_than_another(self):
        every = [(encoder().describe(v[: len(v) // 2]), encoder().describe(v[len(v) // 2 :])) for v in voices()[::3]]
        same = [likeness(a, b) for a, b in every]
        other = [likeness(every[n][0], every[m][1]) for n in range(len(every)) for m in range(len(every)) if n != m]
        self.assertGreater(np.mean(same), np.mean(other) + 0.2)

    def test_what_describes_a_voice_does_not_depend_on_loudness(self):
        one, soft = (encoder().describe(voices()[0] * gain) for gain in (0.5, 0.05))
        self.assertGreater(likeness(one, soft), 0.98)

    def test_silence_is_nobody(self):
        self.assertFalse(encoder().describe(np.zeros(RATE)).any())
        self.assertEqual(mel_power(np.zeros(10)).shape[1], 40)

    def test_turns_of_a_conversation(self):
        a, b = voices()[0], voices()[18]
        talk = np.concatenate([a, b, a, b])
        turns = encoder().turns(talk)
        labels = groups([encoder().describe(talk[x:y]) for x, y in turns], [(y - x) / RATE for x, y in turns])
        self.assertEqual((turns[0][0], turns[-1][1]), (0, len(talk)))
        self.assertTrue(all(x[1] == y[0] for x, y in zip(turns, turns[1:])))
        who = np.concatenate([np.full((y - x) // 160, label) for (x, y), label in zip(turns, labels)])
        truth = np.repeat([0, 1, 0, 1], [len(v) // 160 for v in (a, b, a, b)])[: len(who)]
        who = who[: len(truth)]
        right = sum(max(((who == k) & (truth == s)).sum() for s in (0, 1)) for k in set(who.tolist()))
        self.assertGreater(right / len(truth), 0.85)

    def test_groups_of_nothing_and_of_one(self):
        self.assertEqual(groups([], []), [])
        self.assertEqual(groups([encoder().describe(voices()[0])], [5.0]), [0])


class DrawingTest(TemporaryFolder):
    def test_the_secret_is_made_once_and_for_its_owner_alone(self):
        one = desk_secret(self.folder / "desk")
        self.assertEqual((len(one), desk_secret(self.folder / "desk")), (SIZE, one))
        kept = next((self.folder / "desk").iterdir())
        self.assertEqual(kept.stat().st_mode & 0o777, 0o600)
        self.assertNotEqual(desk_secret(self.folder / "other"), one)

    def test_a_desk_that_cannot_keep_it_still_draws(self):
        (self.folder / "file").write_text("x")
        self.assertEqual(len(desk_secret(self.folder / "file")), SIZE)

    def test_lots_hang_on_the_secret_and_on_what_they_are_for(self):
        draw = [
            lots(secret, *about).random()
            for secret, about in ((b"a", ("x", 1)), (b"a", ("x", 1)), (b"b", ("x", 1)), (b"a", ("x", 2)))
        ]
        self.assertEqual(draw[0], draw[1])
        self.assertEqual(len(set(draw)), 3)
