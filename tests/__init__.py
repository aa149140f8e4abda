"""All tests.

Properties are tried with the same cases each time, so that a run says the same twice; with SKIAGRAPH_EXPLORE set, with
new ones.
"""

import os

from hypothesis import settings

settings.register_profile(
    "skiagraph", deadline=None, derandomize=not os.environ.get("SKIAGRAPH_EXPLORE"), database=None, print_blob=True
)
settings.load_profile("skiagraph")
