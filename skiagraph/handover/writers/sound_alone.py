"""The sound by itself, with voices disguised: for the mix."""

from __future__ import annotations

from pathlib import Path
from typing import ClassVar

from skiagraph.errors import CannotWriteMedia
from skiagraph.handover.writer import Material, Shot, Writer
from skiagraph.media.sound_files import SOUND_FORMS, SoundFile, SoundForm
from skiagraph.values import Value


@Writer.register
class SoundAlone(Writer, Value, frozen=True, tag_field="kind", tag="sound"):
    """form: a key of media.sound_files."""

    word: ClassVar[str] = "The sound by itself"
    mark: ClassVar[str] = "-sound"

    form: str = "wav"

    @property
    def how(self) -> SoundForm:
        """Raises CannotWriteMedia."""
        if self.form not in SOUND_FORMS:
            raise CannotWriteMedia(
                f"“{self.form}” is not a kind of sound files; choose one of {', '.join(SOUND_FORMS)}."
            )
        return SOUND_FORMS[self.form]

    @property
    def suffix(self) -> str:
        return self.how.suffix

    @property
    def told(self) -> str:
        return f"The sound as {self.how.label}"

    def open(self, target: Path, material: Material) -> _Sound:
        return _Sound(SoundFile(target, material.info, self.how, material.part, material.changes), material)


class _Sound:
    def __init__(self, writer: SoundFile, material: Material):
        tracks = len(material.info.sound)
        self.notes = (
            [f"The sound by itself holds {tracks} tracks as {writer.channels} channels, in their order."]
            if tracks > 1
            else []
        )
        self.finish, self.commit, self.discard = writer.finish, writer.commit, writer.discard

    def write(self, shot: Shot) -> None:
        """Frames are none of its business."""
