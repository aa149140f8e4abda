"""Runs all tests, or those named, and ends with what failed and one line: N passed, N failed."""

import sys
import time
import unittest
from pathlib import Path


class _Result(unittest.TextTestResult):
    def __init__(self, *arguments, **named):
        super().__init__(*arguments, **named)
        self.passed = 0

    def addSuccess(self, test):
        super().addSuccess(test)
        self.passed += 1


def main() -> int:
    here = Path(__file__).parent
    sys.path.insert(0, str(here.parent))
    loader = unittest.TestLoader()
    suite = loader.loadTestsFromNames(sys.argv[1:]) if sys.argv[1:] else loader.discover(str(here), top_level_dir=str(here.parent))
    began = time.monotonic()
    result = unittest.TextTestRunner(resultclass=_Result, verbosity=1).run(suite)
    failing = sorted({str(t).split(" [")[0] for t, _ in result.failures + result.errors} | {str(t) for t in result.unexpectedSuccesses})
    print(f"{result.testsRun} tests in {time.monotonic() - began:.0f} s", flush=True)
    skipped = f", {len(result.skipped)} skipped" if result.skipped else ""
    for name in failing:
        print(f"failed: {name}")
    print(f"{result.passed} passed, {len(failing)} failed{skipped}", flush=True)
    return 0 if result.wasSuccessful() and result.testsRun else 1


if __name__ == "__main__":
    sys.exit(main())
