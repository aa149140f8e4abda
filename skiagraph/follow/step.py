"""What following goes by, what a step of it tells, and why it ends."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum

from skiagraph.follow.look import PLAIN
from skiagraph.shape.place import Place

# Something looks like its surroundings when something beside it correlates with it by as much: a place that is believed
# needs no more.
LIKE = 0.8


class Why(StrEnum):
    """Why following stopped."""

    END = "end"
    LEFT = "left"
    HIDDEN = "hidden"
    CUT = "cut"
    PLAIN = "plain"


@dataclass(frozen=True, slots=True)
class FollowSettings:
    """What decides whether something is still what it was.

    Correlations are of looks, -1..1, with brightness and contrast taken out.

    sure: correlation from which a place is believed by itself; lost: under it nothing is believed. Higher stops
    earlier. agree: share of the outline, in cells, that has to look as it did; again: correlation and share from which
    it is believed where it had to be searched for, as many places are compared then. learn: correlation under which the
    look of late is renewed, where so much of it, all_over, still agrees. partly: share of what is in the picture that
    has to agree where not all of it is. patience_s: so long something hidden is waited for.
    room: outline sizes around the expected place in which it is looked for; more finds what moves faster, and costs
    time. patch: px of the longer side at which looks are compared. seek: correlation of small pictures from which a
    place in a whole frame is looked at, found: correlation and share of cells from which it is seen again there, alone:
    by how much any other place has to be less alike. Chosen on the scenes of benchmarks/follow.py, with room to spare.
    """

    sure: float = 0.72
    lost: float = 0.5
    agree: float = 0.45
    again: tuple[float, float] = (0.8, 0.65)
    learn: float = 0.85
    all_over: float = 0.8
    partly: float = 0.7
    patience_s: float = 1.0
    room: float = 0.75
    seek: float = 0.35
    found: tuple[float, float] = (0.85, 0.75)
    alone: float = 0.1
    patch: int = 64


@dataclass(frozen=True, slots=True)
class Step:
    """One frame: where the outline is, and how sure that is, 0..1; known is False where it was not seen."""

    place: Place
    confidence: float
    known: bool


@dataclass(frozen=True, slots=True)
class Hold:
    """How much there is to hold on to. structure: deviation in grey levels from pixel to pixel along the direction in
    which there is less of it (the smaller eigenvalue of the structure tensor: Shi and Tomasi, Good Features to Track,
    CVPR 1994); like: highest correlation with what lies beside it, -1..1."""

    structure: float
    like: float

    @property
    def is_plain(self) -> bool:
        return self.structure < PLAIN

    @property
    def is_alike(self) -> bool:
        """True where something beside it looks like it."""
        return self.like > LIKE
