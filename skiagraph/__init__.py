"""Skiagraph makes people who gave no consent unrecognisable, frame by frame, and proves it."""

import os

__version__ = "0.1.0"

# The products of matrices here are small; threads of their own would take the processors from decoder and encoder
# (measured: an export with blurs took 1.5 times as long). It counts only when NumPy is loaded after this.
os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")
