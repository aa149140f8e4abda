"""What is loaded only when it is used: no command and no window waits for it."""

import subprocess
import sys
import unittest

from skiagraph.lazily import Lazily


class LazilyTest(unittest.TestCase):
    def test_it_is_what_it_stands_for(self):
        import fractions

        lazily = Lazily("fractions")
        self.assertIs(lazily.Fraction, fractions.Fraction)
        self.assertIs(lazily.Fraction, fractions.Fraction, "the second time from what was kept")
        with self.assertRaises(AttributeError):
            lazily.nothing_of_that_name
        with self.assertRaises(ModuleNotFoundError):
            Lazily("no_such_module").anything

    def test_what_is_loaded_ahead_is_there_when_it_is_used(self):
        said = subprocess.run(
            [
                sys.executable,
                "-c",
                (
                    "import sys, threading\nfrom skiagraph.lazily import load_ahead,"
                    " ndimage\nload_ahead(ndimage)\n[t.join() for t in threading.enumerate() if t.name =="
                    " 'load-ahead']\nprint('scipy.ndimage' in sys.modules)"
                ),
            ],
            capture_output=True,
            text=True,
            check=True,
        )
        self.assertEqual(said.stdout.strip(), "True")

    def test_the_command_line_and_the_window_start_without_scipy(self):
        for name in ("skiagraph.cli", "skiagraph.desktop.window", "skiagraph.handover.worker"):
            with self.subTest(name):
                said = subprocess.run(
                    [
                        sys.executable,
                        "-c",
                        f"import sys, {name}; print(sorted(m for m in sys.modules if m.startswith('scipy')))",
                    ],
                    capture_output=True,
                    text=True,
                    check=True,
                )
                self.assertEqual(said.stdout.strip(), "[]")


if __name__ == "__main__":
    unittest.main()
