"""Jobs in a process of their own: what comes back, and how they end."""

import os
import threading
import unittest
from pathlib import Path
from unittest import mock

import numpy as np

from skiagraph.child_process import run_in_child
from skiagraph.errors import Cancelled, FrameNotDecoded, SkiagraphError
from skiagraph.jobs import JobControl


def _doubled(values, control, tell):
    for n, value in enumerate(values):
        control.report("Doubling", n + 1, len(values))
        tell(value)
    return values * 2, os.getpid()


def _endless(control, tell):
    tell("begun")
    while True:
        control.report("Waiting", 1)


def _damaged(control, tell):
    raise FrameNotDecoded("quay.mp4 is damaged at 00:00:03:12; cut it before.", frame=87, path="quay.mp4", time_s=3.48)


def _broken(control, tell):
    raise KeyError("no such key")


def _stuck(control, tell):
    """As a decoder that never comes back: says nothing, and hears nothing."""
    tell("stuck")
    while True:
        pass


def _dying(control, tell):
    os._exit(9)


class RunApartTest(unittest.TestCase):
    def test_values_progress_and_the_result_come_back_from_another_process(self):
        told, seen = [], []
        (doubled, process) = run_in_child(_doubled, np.arange(5), control=JobControl(seen.append), told=told.append)
        self.assertEqual(doubled.tolist(), [0, 2, 4, 6, 8])
        self.assertNotEqual(process, os.getpid())
        self.assertEqual(told, [0, 1, 2, 3, 4])
        self.assertEqual((seen[-1].step, seen[-1].done, seen[-1].total), ("Doubling", 5, 5))

    def test_cancelling_ends_it(self):
        control = JobControl()
        with self.assertRaises(Cancelled):
            run_in_child(_endless, control=control, told=lambda value: control.cancel())

    def test_a_process_that_is_stuck_is_ended_after_a_while(self):
        control = JobControl()
        with (
            mock.patch("skiagraph.child_process.STOP_S", 0.2),
            self.assertLogs("skiagraph"),
            self.assertRaises(Cancelled),
        ):
            run_in_child(_stuck, control=control, told=lambda value: control.cancel())

    def test_an_error_arrives_with_its_class_and_fields(self):
        with self.assertRaises(FrameNotDecoded) as caught:
            run_in_child(_damaged, control=JobControl())
        self.assertEqual(
            (str(caught.exception), caught.exception.frame), ("quay.mp4 is damaged at 00:00:03:12; cut it before.", 87)
        )
        self.assertEqual((caught.exception.time_s, caught.exception.path), (3.48, Path("quay.mp4")))

    def test_what_was_not_foreseen_arrives_as_a_sentence_too(self):
        with self.assertRaisesRegex(SkiagraphError, "Something unexpected went wrong .*no such key.*log"):
            run_in_child(_broken, control=JobControl())

    def test_a_process_that_dies_is_an_error_and_not_a_wait_for_ever(self):
        with self.assertLogs("skiagraph"), self.assertRaisesRegex(SkiagraphError, "ended with code 9.*begin it again"):
            run_in_child(_dying, control=JobControl())

    def test_no_process_is_left_when_the_listener_fails(self):
        before = threading.active_count()

        def refuse(value):
            raise RuntimeError("not wanted")

        with self.assertRaises(RuntimeError):
            run_in_child(_endless, control=JobControl(), told=refuse)
        self.assertEqual(threading.active_count(), before)
