"""What hand work at some frames has in common: how far one frame reaches, and how a new entry goes among others."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from skiagraph.project.model import Reach, Sighting, replace


@dataclass(frozen=True, slots=True)
class HandSettings:
    """placed_s: seconds on each side for which somebody drawn by hand is covered, until followed or until the ends are
    dragged; more covers longer by itself. repair_frames: frames on each side within which a repair eases back; more is
    softer and reaches further. Both chosen by hand, as work at 25 frames a second."""

    placed_s: float = 1.0
    repair_frames: int = 8


HAND = HandSettings()


def entered(entries: tuple, sighting: Sighting, new, reach: Reach, at: Callable[[int], object]) -> tuple:
    """Entries (with frame and to_next) with a new one at its frame: going over into its neighbours, easing back within
    a few frames, or from there on. at: an entry that changes nothing at a frame."""
    known, frame = {e.frame: e for e in entries}, new.frame
    here = known.get(frame)
    if reach == Reach.FRAME:
        for beside in (max(sighting.first, frame - HAND.repair_frames), min(sighting.last, frame + HAND.repair_frames)):
            between = [f for f in known if min(beside, frame) <= f <= max(beside, frame) and f != frame]
            if beside != frame and not between:
                known[beside] = at(beside)
    elif reach == Reach.ONWARD and frame > sighting.first:
        earlier = [f for f in known if f < frame]
        if not earlier:
            known[sighting.first] = replace(at(sighting.first), to_next="hold")
        elif max(earlier) == frame - 1 or known[max(earlier)].to_next == "hold":
            known[max(earlier)] = replace(known[max(earlier)], to_next="hold")
        else:
            known[frame - 1] = replace(at(frame - 1), to_next="hold")
    known[frame] = replace(new, to_next="hold" if reach == Reach.ONWARD else here.to_next if here else "smooth")
    return tuple(known[f] for f in sorted(known))
