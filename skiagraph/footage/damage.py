"""Damage that somebody met while reading a clip, known from then on to everybody who opens it."""

from __future__ import annotations

from skiagraph.footage.source import SourceState, state_of
from skiagraph.media.index import kept_damage
from skiagraph.project.model import Project, replace


def with_known_damage(project: Project) -> Project:
    """The project with clips that turned out to be good only up to a frame ending there; decisions beyond it stay.

    The same value where nothing new is known.
    """
    for clip in project.clips:
        frames, damage = kept_damage(clip.path)
        # Another file in its place says nothing of the clip.
        if damage and 0 < frames < clip.frames and state_of(clip) == SourceState.THERE:
            project = project.with_clip(replace(clip, frames=frames, damage=damage))
    return project
