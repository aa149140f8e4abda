"""What the check of an exported file finds: made by exposure.py, which decodes it."""

from __future__ import annotations

import numpy as np

from skiagraph.review.faces import INSIDE
from skiagraph.review.finding import FindingKind, Reason, finding_kind
from skiagraph.review.unknown_faces import UnknownFinding, hidden_share
from skiagraph.track.results import FaceTable


@finding_kind
class CoverMissing(FindingKind):
    reason, word, exposing = Reason.FILE_DIFFERS, "Cover missing", True

    def sentence(self, project, finding, told):
        return (
            f"{told.name or 'Everything but those shown'}: the cover is missing or too weak in the exported file at"
            f" {told.where} ({told.count}). Export again."
        )


@finding_kind
class FaceInFile(UnknownFinding):
    reason, word, exposing = Reason.FILE_FACE, "Face in file", True

    def unknown_faces(self, scene, finding):
        """The face wherever it was seen in the file, as far as that is not covered now."""
        if not finding.seen:
            return FaceTable.none(), np.zeros(0, int)
        frames, boxes = zip(*finding.seen)
        table = FaceTable(
            np.array(frames, np.int32),
            np.array(boxes, np.int16),
            np.full(len(frames), round(100 * finding.worst), np.uint8),
        )
        return table, np.flatnonzero(hidden_share(scene, table) < INSIDE)

    def sentence(self, project, finding, told):
        return (
            f"A face can be seen in the exported file at {told.where} ({told.count}) that nobody agreed to show. Cover"
            " it and export again, or accept if it is none."
        )


@finding_kind
class SomebodyInFile(FaceInFile):
    reason, word = Reason.FILE_BODY, "Somebody in file"

    def sentence(self, project, finding, told):
        return (
            f"Somebody can be seen in the exported file at {told.where} ({told.count}) whom nobody agreed to show,"
            " though no face was found there. Cover them and export again, or accept if it is nobody."
        )


@finding_kind
class OtherShape(FindingKind):
    reason, word, exposing = Reason.FILE_SHAPE, "Other shape", True

    def sentence(self, project, finding, told):
        return f"The exported file does not have the shape of {project.clip(finding.clip).path.name}. Export again."


@finding_kind
class KnownInFile(FindingKind):
    reason, word, exposing = Reason.FILE_KNOWN, "Known in file", True
    of_cover = True

    def sentence(self, project, finding, told):
        return (
            f"A recogniser still tells who {told.name} is in the exported file ({round(100 * finding.worst)} % of the"
            " looks). Choose a stronger cover, and export again."
        )


@finding_kind
class VoicePlainInFile(FindingKind):
    reason, word, exposing = Reason.VOICE_PLAIN, "Voice plain in file", True
    of_sound = True

    def sentence(self, project, finding, told):
        whose = f"The voice of {told.name}" if told.name else "A voice that is disguised"
        return (
            f"{whose} is heard plain in the exported file at {told.first} ({told.count}). Disguise it there, and export"
            " again."
        )


@finding_kind
class VoiceKnownInFile(FindingKind):
    reason, word, exposing = Reason.VOICE_KNOWN, "Voice known in file", True
    of_sound = True

    def sentence(self, project, finding, told):
        whose = told.name or "somebody"
        return (
            f"A machine that compares voices still tells {whose} from others in the exported file, from {told.first} to"
            f" {told.last}. Choose a stronger disguise or draw another voice, and export again."
        )


@finding_kind
class PictureDiffers(FindingKind):
    reason, word = Reason.FILE_PICTURE, "Picture differs"

    def sentence(self, project, finding, told):
        return (
            f"Outside of the covers the exported file does not show what {project.clip(finding.clip).path.name} shows"
            f" at {told.where} ({told.count}). Export again."
        )


@finding_kind
class NotAsSource(FindingKind):
    reason, word = Reason.FILE_CHANGED, "Not as the source"

    def sentence(self, project, finding, told):
        return (
            f"Sound, times or tags of the exported file are not as in {project.clip(finding.clip).path.name}; the"
            " report says which. Choose another format, or accept it."
        )
