"""Where the program begins: `skiagraph` and `python -m skiagraph`."""

import signal
import sys


def run() -> int:
    """Run the command line. Interrupted while it still loads, it ends at once and says nothing: nothing has begun."""
    signal.signal(signal.SIGINT, signal.SIG_DFL)
    from skiagraph.cli import main

    return main()


if __name__ == "__main__":
    sys.exit(run())
