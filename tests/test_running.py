"""What runs the tests: what fails, ends its process or cannot be loaded is a failure, in one process and in several."""

import contextlib
import io
import sys
import unittest
from unittest import mock

from tests.running import main, outcomes
from tests.support import TemporaryFolder

MODULES = {
    "goes_well": (
        "class T(unittest.TestCase):\n    def test_one(self): self.assertTrue(True)\n    def test_two(self):"
        " self.skipTest('not here')\n"
    ),
    "fails": (
        "class T(unittest.TestCase):\n    def test_one(self): self.assertEqual(1, 2)\n    def test_two(self): raise"
        " OSError('gone')\n"
    ),
    "ends_its_process": "class T(unittest.TestCase):\n    def test_one(self): os._exit(3)\n",
    "has_none": "",
}


class RunningTest(TemporaryFolder):
    def setUp(self):
        super().setUp()
        for name, text in MODULES.items():
            (self.folder / f"{name}.py").write_text("import os\nimport unittest\n" + text)
        patcher = mock.patch.object(sys, "path", [str(self.folder), *sys.path])
        patcher.start()
        self.addCleanup(patcher.stop)
        self.addCleanup(lambda: [sys.modules.pop(name, None) for name in MODULES])

    def said(self, *names, processes=1):
        with (
            contextlib.redirect_stdout(io.StringIO()) as out,
            mock.patch.dict("os.environ", {"SKIAGRAPH_TEST_PROCESSES": str(processes)}),
        ):
            code = main(list(names))
        return code, out.getvalue().strip().splitlines()

    def test_the_last_line_tells_and_so_does_the_code(self):
        self.assertEqual(
            (lambda code, lines: (code, lines[-1]))(*self.said("goes_well")), (0, "1 passed, 0 failed, 1 skipped")
        )
        code, lines = self.said("goes_well", "fails")
        self.assertEqual((code, lines[-1]), (1, "1 passed, 2 failed, 1 skipped"))
        self.assertIn("OSError: gone", lines)

    def test_what_has_no_tests_or_cannot_be_loaded_is_no_success(self):
        self.assertEqual([self.said(name)[0] for name in ("has_none", "is_not_there")], [1, 1])

    def test_a_process_that_ends_is_a_failure(self):
        found = {o.name: o for o in outcomes(["ends_its_process", "goes_well"], 2)}
        self.assertEqual(set(found), {"ends_its_process", "goes_well"})
        self.assertTrue(found["ends_its_process"].failures)


if __name__ == "__main__":
    unittest.main()
