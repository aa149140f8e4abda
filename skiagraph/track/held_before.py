"""Whoever appears in the middle of a shot was there a moment before: their cover begins that much sooner, where the
head must have come from.

After identity was asked anew, since what is only held is no sight of anybody.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace

import numpy as np

from skiagraph.boxes import iou
from skiagraph.track.bridging import BridgeSettings, held
from skiagraph.track.chaining import end_speed
from skiagraph.track.path import FOLLOWED, FOUND, Path
from skiagraph.track.stretch import Stretch


@dataclass(frozen=True, slots=True)
class HeldBeforeSettings:
    """Set by benchmarks/quality.py: who comes out from behind another was bare for up to three frames (alike, meetings,
    every frame; railings, stepping)."""

    # confidence there: as little as asks nothing by itself, and belongs to the finding that somebody appears
    # (review.finding.HARDLY)
    sure: float = 0.36
    # overlap (IoU) with another head just before from which it is covered already; larger: more is held
    same: float = 0.4


def held_before(
    stretches: Sequence[Stretch],
    shot_of: Callable[[int], tuple[int, int]],
    size: tuple[int, int],
    rate: float,
    bridges: BridgeSettings = BridgeSettings(),
    settings: HeldBeforeSettings = HeldBeforeSettings(),
) -> list[Stretch]:
    """The same stretches, of which those that were followed back for less than a cover is held anywhere
    (BridgeSettings.hold_s) begin so much sooner.

    shot_of: first and last frame of the shot of a frame; size: of the frame, px; rate: frames a second.
    """
    hold = max(1, round(bridges.hold_s * rate))
    spans = np.array([(s.path.first, s.path.last) for s in stretches], int).reshape(-1, 2)
    made = []
    for stretch in stretches:
        path = stretch.path
        found = np.flatnonzero(path.origin == FOUND)
        count = min(hold - int(found[0]), path.first - shot_of(path.first)[0]) if len(found) else 0
        if stretch.doubtful or count <= 0 or _is_covered(stretch, stretches, spans, hold, settings):
            made.append(stretch)
            continue
        rows = path.rows().astype(float)
        before = held(
            np.zeros((0, 6)),
            rows[0],
            end_speed(path.first + found, rows[found], True),
            "lost",
            count,
            size,
            rate,
            bridges,
        )[::-1]
        before[:, 5] = settings.sure
        origin = np.concatenate([np.full(len(before), FOLLOWED), path.origin])
        lean = None if path.lean is None else np.concatenate([np.repeat(path.lean[:1], len(before), axis=0), path.lean])
        made.append(
            replace(
                stretch, path=Path.from_rows(path.first - len(before), np.concatenate([before, rows]), origin, lean)
            )
        )
    return made


def _is_covered(
    stretch: Stretch, stretches: Sequence[Stretch], spans: np.ndarray, hold: int, settings: HeldBeforeSettings
) -> bool:
    """Whether the cover of another path is there already where one begins.

    It lies there in the frame before, and ends there, or is at the same place where the face is first found too: the
    path goes on from that one, or is of the same head. Its face was found within so many frames of that (hold): what
    was only followed so far gives way where its person is known to be elsewhere.
    spans: (n, 2), first and last frame of each stretch.
    """
    path, (found, _) = stretch.path, stretch.found
    frame, boxes = path.first - 1, path.boxes().astype(float)

    def on(other: Path, frame: int, mine: np.ndarray) -> bool:
        return bool(iou(mine[None], other.boxes()[frame - other.first][None].astype(float))[0, 0] > settings.same)

    def was_found(other: Path) -> bool:
        return bool((other.origin[max(0, frame - hold - other.first) : frame + hold + 1 - other.first] == FOUND).any())

    there = (
        stretches[n]
        for n in np.flatnonzero((spans[:, 0] <= frame) & (spans[:, 1] >= frame))
        if was_found(stretches[n].path)
    )
    near = [s.path for s in there if s is not stretch and on(s.path, frame, boxes[0])]
    return any(
        other.last == frame or other.last >= found and on(other, found, boxes[found - path.first]) for other in near
    )
