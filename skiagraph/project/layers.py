"""One function makes the covers of a frame from (project, clip, frame). Preview, export, findings and the contact sheet all use it."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from skiagraph.cover.layer import Layer, layer_of, matte_of
from skiagraph.project.model import Project, Sighting, Subject
from skiagraph.project.rows import cover_outline, in_front_at, outline_at, place_on, style_at


def layers(project: Project, clip: str, frame: int, *, subjects: Sequence[Subject] | None = None) -> list[Layer]:
    """The layers of all covered subjects in a frame, in the order of the register, without what is in front of them. Undecided counts as covered."""
    size = project.clip(clip).picture_size
    found, fronts = [], in_front_at(project, clip, frame)
    for subject in project.subjects if subjects is None else subjects:
        if not subject.is_covered:
            continue
        for sighting in subject.sightings:
            if sighting.clip == clip and sighting.covers(frame):
                style = style_at(project, subject, sighting, frame)
                layer = layer_of(subject.key, style, cover_outline(project, sighting, frame, style), size)
                if layer is not None:
                    for holdout, before in fronts:
                        if holdout.of.is_before(subject.key):
                            layer = layer.behind(front_of(project, before, frame, holdout.of.feather, size))
                    found.append(layer)
    return found


def front_of(project: Project, sighting: Sighting, frame: int, feather: float, size: tuple[int, int]) -> tuple[tuple[int, int, int, int], np.ndarray] | None:
    """What is in front in a frame: the box px and alpha (rows, columns) of what stays as it is, within its outline and, where its exact edge is known, within that."""
    drawn = outline_at(project, sighting, frame).raster_within(size, feather)
    if drawn is None or not sighting.cut:
        return drawn
    track = project.evidence.by_key()[sighting.cut]
    if not track.path.first <= frame <= track.path.last:
        return drawn
    (x0, y0, x1, y1), alpha = drawn
    x, y = (np.arange(x0, x1, dtype=np.float32) + np.float32(0.5))[None, :], (np.arange(y0, y1, dtype=np.float32) + np.float32(0.5))[:, None]
    share = track.of.masks.share(frame, *place_on(track.path, frame).to_unit(x, y))
    # Inwards again: only from where it is surely the thing.
    return (x0, y0, x1, y1), np.minimum(alpha, np.clip((share - 0.5) * 510, 0, 255).astype(np.uint8))


def matte(project: Project, clip: str, frame: int) -> np.ndarray:
    """The union of all mattes of a frame: uint8 (height, width) of the upright clip, 255 = fully covered."""
    return matte_of(layers(project, clip, frame), project.clip(clip).picture_size)
