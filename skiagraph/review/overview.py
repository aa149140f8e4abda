"""What Footage and Hand over say of each clip, as plain values: a test without a window can hold it."""

from __future__ import annotations

from dataclasses import dataclass

from skiagraph.footage.source import SourceState, state_of
from skiagraph.media.clip import even_time
from skiagraph.project.model import Clip, Project
from skiagraph.track.stepping import smallest_face


@dataclass(frozen=True, slots=True)
class ClipRow:
    """A clip and where it stands. scanned: searched to its end, partly: only to some frame; people, undecided, shown:
    subjects in it that were not dismissed; source: its file."""

    clip: Clip
    scanned: bool = False
    partly: bool = False
    people: int = 0
    undecided: int = 0
    shown: int = 0
    source: SourceState = SourceState.THERE

    @property
    def is_usable(self) -> bool:
        return self.source == SourceState.THERE

    @property
    def was_searched(self) -> bool:
        """True where somebody looked for people, by scan or by hand."""
        return self.scanned or self.partly or self.people > 0

    def facts(self) -> str:
        clip = self.clip
        rate = f"{float(clip.rate):.3f}".rstrip("0").rstrip(".")
        start = f"  ·  from {clip.at(0)}" if clip.timecode else ""
        return (
            f"{clip.width} × {clip.height}  ·  {rate} frames/s  ·  {even_time(clip.frames / float(clip.rate))}  · "
            f" {clip.frames} frames{start}"
        )

    def state(self) -> str:
        """Where it stands, for a person."""
        name, place = self.clip.path.name, self.clip.path.parent
        if self.source == SourceState.MISSING:
            return f"Not found in {place}. Put it back, or drop it here to link it again."
        if self.source == SourceState.CHANGED:
            return (
                f"{name} in {place} is another file than the one that was added. Put the original back, or drop it"
                " here."
            )
        if not self.scanned and not self.partly:
            return (
                "Not scanned yet: nobody in it is covered."
                if not self.people
                else f"Not scanned yet; {self.people} drawn by hand."
            )
        found = f"{self.people} people found" if self.people != 1 else "1 person found"
        decided = f", {self.undecided} undecided and therefore covered." if self.undecided else ", all decided."
        return (
            found
            + decided
            + (" Scanned only in part." if self.partly else "")
            + f" It was searched for faces from {smallest_face((self.clip.width, self.clip.height))} px on."
        )


def clip_rows(project: Project) -> list[ClipRow]:
    """A row for each clip of the project, in order."""
    rows = []
    for clip in project.clips:
        scan = project.scan_of(clip.key)
        here = [s for s in project.subjects if s.in_clip(clip.key) and not s.dismissed and s.of.hides]
        whole = scan is not None and scan.is_whole(clip.frames)
        rows.append(
            ClipRow(
                clip,
                whole,
                scan is not None and not whole,
                len(here),
                sum(not s.is_decided for s in here),
                sum(not s.is_covered for s in here),
                state_of(clip),
            )
        )
    return rows
