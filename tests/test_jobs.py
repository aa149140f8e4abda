"""Long work: progress, time left, cancel, and errors that come back to the caller."""

import threading
import unittest
import unittest.mock

from skiagraph.errors import Cancelled
from skiagraph.jobs import JobControl, Progress, format_left, read_ahead


class ProgressTest(unittest.TestCase):
    def test_time_left_is_the_mean_rate_so_far(self):
        self.assertAlmostEqual(Progress("x", 25, 100, 5.0).left_s, 15.0)
        for early in (Progress("x", 0, 100, 5.0), Progress("x", 5, None, 5.0), Progress("x", 1, 100, 0.1)):
            self.assertIsNone(early.left_s)
        self.assertEqual(Progress("x", 150, 100).share, 1.0)

    def test_time_left_follows_the_rate_of_late(self):
        told, clock = [], [0.0]
        with unittest.mock.patch("skiagraph.jobs.time.monotonic", lambda: clock[0]):
            control = JobControl(told.append)
            # Two hundred frames a second at first, then ten.
            for second in range(61):
                control.report("x", 200 * second, 24000)
                clock[0] += 1
            for second in range(1, 121):
                control.report("x", 12000 + 10 * second, 24000)
                clock[0] += 1
            self.assertAlmostEqual(told[60].left_s, 60, delta=3)
            self.assertAlmostEqual(told[-1].left_s, 1080, delta=40)
            control.report("y", 0, 100)
            self.assertIsNone(told[-1].left_s, "another step begins anew")

    def test_time_left_in_words(self):
        self.assertEqual(
            [format_left(s) for s in (None, 0.2, 59, 61, 3725)],
            ["", "1 s left", "59 s left", "1 min 01 s left", "1 h 02 min left"],
        )

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
