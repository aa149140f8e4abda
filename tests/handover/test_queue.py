"""The queue: in order, through failures, pauses and crashes, with nothing lost and nothing overwritten."""

import os
import signal
import subprocess
import sys
import threading
from pathlib import Path

from skiagraph.errors import Cancelled
from skiagraph.footage.adding import add_clip
from skiagraph.handover.companions.edit_list import Otio
from skiagraph.handover.delivery import planned
from skiagraph.handover.queue import Queue, State, left_s
from skiagraph.handover.worker import QueueWorker
from skiagraph.handover.writers.film import CoveredFilm
from skiagraph.jobs import JobControl, Progress
from skiagraph.media.index import open_clip
from skiagraph.media.reader import FrameReader
from skiagraph.project.model import Decision
from tests.support import TemporaryFolder, changed_subject, head_path, make_clip, opened, project_on

ROOT = Path(__file__).resolve().parents[2]
# Works on a queue until it is killed: it says when each job runs, and how far it is.
WORKER = """
import sys
from skiagraph.handover.queue import Queue
from skiagraph.handover.worker import QueueWorker
if __name__ == "__main__":
    def told(news):
        print(news.job.title, news.job.state, news.progress.done if news.progress else "", flush=True)
    QueueWorker(Queue(sys.argv[1]), told).work()
"""


