"""What leaves the desk: files written beside their target and renamed when all of them are whole."""

import skiagraph.handover.companions  # noqa: F401  and every companion
import skiagraph.handover.writers  # noqa: F401  every writer is known from here on
