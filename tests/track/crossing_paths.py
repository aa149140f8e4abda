"""Paths that cross, as if they had been followed, and what was seen on them."""

import numpy as np

from skiagraph.track.path import FOUND, Path
from skiagraph.track.stretch import Stretch

RATE = 25.0
RED, BLUE = np.zeros(8, np.float32), np.zeros(8, np.float32)
RED[1], BLUE[5] = 1.0, 1.0


def path_along(xs, first=0, origin=None, size=60.0):
    """A path whose middle goes along xs, px."""
    xs = np.asarray(xs, float)
    rows = np.stack(
        [
            xs,
            np.full_like(xs, 100),
            np.full_like(xs, size),
            np.full_like(xs, size * 1.3),
            np.zeros_like(xs),
            np.full_like(xs, 0.9),
        ],
        axis=1,
    )
    return Path.from_rows(first, rows, np.full(len(xs), FOUND, np.uint8) if origin is None else origin)


def crossing(swapped=False):
    """Two who walk through each other; swapped: each path goes back on the other's way where they meet."""
    there, back = np.linspace(100, 500, 101), np.linspace(500, 100, 101)
    if swapped:
        return [
            path_along(np.concatenate([there[:51], back[51:]])),
            path_along(np.concatenate([back[:51], there[51:]])),
        ]
    return [path_along(there), path_along(back)]


def stretches_on(paths):
    """Stretches with a face in each frame that was found."""
    result = []
    for n, path in enumerate(paths):
        boxes = path.boxes()
        faces = tuple((path.first + row, boxes[row], 0.9) for row in np.flatnonzero(path.origin == FOUND))
        result.append(Stretch(path, (n,), faces, (), None, False, 10 * (n + 1)))
    return result


def seen_on(paths, colours):
    """What the detector saw: colours(path, frame) for each face."""
    seen = {}
    for frame in range(max(p.last for p in paths) + 1):
        there = [n for n, p in enumerate(paths) if p.first <= frame <= p.last and p.origin[frame - p.first] == FOUND]
        seen[frame] = (
            np.array([paths[n].boxes()[frame - paths[n].first] for n in there]).reshape(-1, 4),
            tuple(colours(n, frame) for n in there),
        )
    return seen


def covered(stretches):
    """(frame, x) of every row, sorted: what is covered, whoever it is."""
    return sorted((s.path.first + n, round(float(x), 2)) for s in stretches for n, x in enumerate(s.path.cx))
