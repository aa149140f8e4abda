"""Laying disguises over a stream: outside bit for bit, inside never plain, whatever the blocks are."""

import unittest

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from skiagraph.media.samples import as_float, as_kind
from skiagraph.voice.disguise import Disguise
from skiagraph.voice.laying import Laying, Plan, Range, Span
from tests.voice.support import voices

RATE = 16000
SECRET = b"x" * 32
TONE = Disguise.kinds["tone"](hz=440.0)
SILENCE = Disguise.kinds["silence"]()


def blocks(samples, sizes, at=0):
    place = 0
    n = 0
    while place < len(samples):
        size = sizes[n % len(sizes)]
        yield at + place, samples[place : place + size]
        place, n = place + size, n + 1


def through(laying, samples, sizes=(1024,), at=0):
    made, place = [], at
    for where, block in laying.over(blocks(samples, sizes, at)):
        assert where == place, "in order, without gaps"
        made.append(block)
        place += len(block)
    return np.concatenate(made) if made else samples[:0]


def noise(seconds, channels=1, kind=np.int16):
    return as_kind(np.random.default_rng(1).uniform(-0.5, 0.5, (int(seconds * RATE), channels)), np.dtype(kind))


class LayingTest(unittest.TestCase):
    def test_outside_nothing_changes_in_any_kind_of_samples(self):
        for kind in (np.uint8, np.int16, np.int32, np.float32, np.float64):
            samples = noise(2, 2, kind)
            laying = Laying((Span(8000, 16000, SILENCE),), RATE, SECRET)
            made = through(laying, samples)
            fade = laying.fade
            self.assertEqual(made.dtype, samples.dtype)
            self.assertTrue(np.array_equal(made[: 8000 - fade], samples[: 8000 - fade]))
            self.assertTrue(np.array_equal(made[16000 + fade :], samples[16000 + fade :]))
            self.assertFalse(as_float(made[8000:16000]).any())

    @settings(max_examples=40, deadline=None)
    @given(
        st.lists(st.tuples(st.integers(-2000, 30000), st.integers(1, 12000)), max_size=5),
        st.lists(st.integers(1, 5000), min_size=1, max_size=4),
        st.integers(-3000, 3000),
    )
    def test_whatever_overlaps_nothing_inside_is_plain(self, spans, sizes, at):
        samples = noise(1.5)
        spans = tuple(Span(first, first + length, SILENCE) for first, length in spans)
        laying = Laying(spans, RATE, SECRET)
        made = through(laying, samples, sizes, at)
        self.assertEqual(made.shape, samples.shape)
        places = np.arange(len(samples)) + at
        inside = np.zeros(len(samples), bool)
        near = np.zeros(len(samples), bool)
        for span in spans:
            inside |= (places >= span.first) & (places < span.after)
            near |= (places >= span.first - laying.fade) & (places < span.after + laying.fade)
        self.assertFalse(made[inside].any())
        self.assertTrue(np.array_equal(made[~near], samples[~near]))

    def test_one_channel_leaves_the_others(self):
        samples = noise(1, 3)
        made = through(Laying((Span(2000, 9000, SILENCE, channels=(1,)),), RATE, SECRET), samples)
        self.assertTrue(np.array_equal(made[:, [0, 2]], samples[:, [0, 2]]))
        self.assertFalse(made[2000:9000, 1].any())

    def test_no_click_at_the_ends(self):
        hum = (0.4 * np.sin(np.arange(2 * RATE) * 0.02))[:, None]
        made = through(Laying((Span(8000, 16000, TONE),), RATE, SECRET), hum)
        most = max(np.abs(np.diff(hum[:, 0])).max(), 0.1 * 2 * np.pi * 440 / RATE)
        for place in (8000, 16000):
            self.assertLess(np.abs(np.diff(made[place - 600 : place + 600, 0])).max(), 1.6 * most)

    def test_a_long_range_is_drawn_anew_in_segments_and_heard_the_same_from_the_middle(self):
        speech = np.concatenate([*voices()[:4], *voices()[:4]])[:, None]
        altered = Disguise.kinds["altered"](anew=8.0)
        laying = Laying((Span(1000, 38 * RATE, altered, ("a",)),), RATE, SECRET)
        whole = through(laying, speech)
        for seconds in (5, 17, 30):
            begin = max(0, laying.needed_from(seconds * RATE))
            self.assertLess(seconds * RATE - begin, 16 * RATE)
            part = through(laying, speech[begin:], (777,), at=begin)
            self.assertTrue(np.array_equal(part[seconds * RATE - begin :], whole[seconds * RATE :]), seconds)

    def test_the_end_of_the_sound_inside_of_a_range(self):
        samples = noise(1)
        made = through(Laying((Span(8000, 99999, SILENCE),), RATE, SECRET), samples)
        self.assertEqual(len(made), len(samples))
        self.assertFalse(made[8000:].any())

    def test_times_become_the_samples_at_or_outside_of_them(self):
        laying = Plan((Range(0.5, 1.000001, SILENCE), Range(1.5, 2.0, SILENCE)), SECRET).at(44100)
        self.assertEqual([(s.first, s.after) for s in laying.spans], [(22050, 44101), (66150, 88200)])
