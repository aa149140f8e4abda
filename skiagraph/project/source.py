"""The file behind a clip of the project."""

from __future__ import annotations

from skiagraph.errors import SkiagraphError
from skiagraph.media.clip import ClipInfo, probe
from skiagraph.media.index import FrameIndex, load_index
from skiagraph.project.model import Clip


def open_source(clip: Clip) -> tuple[ClipInfo, FrameIndex]:
    """The clip's file, checked against what the project knows of it.

    Raises CannotOpenMedia when it cannot be read and SkiagraphError when it is another file than it was.
    """
    info = probe(clip.path)
    index = load_index(info)
    if info.upright_size != (clip.width, clip.height) or len(index) < clip.frames:
        raise SkiagraphError(f"{clip.path.name} is no longer the file that was scanned; put the original back or add the clip anew.", path=clip.path)
    return info, index
