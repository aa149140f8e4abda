"""What somebody looked at when accepting a finding, as a short text that changes when it does."""

from __future__ import annotations

import hashlib

import numpy as np

from skiagraph.project.model import Project
from skiagraph.project.rows import fronts_of, rows_at

# So many frames of a finding are compared, evenly spread, ends included; and so finely, px.
SAMPLES, STEP_PX = 12, 0.5


def looked_at(project: Project, clip: str, subject: str, first: int, last: int, cover: bool = False) -> str:
    """A digest of where a subject is covered in these frames, and how far; where it is about nobody, of the clip and
    its scan. cover: with what it is covered, too."""
    digest = hashlib.sha256()
    if subject and any(s.key == subject for s in project.subjects):
        somebody = project.subject(subject)
        style = project.style_of(somebody)
        if cover:
            digest.update(f"{style.covers};{project.decisions.house.rules};".encode())
        frames = np.unique(np.linspace(first, last, min(SAMPLES, last - first + 1)).round().astype(int))
        for frame in frames.tolist():
            for sighting in somebody.in_clip(clip):
                if sighting.covers(frame):
                    row = rows_at(project, sighting, frame, frame)[0, :5]
                    if cover and sighting.levels:
                        digest.update(f"{sighting.covers_at(frame, style.covers)};".encode())
                    digest.update(
                        f"{frame}:{np.round(row / STEP_PX).astype(int).tolist()}:{sighting.shape_at(frame)}"
                        f":{round(style.margin, 3)};".encode()
                    )
            for holdout, sighting in fronts_of(project, somebody, clip, frame):
                row = rows_at(project, sighting, frame, frame)[0, :5]
                digest.update(
                    f"{frame} in front:{holdout.key}{np.round(row / STEP_PX).astype(int).tolist()}"
                    f":{sighting.shape_at(frame)};".encode()
                )
    else:
        scan, source = project.scan_of(clip), project.clip(clip)
        digest.update(f"{source.fingerprint}|{scan.key if scan else ''}|{source.damage}".encode())
    return digest.hexdigest()[:16]
