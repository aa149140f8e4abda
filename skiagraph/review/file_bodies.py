"""People in an exported file whom nobody agreed to show and whose faces nobody finds, by their bodies (track.unfaced).

The source is asked who is where, since a body whose head is covered seems to have one elsewhere; that the file has the
covers is compared beside (file_covers).
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from skiagraph.cover.layer import Layer
from skiagraph.detect.bodies import BodyFinder
from skiagraph.detect.squared import Squared
from skiagraph.project.model import Clip, Project
from skiagraph.review.file_faces import face_points, is_of_shown, share_hidden
from skiagraph.track.body import BodyLandmarks
from skiagraph.track.unfaced import UNFACED, faces_in, heads_of, without_faces


@dataclass(frozen=True, slots=True)
class FileBodySettings:
    """Where a head is by a body is known to a quarter of its width, so that less of it has to be under a cover than of
    a face that is found. Set by hand."""

    # share of the face's place under complete covers from which it is hidden; larger: more findings
    hidden: float = 0.5
    # by so much of its size the head of somebody who agreed to be seen may be astray; larger: fewer findings
    shown_grown: float = 0.6
    # share of the face's place in that
    shown: float = 0.5


FILE_BODIES = FileBodySettings()


class FileBodies:
    """Looks at the frames of a film, one after another, so often as a scan does.

    Closes with `close` or as a context.
    """

    def __init__(self, squared: Squared, rate: float):
        self._finder, self._landmarks, self._squared = BodyFinder(1), BodyLandmarks(), squared
        self._each, self._looked = UNFACED.each(rate), -1

    def __enter__(self) -> FileBodies:
        return self

    def __exit__(self, *_) -> None:
        self.close()

    def close(self) -> None:
        self._finder.close()

    def open_faces(
        self,
        project: Project,
        clip: Clip,
        n: int,
        rgb: Callable[[], np.ndarray],
        faces: np.ndarray,
        covers: list[Layer],
        settings: FileBodySettings = FILE_BODIES,
    ) -> np.ndarray:
        """Where faces of frame n are by their bodies, (m, 4) px of the clip, of those that are neither hidden nor of
        somebody who agreed to be seen; none where it is no time for a look.

        rgb: the source's picture, made where it is looked at; faces: boxes of those that were found in the file, (k,
        4), which are judged by themselves.
        """
        if n // self._each == self._looked:
            return np.zeros((0, 4))
        self._looked = n // self._each
        picture = self._squared.picture(rgb())
        bodies = without_faces(self._finder.find(picture, self._looked), self._squared.boxes(faces))
        heads, sure = heads_of(bodies, picture, self._landmarks, self._squared)
        found = faces_in(heads[sure])
        bare = np.zeros(len(found), bool)
        for row, box in enumerate(found):
            points = face_points(box, clip)
            bare[row] = (
                len(points)
                and share_hidden(points, covers) < settings.hidden
                and not is_of_shown(project, clip, n, points, settings.shown_grown, settings.shown)
            )
        return found[bare]