class QueueTest(TemporaryFolder):
    def setUp(self):
        super().setUp()
        self.project = project_on(make_clip(self.folder / "quay.mp4", 12), head_path(0, 12))
        self.project = add_clip(self.project, *opened(make_clip(self.folder / "hall.mp4", 8)))
        self.out = self.folder / "out"
        self.queue = Queue(self.folder / "queue")

    def order(self, keys=("c1", "c2"), format="ffv1-mkv", companions=(), **more):
        return self.queue.add(
            self.project,
            "harbour",
            planned(self.project, keys, self.out, (CoveredFilm(format),)),
            companions,
            check=False,
            **more,
        )

    def states(self):
        return {job.title: str(job.state) for job in Queue(self.queue.folder).jobs}

    def test_jobs_are_done_in_order_and_what_goes_beside_them_last(self):
        self.order(companions=(Otio(),))
        news = []
        self.assertEqual(QueueWorker(self.queue, news.append).work(), 3)
        self.assertEqual(
            [n.job.title for n in news if n.progress is None and n.job.state == State.RUNNING],
            ["quay-covered.mkv", "hall-covered.mkv", "Edit list as OTIO"],
        )
        self.assertEqual(set(self.states().values()), {"done"})
        self.assertEqual(
            sorted(p.name for p in self.out.iterdir()), ["hall-covered.mkv", "harbour.otio", "quay-covered.mkv"]
        )
        self.assertTrue(all(job.said.startswith("Written") for job in self.queue.jobs))
        self.assertEqual({n.progress.step for n in news if n.progress}, {"Exporting"})

    def test_one_that_fails_leaves_the_others_and_may_be_tried_again(self):
        first, _ = self.order()
        moved = self.folder / "quay.mp4"
        moved.rename(self.folder / "elsewhere.mp4")
        QueueWorker(self.queue).work()
        self.assertEqual(self.states(), {"quay-covered.mkv": "failed", "hall-covered.mkv": "done"})
        self.assertSentence(self.queue.job(first.key).said, "quay.mp4")
        (self.folder / "elsewhere.mp4").rename(moved)
        self.queue.retry(first.key)
        QueueWorker(self.queue).work()
        self.assertEqual(set(self.states().values()), {"done"})

    def test_the_project_leaves_as_it_was_when_it_was_ordered(self):
        self.order(("c1",))
        self.project = changed_subject(self.project, "s1", decision=Decision.SHOW)
        QueueWorker(self.queue).work()
        with (
            FrameReader(*open_clip(self.out / "quay-covered.mkv")) as out,
            FrameReader(*open_clip(self.folder / "quay.mp4")) as source,
        ):
            self.assertFalse((out.read(3).grey() == source.read(3).grey()).all())

    def test_order_can_be_changed_and_a_waiting_job_given_up(self):
        one, two = self.order()
        self.queue.move(two.key, -1)
        self.assertEqual([j.key for j in self.queue.jobs], [two.key, one.key])
        for key, by in ((two.key, -1), (one.key, 1), ("nobody", 1)):
            self.queue.move(key, by)
        self.assertEqual([j.key for j in self.queue.jobs], [two.key, one.key])
        QueueWorker(self.queue).cancel(two.key)
        QueueWorker(self.queue).work()
        self.assertEqual(self.states(), {"hall-covered.mkv": "cancelled", "quay-covered.mkv": "done"})
        self.queue.remove_ended()
        self.assertEqual((self.queue.jobs, [p for p in self.queue.folder.iterdir() if p.is_dir()]), ((), []))

    def test_what_exists_is_not_overwritten_without_a_word(self):
        self.out.mkdir()
        (self.out / "quay-covered.mkv").write_bytes(b"somebody's")
        self.order(("c1",))
        QueueWorker(self.queue).work()
        self.assertSentence(self.queue.jobs[0].said, "exists already")
        self.assertEqual((self.out / "quay-covered.mkv").read_bytes(), b"somebody's")
        self.order(("c1",), may_replace=True)
        QueueWorker(self.queue).work()
        self.assertEqual(len(open_clip(self.out / "quay-covered.mkv")[1]), 12)

    def test_paused_it_begins_nothing_and_holds_what_runs(self):
        self.order()
        self.queue.pause(True)
        self.assertEqual(QueueWorker(self.queue).work(), 0)
        self.queue.pause(False)
        held, steps = threading.Event(), []

        def told(news):
            if news.progress and news.progress.done and not held.is_set():
                worker.pause(True)
                held.set()
            elif news.progress and held.is_set() and self.queue.paused:
                steps.append(news.progress.done)

        worker = QueueWorker(self.queue, told)
        thread = threading.Thread(target=worker.work)
        thread.start()
        self.assertTrue(held.wait(60))
        self.assertEqual(self.queue.jobs[0].state, State.RUNNING)
        self.assertFalse((self.out / "quay-covered.mkv").exists())
        worker.pause(False)
        thread.join(60)
        self.assertEqual((set(self.states().values()), steps), ({"done"}, []))

    def test_stopped_it_goes_on_later(self):
        self.order()
        worker = QueueWorker(self.queue, lambda news: worker.stop() if news.progress else None)
        worker.work()
        self.assertEqual(set(self.states().values()), {"waiting"})
        self.assertFalse(any(self.out.glob("*.mkv")))
        QueueWorker(self.queue).work()
        self.assertEqual(set(self.states().values()), {"done"})

    def test_killed_it_goes_on(self):
        self.project = add_clip(self.project, *opened(make_clip(self.folder / "long.mp4", 120, size=(640, 360))))
        self.order(("c1", "c3", "c2"), "h265-mp4")
        script = self.folder / "worker.py"
        script.write_text(WORKER)
        process = subprocess.Popen(
            [sys.executable, str(script), str(self.queue.folder)],
            stdout=subprocess.PIPE,
            text=True,
            cwd=ROOT,
            start_new_session=True,
            env={**os.environ, "PYTHONPATH": str(ROOT), "XDG_CACHE_HOME": str(self.folder / "cache")},
        )
        for line in process.stdout:
            if line.startswith("long-covered") and line.split()[-1].isdigit() and int(line.split()[-1]) > 3:
                break
        with Queue(self.queue.folder).working() as mine:
            self.assertFalse(mine, "one at a time works on it")
        os.killpg(process.pid, signal.SIGKILL)
        process.wait()
        process.stdout.close()
        self.assertEqual(self.states()["long-covered.mp4"], "running")
        first = (self.out / "quay-covered.mp4").stat().st_mtime_ns
        QueueWorker(self.queue).work()
        self.assertEqual(set(self.states().values()), {"done"})
        self.assertEqual(
            sorted(p.name for p in self.out.iterdir()),
            ["hall-covered.mp4", "long-covered.mp4", "quay-covered.mp4"],
            "and nothing half-written is left",
        )
        self.assertEqual((self.out / "quay-covered.mp4").stat().st_mtime_ns, first, "what was whole is not made again")
        self.assertEqual(len(open_clip(self.out / "long-covered.mp4")[1]), 120)

    def test_a_queue_that_cannot_be_read_is_put_aside(self):
        self.order()
        (self.queue.folder / "queue.json").write_text("{")
        with self.assertLogs("skiagraph"):
            self.assertEqual(self.queue.jobs, ())
        self.assertTrue((self.queue.folder / "queue.damaged.json").exists())
        self.order()
        self.assertEqual(len(self.queue.jobs), 2)

    def test_time_left_counts_the_check_and_what_waits(self):
        one, two = self.order()
        progress = Progress("Exporting", 6, 12, 3.0, 2.0)
        self.assertEqual(left_s([two], one, progress, 0.0), (3.0, None))
        mine, every = left_s([two], one, progress, 1e-4)
        self.assertAlmostEqual(every - mine, two.frames * two.pixels * 1e-4)


class HeldTest(TemporaryFolder):
    def test_a_held_job_waits_and_may_be_cancelled(self):
        control, reached = JobControl(), threading.Event()
        control.hold()
        outcome = []

        def job():
            reached.set()
            try:
                control.report("Working", 1, 2)
                outcome.append("went on")
            except Cancelled:
                outcome.append("cancelled")

        for wish, expected in ((control.go_on, "went on"), (control.cancel, "cancelled")):
            control.hold()
            reached.clear()
            thread = threading.Thread(target=job)
            thread.start()
            reached.wait(10)
            self.assertTrue(control.held and not outcome)
            wish()
            thread.join(10)
            self.assertEqual(outcome.pop(), expected)
