"""Where every subject is in every frame, as CSV and JSON of all clips, and a text file of the MOT Challenge for
each."""

from __future__ import annotations

from pathlib import Path
from typing import ClassVar

from skiagraph.handover.companion import Companion, HandedOver
from skiagraph.jobs import JobControl
from skiagraph.project.listing import FORMS, OF_ONE_CLIP
from skiagraph.review.written import write_whole
from skiagraph.values import Value


@Companion.register
class Tracks(Companion, Value, frozen=True, tag_field="kind", tag="tracks"):
    word: ClassVar[str] = "Tracks, as CSV, JSON and MOT Challenge text"
    title: ClassVar[str] = "tracks"
    short: ClassVar[str] = "tracks"

    def names(self, stem: str, handed: HandedOver) -> list[str]:
        return list(self._files(stem, handed))

    def write(self, handed: HandedOver, folder: Path, stem: str, control: JobControl) -> list[Path]:
        written = []
        for name, (suffix, keys) in self._files(stem, handed).items():
            control.check()
            write_whole(folder / name, "".join(FORMS[suffix](handed.project, keys)).encode())
            written.append(folder / name)
        return written

    def _files(self, stem: str, handed: HandedOver) -> dict[str, tuple[str, list[str]]]:
        """Each with its form and the clips in it."""
        keys = list(dict.fromkeys(done.clip for done in handed.delivered))
        files: dict[str, tuple[str, list[str]]] = {}
        for suffix in FORMS:
            if suffix not in OF_ONE_CLIP:
                files[f"{stem}-tracks{suffix}"] = suffix, keys
                continue
            for key in keys:
                name = f"{stem}-{handed.project.clip(key).path.stem}"
                # Clips from two cards may be called alike.
                name = name if f"{name}-tracks{suffix}" not in files else f"{name}-{key}"
                files[f"{name}-tracks{suffix}"] = suffix, [key]
        return files
