"""A second look before anything leaves: small named checks on a project, and proof on the delivered file."""

import skiagraph.review.checks  # noqa: F401  every kind of finding is known from here on
