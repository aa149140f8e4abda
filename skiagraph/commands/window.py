"""The commands around the window: opening it, the demo, and the desktop's menu."""

from __future__ import annotations

import signal
from collections.abc import Callable
from pathlib import Path

from skiagraph.commands.shared import OK, end_of_bar


def add_commands(command: Callable) -> None:
    """Add them. command: makes a parser of (name, what to run, help)."""
    demo = command("demo", run_demo, "Write the demo clips, their truth and a project.")
    demo.add_argument("folder", metavar="DIR", type=Path)
    demo.add_argument(
        "--redraw", action="store_true", help="draw the clips from numbers instead of copying them (some minutes)"
    )

    opened = command("open", run_open, "Open the window on clips or a project.")
    opened.add_argument("files", metavar="FILE", nargs="*", type=Path)
    opened.add_argument("--demo", action="store_true", help="open the demo project")

    menu = command(
        "integrate",
        run_integrate,
        "Add Skiagraph to the desktop's menu, with its icon and the type of its project file, for the present user.",
    )
    menu.add_argument("--remove", action="store_true", help="take it out of the menu again")


def run_demo(options, control) -> int:
    from skiagraph.demo.ship import write_demo

    place = write_demo(options.folder, control, redraw=options.redraw)
    end_of_bar(control)
    print(f"Wrote the demo to {options.folder}; open {place}.")
    return OK


def run_integrate(options, control) -> int:
    from skiagraph import integration

    if options.remove:
        integration.remove()
        print("Skiagraph is out of the menu.")
        return OK
    for path in integration.integrate():
        print(f"Wrote {path}")
    return OK


def run_open(options, control) -> int:
    # The window's loop is not Python's: it is ended at once, since the project saves itself and jobs stop with it.
    signal.signal(signal.SIGTERM, signal.SIG_DFL)
    from skiagraph.desktop.app import run

    return run([str(path) for path in options.files], demo=options.demo)
