"""What speed is told in: processor time, wherever it is spent."""

import subprocess
import sys
import unittest

from benchmarks.speed import processor_time

WORKS = "import time\nwhile time.process_time() < .4: pass\nprint(flush=True)\ninput()"


class ProcessorTimeTest(unittest.TestCase):
    def test_what_a_child_of_a_child_works_counts_while_it_lives_and_after(self):
        outer = (
            f"import subprocess, sys; inner = subprocess.run([sys.executable, '-c', {WORKS!r}]); print(flush=True);"
            " input()"
        )
        before = processor_time()
        with subprocess.Popen(
            [sys.executable, "-c", outer], stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True
        ) as child:
            child.stdout.readline()
            while_it_lives = processor_time() - before
            child.stdin.write("\n")
            child.stdin.flush()
            child.stdout.readline()
            after = processor_time() - before
            child.communicate("\n")
        self.assertGreater(while_it_lives, 0.3)
        self.assertGreater(after, 0.3)


if __name__ == "__main__":
    unittest.main()
