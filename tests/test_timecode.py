"""Timecode at real rates, and nonsense refused in a sentence."""

import unittest
from fractions import Fraction

from skiagraph.errors import SkiagraphError
from skiagraph.timecode import format_timecode, parse_timecode

RATES = (Fraction(24000, 1001), 24, 25, Fraction(30000, 1001), 50, Fraction(60000, 1001))


class TimecodeTest(unittest.TestCase):
    def test_there_and_back(self):
        for rate in RATES:
            for frame in (0, 1, 23, 24, 1799, 107892, 2589407):
                self.assertEqual(parse_timecode(format_timecode(frame, rate), rate), frame, (rate, frame))

    def test_shorter_forms_and_frame_numbers(self):
        self.assertEqual([parse_timecode(text, 25) for text in ("7", "4:12", "1:00:00", " 00:00:04:12 ")], [7, 112, 1500, 112])

    def test_negative(self):
        self.assertEqual(format_timecode(-26, 25), "-00:00:01:01")

    def test_nonsense(self):
        for text in ("", "abc", "1:2:3:4:5", "00:00:00:25", "00:61:00:00", "-4", "1.5"):
            with self.subTest(text), self.assertRaises(SkiagraphError) as caught:
                parse_timecode(text, 25)
            self.assertTrue(str(caught.exception).endswith("."))
