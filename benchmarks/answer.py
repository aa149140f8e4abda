"""How soon the window answers while a scan runs: the real window on the demo, its event loop asked every few
milliseconds.

    python -m benchmarks.answer [--seek PER_SECOND] [--every N]

Without QT_QPA_PLATFORM set it runs offscreen; under Xvfb it is a window on a screen.
"""

from __future__ import annotations

import argparse
import os
import tempfile
import time
from pathlib import Path

ASKED_MS = 5
LIMIT_S = 0.1


def main() -> None:
    parser = argparse.ArgumentParser()
    parser.add_argument("--seek", type=float, default=0.0, help="seeks a second while it scans")
    parser.add_argument("--every", type=int, default=1)
    options = parser.parse_args()
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    with tempfile.TemporaryDirectory() as folder:
        os.environ["XDG_CACHE_HOME"] = os.environ["XDG_DATA_HOME"] = folder
        measure(Path(folder), options.seek, options.every)


def measure(folder: Path, seeks: float, every: int) -> None:
    import sys

    from PySide6.QtCore import QEventLoop, QTimer
    from PySide6.QtWidgets import QApplication

    from skiagraph.demo.ship import write_demo
    from skiagraph.desktop import theme
    from skiagraph.desktop.window import MainWindow

    sys.setswitchinterval(0.0005)
    application = QApplication.instance() or QApplication(["skiagraph"])
    theme.apply(application)
    window = MainWindow()
    window.show()
    window.open_project(write_demo(folder / "demo"))
    late: list[float] = []
    last = [0.0]

    def asked():
        now = time.perf_counter()
        if last[0]:
            late.append(max(0.0, now - last[0] - ASKED_MS / 1000))
        last[0] = now

    pulse, seeker, loop = QTimer(interval=ASKED_MS), QTimer(), QEventLoop()
    pulse.timeout.connect(asked)
    QTimer.singleShot(1500, loop.quit)
    loop.exec()
    frame = [0]

    def seek():
        frame[0] = (frame[0] + 37) % 250
        window.session.set_frame(frame[0])

    seeker.timeout.connect(seek)
    window.scan_clips(["c1"], every)
    window.jobs.running.ended.connect(loop.quit)
    pulse.start()
    if seeks:
        seeker.start(round(1000 / seeks))
    began = time.perf_counter()
    loop.exec()
    took = time.perf_counter() - began
    late.sort()
    print(
        f"scan of {took:.0f} s, {seeks:g} seeks a second: asked {len(late)} times; late by"
        f" {late[len(late) // 2] * 1000:.0f} ms (median), {late[int(len(late) * 0.999)] * 1000:.0f} ms (999 of 1000),"
        f" {late[-1] * 1000:.0f} ms (most); over {LIMIT_S * 1000:.0f} ms: {sum(v > LIMIT_S for v in late)}",
        flush=True,
    )
    window.close()


if __name__ == "__main__":
    main()
