"""Decoders in processes of their own: what crashes, hangs or swallows memory there is a sentence here."""

import os
import select
import signal
import subprocess
import sys
import unittest
from pathlib import Path
from unittest.mock import patch

from skiagraph.errors import Cancelled, CannotOpenMedia, FrameNotDecoded
from skiagraph.jobs import JobControl
from skiagraph.media import confined, reader
from skiagraph.media.confined import Confined, Ended, answered
from skiagraph.media.index import open_clip
from skiagraph.media.reader import FrameReader
from tests.support import TemporaryFolder, make_clip, read_number


def echoing(inside, *words):
    for request in inside.requests():
        inside.answer((*words, request))


def crashing(inside, *_):
    for _ in inside.requests():
        os.kill(os.getpid(), signal.SIGSEGV)


def spinning(inside, *_):
    next(inside.requests())
    inside.answer("loaded")
    for _ in inside.requests():
        while True:
            pass


def waiting(inside, *_):
    next(inside.requests())
    inside.answer("loaded")
    for _ in inside.requests():
        signal.pause()


def ended(inside, *_):
    for _ in inside.requests():
        os.kill(os.getpid(), signal.SIGKILL)


def working_on(inside):
    for _ in inside.requests():
        for n in range(1_000_000):
            inside.control.report("Counting", n, None)


def swallowing(inside):
    for _ in inside.requests():
        inside.answer(len(bytearray(4 << 30)))


def mistaken(inside):
    for _ in inside.requests():
        raise ValueError("a mistake of ours")


def writing(inside, path):
    for _ in inside.requests():
        try:
            with open(path, "wb") as file:
                file.write(b"x" * 100)
            inside.answer("written")
        except OSError as error:
            inside.answer(type(error).__name__)


def crashing_at_five(inside, info, index, how):
    real = reader.serve
    requests = inside.requests

    def until_five():
        for number in requests():
            if number == 5:
                os.abort()
            yield number

    inside.requests = until_five
    real(inside, info, index, how)


class Watched:
    """A process that is told from all others, also from a later one with its number, and whose end is waited for
    without using the processor."""

    def __init__(self, pid):
        self.pid = pid
        try:
            self._handle = os.pidfd_open(pid)
        except ProcessLookupError:
            self._handle = None

    def ends(self):
        """True when it has ended, which may take the system a moment after it was told to."""
        if self._handle is None:
            return True
        try:
            # Milliseconds where all is well; a machine that is shared may stand still meanwhile.
            return bool(select.select([self._handle], [], [], 120)[0])
        finally:
            os.close(self._handle)
            self._handle = None

    def state(self):
        """What the system says of it, for whoever reads why a test failed."""
        try:
            return Path(f"/proc/{self.pid}/status").read_text()
        except OSError as error:
            return str(error)


class ConfinedTest(unittest.TestCase):
    def confined(self, target, *arguments):
        made = Confined(target, *arguments, name="film.mp4")
        self.addCleanup(made.close)
        return made

    def assert_ends(self, watched):
        self.assertTrue(watched.ends(), watched.state())

    def test_answers_come_in_order(self):
        made = self.confined(echoing, "a", "b")
        self.assertEqual([made.ask(n) for n in range(3)], [("a", "b", 0), ("a", "b", 1), ("a", "b", 2)])

    def test_a_crash_is_told_from_a_process_that_was_ended(self):
        with self.assertRaises(Ended) as caught:
            self.confined(crashing).ask()
        self.assertTrue(caught.exception.by_file)
        made = self.confined(waiting)
        os.kill(made._pid, signal.SIGKILL)
        with self.assertRaises(Ended) as caught:
            made.ask()
        self.assertFalse(caught.exception.by_file)

    def test_whoever_hangs_is_ended(self):
        for target, by_file in ((spinning, True), (waiting, False)):
            with self.subTest(target.__name__):
                made = self.confined(target)
                # What loading takes is no work on the file.
                self.assertEqual(made.ask(), "loaded")
                with patch.object(confined, "SILENT_S", 0.8):
                    with self.assertRaises(Ended) as caught:
                        made.ask()
                self.assertEqual(caught.exception.by_file, by_file)
                self.assert_ends(Watched(made._pid))

    def test_memory_has_a_limit(self):
        with self.assertRaises(Ended) as caught:
            self.confined(swallowing).ask()
        self.assertIn("memory", caught.exception.why)
        self.assertTrue(caught.exception.by_file)

    def test_what_was_not_expected_is_no_fault_of_the_file(self):
        with self.assertRaisesRegex(RuntimeError, "a mistake of ours"), self.assertLogs("skiagraph", "ERROR"):
            self.confined(mistaken).ask()

    def test_cancel_ends_it_at_once(self):
        control = JobControl()
        made = self.confined(working_on)
        control.listener = lambda progress: progress.done > 100 and control.cancel()
        with self.assertRaises(Cancelled):
            made.ask(control=control)
        self.assert_ends(Watched(made._pid))

    def test_it_writes_no_file(self):
        path = Path(f"/tmp/skiagraph-{os.getpid()}-confined")
        self.addCleanup(path.unlink, missing_ok=True)
        self.assertEqual(self.confined(writing, path).ask(), "OSError")

    def test_a_sentence_names_the_file(self):
        with self.assertRaisesRegex(CannotOpenMedia, r"^film\.mp4 cannot be decoded: .*signal 11.*\.$"):
            answered(crashing, name="film.mp4", error=CannotOpenMedia)

    def test_it_ends_with_whoever_started_it(self):
        code = (
            "from skiagraph.media.confined import Confined; from tests.media.test_confined import spinning, echoing;"
            " import time\nmade = Confined(spinning, name='x'); made.ask(); made._connection.send(None);"
            " print(made._pid, flush=True); time.sleep(60)"
        )
        holder = subprocess.Popen(
            [sys.executable, "-c", code], stdout=subprocess.PIPE, text=True, cwd=Path(__file__).parents[2]
        )
        with holder.stdout:
            watched = Watched(int(holder.stdout.readline()))
            self.assertRegex(watched.state(), r"State:\s+[RSD]")
            holder.kill()
            holder.wait()
        self.assert_ends(watched)


class ReaderTest(TemporaryFolder):
    def setUp(self):
        super().setUp()
        self.info, self.index = open_clip(make_clip(self.folder / "film.mp4", 20))

    def test_a_decoder_that_somebody_ended_is_begun_again(self):
        with FrameReader(self.info, self.index) as frames:
            frames.read(3)
            os.kill(frames._confined._pid, signal.SIGKILL)
            self.assertEqual(read_number(frames.read(4).grey()), 4)

    def test_a_decoder_that_crashes_is_damage_at_that_frame(self):
        with patch.object(reader, "serve", crashing_at_five), FrameReader(self.info, self.index) as frames:
            self.assertEqual([read_number(frames.read(n).grey()) for n in range(5)], list(range(5)))
            with self.assertRaises(FrameNotDecoded) as caught:
                frames.read(5)
        self.assertEqual(caught.exception.frame, 5)
        self.assertRegex(
            str(caught.exception),
            r"^film\.mp4 is damaged at 00:00:00:05 \(the decoder stops there: .*signal 6\); the 5 frames before it",
        )

    def test_a_decoder_that_cannot_be_kept_alive_is_no_damage(self):
        with patch.object(reader, "serve", ended), FrameReader(self.info, self.index) as frames:
            with self.assertRaisesRegex(CannotOpenMedia, "try again"):
                frames.read(0)
