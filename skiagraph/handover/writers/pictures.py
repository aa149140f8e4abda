"""The covered film as numbered pictures in a folder, upright, with the sound in a file of its own beside them."""

from __future__ import annotations

from pathlib import Path
from typing import ClassVar

from skiagraph.errors import CannotWriteMedia, SkiagraphError
from skiagraph.handover.writer import Material, Shot, Writer
from skiagraph.handover.writers.film import told_of_voices
from skiagraph.media.picture_files import PICTURE_FORMS, PictureForm, PicturesWriter, UprightRgb
from skiagraph.media.sizes import size_named, stored_size
from skiagraph.media.soundtrack import AS_SHOT, SILENT
from skiagraph.media.writer import SoundWriter
from skiagraph.values import Value


def form_named(key: str) -> PictureForm:
    """Raises CannotWriteMedia."""
    if key not in PICTURE_FORMS:
        raise CannotWriteMedia(f"“{key}” is not a kind of pictures; choose one of {', '.join(PICTURE_FORMS)}.")
    return PICTURE_FORMS[key]


@Writer.register
class CoveredPictures(Writer, Value, frozen=True, tag_field="kind", tag="pictures"):
    """form: a key of media.picture_files; size: a key of media.sizes; sound: of media.soundtrack.WAYS, for the file
    that lies among the pictures. grade is that of a film and says nothing here."""

    word: ClassVar[str] = "The covered film, as numbered pictures"
    mark: ClassVar[str] = "-covered"

    form: str = "png"
    size: str = "source"
    grade: str = "near"
    sound: str = AS_SHOT

    @property
    def suffix(self) -> str:
        return ""

    @property
    def told(self) -> str:
        return f"{form_named(self.form).label} pictures"

    def open(self, target: Path, material: Material) -> _Pictures:
        return _Pictures(target, self, material)


class _Pictures:
    def __init__(self, target: Path, kind: CoveredPictures, material: Material):
        info, form = material.info, form_named(kind.form)
        self._rgb = UprightRgb(info, stored_size(info, size_named(kind.size))[0])
        self._writer = PicturesWriter(
            target, form, self._rgb.size, self._rgb.deep, first=material.part.first if material.part else 0
        )
        self.commit = self._writer.commit
        self.notes = [
            "Numbered pictures hold no times and no timecode; they are numbered as the frames of the clip, from 0."
        ]
        self._sound = None
        if info.sound and kind.sound != SILENT:
            try:
                self._sound = SoundWriter(self._writer.sound_path, info, kind.sound, material.part, material.changes)
            except SkiagraphError:
                self._writer.discard()
                raise
            self.notes.append(f"The sound lies among the pictures, as {self._writer.sound_path.name}.")
            self.notes += told_of_voices(self._sound.changed_sound)
            self.notes += [f"The sound was encoded anew ({what})." for what in self._sound.encoded_sound]
        if material.index.is_variable:
            self.notes.append("The frames of this clip are of different length, which numbered pictures cannot say.")
        if info.fields:
            self.notes.append("The picture is interlaced, and numbered pictures do not say so.")

    def finish(self) -> None:
        self._writer.finish()
        if self._sound is not None:
            self._sound.finish()

    def discard(self) -> None:
        if self._sound is not None:
            self._sound.close()
        self._writer.discard()

    def write(self, shot: Shot) -> None:
        self._writer.write(self._rgb.of(shot.covered))
