"""One function makes the covers of a frame from (project, clip, frame). Preview, export, findings and the contact sheet all use it."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from skiagraph.cover.layer import Layer, layer_of, matte_of
from skiagraph.project.model import Project, Subject
from skiagraph.project.rows import cover_outline, held_from, outline_at


def layers(project: Project, clip: str, frame: int, *, subjects: Sequence[Subject] | None = None) -> list[Layer]:
    """The layers of all covered subjects in a frame, in the order of the register, without what is in front of them. Undecided counts as covered."""
    size = project.clip(clip).picture_size
    found = []
    for subject in project.subjects if subjects is None else subjects:
        if not subject.is_covered:
            continue
        style = project.style_of(subject)
        for sighting in subject.sightings:
            if sighting.clip == clip and sighting.covers(frame):
                layer = layer_of(subject.key, style, cover_outline(project, sighting, frame, style), size)
                if layer is not None:
                    for holdout, before in held_from(project, subject, clip, frame):
                        layer = layer.behind(outline_at(project, before, frame).raster_within(size, holdout.of.feather))
                    found.append(layer)
    return found


def matte(project: Project, clip: str, frame: int) -> np.ndarray:
    """The union of all mattes of a frame: uint8 (height, width) of the upright clip, 255 = fully covered."""
    return matte_of(layers(project, clip, frame), project.clip(clip).picture_size)
