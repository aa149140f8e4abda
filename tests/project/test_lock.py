"""One writer for a project: another process is told who works on it, and a lock left behind stops nobody."""

import json
import os
import subprocess
import sys
import threading
from pathlib import Path

from skiagraph.errors import Cancelled, ProjectInUse
from skiagraph.jobs import JobControl
from skiagraph.project.lock import ProjectLock, lock_file
from tests.support import TemporaryFolder

HOLDS = (
    "import sys\nfrom skiagraph.project.lock import ProjectLock\nlock = ProjectLock.take(sys.argv[1])\nprint('held',"
    " flush=True)\nsys.stdin.read()"
)


class LockTest(TemporaryFolder):
    def setUp(self):
        super().setUp()
        self.project = self.folder / "p.skiagraph"

    def elsewhere(self):
        process = subprocess.Popen(
            [sys.executable, "-c", HOLDS, str(self.project)],
            stdin=subprocess.PIPE,
            stdout=subprocess.PIPE,
            text=True,
            cwd=Path(__file__).parents[2],
        )
        self.addCleanup(lambda: (process.kill(), process.wait(), process.stdin.close(), process.stdout.close()))
        self.assertEqual(process.stdout.readline().strip(), "held")
        return process

    def test_another_process_is_named(self):
        process = self.elsewhere()
        with self.assertRaises(ProjectInUse) as caught:
            ProjectLock.take(self.project)
        self.assertSentence(str(caught.exception), "p.skiagraph", f"process {process.pid}")
        self.assertEqual(caught.exception.holder.pid, process.pid)

    def test_it_goes_with_its_process_however_that_ends(self):
        process = self.elsewhere()
        process.kill()
        process.wait()
        self.assertTrue(lock_file(self.project).exists(), "left behind")
        with ProjectLock.take(self.project):
            self.assertEqual(json.loads(lock_file(self.project).read_text())["pid"], os.getpid())
        self.assertFalse(lock_file(self.project).exists())

    def test_a_link_to_a_project_is_the_project(self):
        link = self.folder / "link.skiagraph"
        self.project.write_text("{}")
        link.symlink_to(self.project)
        with ProjectLock.take(self.project), self.assertRaises(ProjectInUse):
            ProjectLock.take(link)

    def test_waiting_ends_when_it_is_let_go_and_can_be_cancelled(self):
        process, control = self.elsewhere(), JobControl()
        control = JobControl(
            lambda progress: process.stdin.close() if progress.done == 2 and not process.stdin.closed else None
        )
        with ProjectLock.wait(self.project, control):
            pass
        held = ProjectLock.take(self.project)
        cancelled = JobControl(lambda progress: cancelled.cancel())
        with self.assertRaises(Cancelled):
            ProjectLock.wait(self.project, cancelled)
        held.release()
        held.release()

    def test_only_one_of_many_gets_it(self):
        got, barrier = [], threading.Barrier(8)

        def take():
            barrier.wait()
            try:
                got.append(ProjectLock.take(self.project))
            except ProjectInUse:
                pass

        threads = [threading.Thread(target=take) for _ in range(8)]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join()
        self.assertEqual(len(got), 1)
        got[0].release()
