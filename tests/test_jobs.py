"""Long work: progress, time left, cancel, and errors that come back to the caller."""

import threading
import unittest

from skiagraph.errors import Cancelled
from skiagraph.jobs import JobControl, Progress, format_left, read_ahead


class ProgressTest(unittest.TestCase):
    def test_time_left_is_the_mean_rate_so_far(self):
        self.assertAlmostEqual(Progress("x", 25, 100, 5.0).left_s, 15.0)
        for early in (Progress("x", 0, 100, 5.0), Progress("x", 5, None, 5.0), Progress("x", 1, 100, 0.1)):
            self.assertIsNone(early.left_s)
        self.assertEqual(Progress("x", 150, 100).share, 1.0)

    def test_time_left_in_words(self):
        self.assertEqual([format_left(s) for s in (None, 0.2, 59, 61, 3725)], ["", "1 s left", "59 s left", "1 min 01 s left", "1 h 02 min left"])

    def test_cancel_is_noticed_at_the_next_report(self):
        seen = []
        control = JobControl(seen.append)
        control.report("a", 1, 10)
        control.cancel()
        with self.assertRaises(Cancelled):
            control.report("a", 2, 10)
        with self.assertRaises(Cancelled):
            control.check()
        self.assertEqual([p.done for p in seen], [1])


class ReadAheadTest(unittest.TestCase):
    def test_items_come_in_order(self):
        self.assertEqual(list(read_ahead(iter(range(50)), 3)), list(range(50)))

    def test_an_error_comes_back_where_the_caller_stands(self):
        def items():
            yield 1
            raise KeyError("broken")

        got = []
        with self.assertRaises(KeyError):
            for item in read_ahead(items(), 2):
                got.append(item)
        self.assertEqual(got, [1])

    def test_leaving_early_ends_the_thread_and_closes_the_source(self):
        closed = []

        def items():
            try:
                n = 0
                while True:
                    yield n
                    n += 1
            finally:
                closed.append(True)

        ahead = read_ahead(items(), 2)
        self.assertEqual(next(ahead), 0)
        ahead.close()
        self.assertTrue(closed)
        self.assertFalse([t for t in threading.enumerate() if t.name == "read-ahead"])

    def test_it_never_runs_further_ahead_than_asked(self):
        made = []

        def items():
            for n in range(100):
                made.append(n)
                yield n

        ahead = read_ahead(items(), 3)
        for _ in range(10):
            taken = next(ahead)
            self.assertLessEqual(len(made) - taken, 6)
        ahead.close()
