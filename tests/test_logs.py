"""The log: several processes write to it whole lines, and it is put aside before it grows for ever."""

import logging
import subprocess
import sys
from pathlib import Path

from skiagraph import logs
from tests.support import TemporaryFolder

WRITES = (
    "import logging, sys\nfrom pathlib import Path\nfrom skiagraph.logs import SharedFileHandler\nhandler ="
    " SharedFileHandler(Path(sys.argv[1]))\nhandler.setFormatter(logging.Formatter('%(message)s'))\nlog ="
    " logging.getLogger('x')\nlog.addHandler(handler)\nlog.propagate = False\nfor n in range(300): log.error('%s %04d"
    " %s', sys.argv[2], n, 'z' * 60)"
)


class LogTest(TemporaryFolder):
    def test_two_processes_share_it_and_no_line_is_lost_or_torn(self):
        place = self.folder / "a.log"
        root = Path(__file__).parents[1]
        running = [
            subprocess.Popen([sys.executable, "-c", WRITES, str(place), name], cwd=root) for name in ("one", "two")
        ]
        self.assertEqual([p.wait() for p in running], [0, 0])
        lines = place.read_text().splitlines()
        self.assertEqual(len(lines), 600)
        for name in ("one", "two"):
            self.assertEqual(
                [line.split()[1] for line in lines if line.startswith(name)], [f"{n:04d}" for n in range(300)]
            )
        self.assertTrue(all(len(line) == len("one 0000 ") + 60 for line in lines))

    def test_it_rotates_and_keeps_a_few(self):
        place, handler = self.folder / "a.log", logs.SharedFileHandler(self.folder / "a.log")
        most, logs.MOST_BYTES = logs.MOST_BYTES, 1000
        self.addCleanup(setattr, logs, "MOST_BYTES", most)
        for n in range(200):
            handler.emit(logging.LogRecord("x", logging.ERROR, "", 0, f"line {n} " + "y" * 40, (), None))
        names = sorted(p.name for p in self.folder.glob("a.log*") if not p.name.endswith(".lock"))
        self.assertEqual(names, ["a.log", "a.log.1", "a.log.2", "a.log.3"])
        self.assertTrue(all((self.folder / name).stat().st_size <= 1000 for name in names))
        self.assertIn("line 199", place.read_text())

    def test_a_log_that_cannot_be_written_stops_nobody(self):
        logs.SharedFileHandler(self.folder / "no" / "such" / "a.log").emit(
            logging.LogRecord("x", logging.ERROR, "", 0, "lost \udcff", (), None)
        )
