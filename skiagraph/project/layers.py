"""One function makes the covers of a frame from (project, clip, frame).

Preview, export, findings and the contact sheet all use it.
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from skiagraph.cover.label import label_layer
from skiagraph.cover.layer import Layer, layer_of, matte_of
from skiagraph.project.model import Decision, Outline, Project, Shape, Sighting, Style, Subject
from skiagraph.project.rows import cover_outline, in_front_at, outline_at, place_on, style_at

# How large what might be somebody is taken to be where everything is covered, as a share of the picture's shorter side:
# strength is measured against it.
REST_HEAD = 0.4


def layers(project: Project, clip: str, frame: int, *, subjects: Sequence[Subject] | None = None) -> list[Layer]:
    """The layers of all covered subjects in a frame, in the order of the register, without what is in front of them.

    Undecided counts as covered. Where the rest of the picture is covered that lies beneath them; labels lie above.
    """
    size = project.clip(clip).picture_size
    found, labels, fronts = [], [], in_front_at(project, clip, frame)
    rest = project.rest_of(clip)
    if rest is not None:
        found.append(_rest(project, clip, frame, rest, size))
    for subject in project.subjects if subjects is None else subjects:
        if not subject.is_covered and subject.label is None:
            continue
        for sighting in subject.sightings:
            if sighting.clip != clip:
                continue
            at = held_at(project, sighting, frame)
            if at is None:
                continue
            if subject.is_covered:
                style = style_at(project, subject, sighting, at)
                layer = layer_of(subject.key, style, cover_outline(project, sighting, at, style), size, sighting.first)
                if layer is not None:
                    for holdout, before in fronts:
                        if holdout.of.is_before(subject.key):
                            layer = layer.behind(front_of(project, before, frame, holdout.of.feather, size))
                    found.append(layer)
            if subject.label is not None and sighting.covers(frame) and not subject.dismissed:
                label = label_layer(
                    subject.key, subject.label, outline_at(project, sighting, frame), size, sighting.first
                )
                labels += [label] if label is not None else []
    return found + labels


def held_at(project: Project, sighting: Sighting, frame: int) -> int | None:
    """The frame of a sighting whose cover is seen in a frame: itself within the sighting; the nearest one within the
    house's lead and tail, where nobody set the end and no shot begins between; else None."""
    if sighting.first <= frame <= sighting.last:
        return frame
    house = project.decisions.house
    if frame < sighting.first:
        seconds, chosen, at, cut_after = house.lead_s, sighting.begin_set, sighting.first, frame
    else:
        seconds, chosen, at, cut_after = (
            house.tail_s,
            sighting.end_set or sighting.away_after,
            sighting.last,
            sighting.last,
        )
    if not seconds or chosen or abs(frame - at) > round(seconds * float(project.clip(sighting.clip).rate)):
        return None
    scan = project.scan_of(sighting.clip)
    # A shot begins at its cut.
    return None if scan is not None and any(cut_after < cut <= max(at, frame) for cut in scan.cuts) else at


def _rest(project: Project, clip: str, frame: int, style: Style, size: tuple[int, int]) -> Layer:
    """All of a frame but those who are shown. The soft edge lies within them, so that nothing more is seen."""
    width, height = size
    alpha = np.full((height, width), 255, np.uint8)
    for subject in project.subjects:
        if subject.decision != Decision.SHOW or subject.dismissed or not subject.of.hides:
            continue
        for sighting in subject.sightings:
            if sighting.clip == clip and sighting.covers(frame):
                drawn = outline_at(project, sighting, frame).raster_within(size, style.feather)
                if drawn is not None:
                    (x0, y0, x1, y1), seen = drawn
                    np.minimum(alpha[y0:y1, x0:x1], 255 - seen, out=alpha[y0:y1, x0:x1])
    whole = Outline.at(width / 2, height / 2, width, height, shape=Shape.kinds["box"]())
    head = REST_HEAD * min(size)
    return Layer("", style, whole, (0, 0, width, height), alpha, measure=(head, head * 1.3))


def front_of(
    project: Project, sighting: Sighting, frame: int, feather: float, size: tuple[int, int]
) -> tuple[tuple[int, int, int, int], np.ndarray] | None:
    """What is in front in a frame: the box px and alpha (rows, columns) of what stays as it is, within its outline and,
    where its exact edge is known, within that."""
    drawn = outline_at(project, sighting, frame).raster_within(size, feather)
    if drawn is None or not sighting.cut:
        return drawn
    track = project.evidence.by_key()[sighting.cut]
    if not track.path.first <= frame <= track.path.last:
        return drawn
    (x0, y0, x1, y1), alpha = drawn
    x, y = (
        (np.arange(x0, x1, dtype=np.float32) + np.float32(0.5))[None, :],
        (np.arange(y0, y1, dtype=np.float32) + np.float32(0.5))[:, None],
    )
    share = track.of.masks.share(frame, *place_on(track.path, frame).to_unit(x, y))
    # Inwards again: only from where it is surely the thing.
    return (x0, y0, x1, y1), np.minimum(alpha, np.clip((share - 0.5) * 510, 0, 255).astype(np.uint8))


def matte(project: Project, clip: str, frame: int) -> np.ndarray:
    """The union of all mattes of a frame: uint8 (height, width) of the upright clip, 255 = fully covered."""
    return matte_of(layers(project, clip, frame), project.clip(clip).picture_size)
