"""Nothing leaves the machine, and nothing is kept outside our own folders: a whole job under a watch that ends it at
the first socket to anywhere.

The watch is a seccomp filter (Linux, prctl(2) and seccomp(2)): the kernel ends the process, and all it starts, when one
asks for a socket that is not a local one (AF_UNIX). Looking up a name needs such a socket too.
"""

import os
import platform
import signal
import subprocess
import sys
import unittest
from pathlib import Path

from skiagraph.demo.ship import shipped
from tests.support import TemporaryFolder

# Architecture → its number for the filter, and the number of socket(2) there (linux/audit.h, asm/unistd.h).
KNOWN = {"x86_64": (0xC000003E, 41), "aarch64": (0xC00000B7, 198)}

WATCH = """
import ctypes, struct, sys
arch, socket_call = int(sys.argv[1]), int(sys.argv[2])
LOAD, EQUAL, RETURN, ALLOW, KILL, AF_UNIX = 0x20, 0x15, 0x06, 0x7fff0000, 0x80000000, 1
steps = [(LOAD, 0, 0, 4), (EQUAL, 1, 0, arch), (RETURN, 0, 0, KILL),
         (LOAD, 0, 0, 0), (EQUAL, 1, 0, socket_call), (RETURN, 0, 0, ALLOW),
         (LOAD, 0, 0, 16), (EQUAL, 0, 1, AF_UNIX), (RETURN, 0, 0, ALLOW), (RETURN, 0, 0, KILL)]
code = ctypes.create_string_buffer(b"".join(struct.pack("HBBI", *step) for step in steps))
program = ctypes.create_string_buffer(struct.pack("HxxxxxxP", len(steps), ctypes.addressof(code)))
libc = ctypes.CDLL(None, use_errno=True)
if libc.prctl(38, 1, 0, 0, 0) or libc.prctl(22, 2, program, 0, 0):
    sys.exit(77)
"""
JOB = (
    WATCH
    + """
from skiagraph.cli import main
clip, folder = sys.argv[3:]
codes = [main(["scan", clip, "-o", folder + "/p.skiagraph"]),
         main(["render", folder + "/p.skiagraph", "-o", folder + "/o.mp4"]),
         main(["check", folder + "/p.skiagraph", "--file", folder + "/o.mp4"])]
sys.exit(0 if codes[:2] == [0, 0] and codes[2] in (0, 3) else 1)
"""
)


@unittest.skipUnless(platform.machine() in KNOWN, "the filter is written for x86_64 and aarch64")
class NothingLeavesTest(TemporaryFolder):
    def run_watched(self, program, *arguments):
        home = self.folder / "home"
        home.mkdir(exist_ok=True)
        environment = {k: v for k, v in os.environ.items() if not k.startswith(("ORT_", "XDG_"))}
        done = subprocess.run(
            [sys.executable, "-c", program, *map(str, KNOWN[platform.machine()]), *map(str, arguments)],
            env={**environment, "HOME": str(home)},
            cwd=Path(__file__).parents[1],
            capture_output=True,
            text=True,
            timeout=300,
        )
        if done.returncode == 77:
            self.skipTest("this machine allows no seccomp filter")
        return done

    def test_the_watch_ends_who_asks_for_a_way_out(self):
        for ask in (
            "import socket; socket.socket(socket.AF_INET)",
            "import socket; socket.socket(socket.AF_INET6, socket.SOCK_DGRAM)",
            "import socket; socket.getaddrinfo('example.invalid', 80)",
            "import subprocess; sys.exit(subprocess.call([sys.executable, '-c', 'import socket; socket.socket()']))",
        ):
            code = self.run_watched(WATCH + ask).returncode
            self.assertIn(code, (-signal.SIGSYS, 256 - signal.SIGSYS), ask)
        self.assertEqual(self.run_watched(WATCH + "import socket; socket.socket(socket.AF_UNIX).close()").returncode, 0)

    def test_a_whole_job_asks_for_none_and_keeps_to_our_folders(self):
        work = self.folder / "work"
        work.mkdir()
        done = self.run_watched(JOB, shipped("quay.mp4"), work)
        self.assertEqual(done.returncode, 0, done.stderr[-2000:])
        self.assertEqual(sorted(os.listdir(work)), ["o.mp4", "p.skiagraph"])
        home = self.folder / "home"
        kept = [p.relative_to(home).as_posix() for p in home.rglob("*") if p.is_file()]
        self.assertEqual([k for k in kept if "/skiagraph/" not in k], [])
