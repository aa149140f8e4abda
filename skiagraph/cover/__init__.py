"""Covers: pure, frame in and frame out. They know shapes and samples, and nothing of projects."""

import skiagraph.cover.kinds  # noqa: F401  every cover is known from here on
