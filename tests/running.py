"""Runs all tests, or those named, in as many processes as there are processors, and ends with what failed and one line:
N passed, N failed.

Each process runs whole modules, so that what a module makes once is made once. With SKIAGRAPH_TEST_PROCESSES=1 all run
here, one after another.
"""

from __future__ import annotations

import os
import sys
import time
import unittest
from collections.abc import Iterator
from concurrent.futures import ProcessPoolExecutor, as_completed
from concurrent.futures.process import BrokenProcessPool
from dataclasses import dataclass, field
from io import StringIO
from multiprocessing import get_context
from pathlib import Path

HERE = Path(__file__).parent
# The window's tests take longest; what begins last should be short.
LONG_FIRST = ("tests.desktop.test_window", "tests.desktop.test_pages", "tests.track.", "tests.desktop.")


@dataclass
class Outcome:
    """How one module's tests, or those named of it, went. failures: name and text of each."""

    name: str
    ran: int = 0
    passed: int = 0
    skipped: int = 0
    failures: list[tuple[str, str]] = field(default_factory=list)
    seconds: float = 0.0


class _Result(unittest.TextTestResult):
    def __init__(self, *arguments, **named):
        super().__init__(*arguments, **named)
        self.passed = 0

    def addSuccess(self, test):
        super().addSuccess(test)
        self.passed += 1


def run(name: str) -> Outcome:
    """The tests of one name, as unittest knows names; a module that cannot be loaded is a failure."""
    began = time.monotonic()
    result = unittest.TextTestRunner(stream=StringIO(), resultclass=_Result, verbosity=0).run(
        unittest.defaultTestLoader.loadTestsFromName(name)
    )
    failures = [(str(test).split(" [")[0], text) for test, text in result.failures + result.errors] + [
        (str(t), "passes, against what is expected") for t in result.unexpectedSuccesses
    ]
    return Outcome(name, result.testsRun, result.passed, len(result.skipped), failures, time.monotonic() - began)


def outcomes(names: list[str], processes: int) -> Iterator[Outcome]:
    """What came of each name, as they end.

    A process that a test brings down is a failure of each name that was not done by then.
    """
    if processes == 1:
        yield from map(run, names)
        return
    with ProcessPoolExecutor(processes, mp_context=get_context("spawn")) as pool:
        running = {pool.submit(run, name): name for name in names}
        for done in as_completed(running):
            try:
                yield done.result()
            except BrokenProcessPool as error:
                yield Outcome(running[done], failures=[(running[done], f"the process that ran tests ended: {error}")])


def main(names: list[str]) -> int:
    sys.path.insert(0, str(HERE.parent))
    names = names or sorted(
        (".".join(path.relative_to(HERE.parent).with_suffix("").parts) for path in HERE.rglob("test_*.py")),
        key=lambda name: next((n for n, start in enumerate(LONG_FIRST) if name.startswith(start)), len(LONG_FIRST)),
    )
    began, done = time.monotonic(), []
    for outcome in outcomes(
        names, min(int(os.environ.get("SKIAGRAPH_TEST_PROCESSES") or os.cpu_count() or 1), len(names))
    ):
        done.append(outcome)
        print(
            f"{outcome.seconds:6.1f} s  {outcome.ran:4} tests  {outcome.name}"
            + (f"  {len(outcome.failures)} FAILED" if outcome.failures else ""),
            flush=True,
        )
        for name, text in outcome.failures:
            print(f"\n{'=' * 70}\nFAILED: {name}\n{text}", flush=True)
    failing = sorted({name for outcome in done for name, _ in outcome.failures})
    skipped = sum(outcome.skipped for outcome in done)
    print(f"{sum(outcome.ran for outcome in done)} tests in {time.monotonic() - began:.0f} s")
    for name in failing:
        print(f"failed: {name}")
    print(
        f"{sum(outcome.passed for outcome in done)} passed, {len(failing)} failed"
        + (f", {skipped} skipped" if skipped else ""),
        flush=True,
    )
    return 0 if not failing and all(outcome.ran for outcome in done) else 1
