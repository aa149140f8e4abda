"""Geometry, written once: shapes, places, and what a person changed about them."""

import skiagraph.shape.kinds  # noqa: F401  every shape is known from here on
