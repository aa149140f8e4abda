"""Who is heard: disguising voices, measuring loudness, telling speech from other sound and one speaker from another.

Samples in, samples out; no files.
"""

import skiagraph.voice.kinds  # noqa: F401  every disguise is known from here on
