"""Freed pictures go back to the system."""

import subprocess
import sys
import unittest

CODE = """
import re, threading
import numpy as np
from skiagraph.memory import give_back_large_buffers
assert give_back_large_buffers()

def resident():
    return int(re.search(r"VmRSS:\\s+(\\d+)", open("/proc/self/status").read()).group(1)) / 1024

def work(kept):
    for n in range(40):
        kept.append((np.ones(3_000_000, np.uint8), np.ones(200, np.uint8)))

kept = [[] for _ in range(4)]
threads = [threading.Thread(target=work, args=(k,)) for k in kept]
[t.start() for t in threads]
[t.join() for t in threads]
full = resident()
kept = [[small for _, small in k] for k in kept]
print(full - resident())
"""


class MemoryTest(unittest.TestCase):
    @unittest.skipUnless(sys.platform == "linux", "of the C library of Linux")
    def test_large_buffers_go_back_when_they_are_freed(self):
        done = subprocess.run([sys.executable, "-c", CODE], capture_output=True, text=True, timeout=60)
        self.assertGreater(float(done.stdout), 400, done.stderr)
