"""Timecode at real rates, and nonsense refused in a sentence."""

import unittest
from fractions import Fraction

from skiagraph.errors import SkiagraphError
from skiagraph.timecode import Timecode, format_timecode, parse_timecode

RATES = (Fraction(24000, 1001), 24, 25, Fraction(30000, 1001), 50, Fraction(60000, 1001))


class TimecodeTest(unittest.TestCase):
    def test_there_and_back(self):
        for rate in RATES:
            for frame in (0, 1, 23, 24, 1799, 107892, 2589407):
                self.assertEqual(parse_timecode(format_timecode(frame, rate), rate), frame, (rate, frame))

    def test_shorter_forms_and_frame_numbers(self):
        self.assertEqual(
            [parse_timecode(text, 25) for text in ("7", "4:12", "1:00:00", " 00:00:04:12 ")], [7, 112, 1500, 112]
        )

    def test_negative(self):
        self.assertEqual(format_timecode(-26, 25), "-00:00:01:01")

    def test_nonsense(self):
        for text in ("", "abc", "1:2:3:4:5", "00:00:00:25", "00:61:00:00", "-4", "1.5"):
            with self.subTest(text), self.assertRaises(SkiagraphError) as caught:
                parse_timecode(text, 25)
            self.assertTrue(str(caught.exception).endswith("."))

    def test_the_source_begins_where_it_says(self):
        counted = Timecode.of(25, "10:00:00:00")
        self.assertEqual(
            (counted.text(0), counted.text(112), counted.frame("10:00:04:12")), ("10:00:00:00", "10:00:04:12", 112)
        )
        self.assertEqual(
            [counted.frame(text) for text in ("112", "4:12")], [112, 112], "shorter forms count from the first frame"
        )
        self.assertEqual(Timecode.of(25, "23:59:59:24").text(1), "00:00:00:00", "past midnight it begins anew")
        for nonsense in ("", "soon", "10:00:00:31", "10:61:00:00"):
            self.assertEqual(Timecode.of(25, nonsense).first, 0)

    def test_drop_frame_skips_numbers_and_keeps_step_with_the_clock(self):
        """Known pairs of SMPTE ST 12-1: the first two numbers of each minute but every tenth do not exist."""
        counted = Timecode.of(Fraction(30000, 1001), "00:00:00;00")
        for frame, text in (
            (0, "00:00:00;00"),
            (1799, "00:00:59;29"),
            (1800, "00:01:00;02"),
            (17981, "00:09:59;29"),
            (17982, "00:10:00;00"),
            (107892, "01:00:00;00"),
        ):
            self.assertEqual((counted.text(frame), counted.frame(text)), (text, frame))
        hour = 107892 / (30000 / 1001)
        self.assertLess(abs(hour - 3600), 0.01)
        double = Timecode.of(Fraction(60000, 1001), "09:59:59;59")
        self.assertTrue(all(double.frame(double.text(f)) == f for f in range(0, 250_000, 37)))
        self.assertEqual(Timecode.of(25, "01:00:00;00").drop, False, "at 25 nothing is dropped")
