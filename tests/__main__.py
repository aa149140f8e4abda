"""Runs all tests, or those named (running.py)."""

import sys

from tests.running import main

if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
