"""Skiagraph makes people who gave no consent unrecognisable, frame by frame, and proves it."""

__version__ = "0.1.0"
