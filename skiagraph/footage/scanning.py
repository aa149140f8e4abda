"""Scanning clips of a project, and taking in what was found: as evidence, with the decisions carried over to it."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field

from skiagraph.footage.recognition import Gallery, link_clip, recall
from skiagraph.footage.source import open_source
from skiagraph.jobs import JobControl
from skiagraph.media.index import FrameIndex
from skiagraph.project.carry import Ids, Report, carried, with_evidence
from skiagraph.project.model import Project, Scan
from skiagraph.track.results import ScanResult


@dataclass(frozen=True, slots=True)
class ScanNews:
    """What is told while clips are scanned. result: None when a clip is begun, and of the people found so far until
    gallery, with what was recalled of people in other clips, says that the clip is done."""

    clip: str
    result: ScanResult | None = None
    gallery: Gallery | None = None


def scan_clip(
    project: Project,
    key: str,
    every: int,
    gallery: Gallery,
    control: JobControl,
    partial: Callable[[ScanResult], None] | None = None,
    *,
    keep: bool = False,
    parts: Sequence[tuple[int, int]] = (),
) -> ScanResult:
    """Scan one clip, or only parts (first and last frame) of one that was not scanned before, and let the gallery
    recall who is in the others. keep: a scan begun again goes on from what this one saw, until `forget_scan`. Raises
    Cancelled, CannotOpenMedia, SourceChanged."""
    # Only here, since this brings in the networks' runtimes.
    from skiagraph.track.parts import merged
    from skiagraph.track.scan import ScanSettings, scan, shifted

    info, index = open_source(project.clip(key), control)
    wanted = _apart(index, parts) if project.scan_of(key) is None else []
    if wanted and wanted != [(0, len(index) - 1)]:
        frames, found = len(index), []
        for first, last in wanted:
            part = index.part(first, last)

            def told(result: ScanResult, part=part) -> None:
                partial(merged([*found, shifted(result, part.offset, frames)]))

            found.append(
                shifted(
                    scan(
                        info, part, ScanSettings(every=every, part=(first, last)), control, partial and told, keep=keep
                    ),
                    part.offset,
                    frames,
                )
            )
            if found[-1].damage:
                break
        result = merged(found)
    else:
        result = scan(info, index, ScanSettings(every=every), control, partial, keep=keep)
    recall(project, gallery, control, besides=key)
    return result


def _apart(index: FrameIndex, parts: Sequence[tuple[int, int]]) -> list[tuple[int, int]]:
    """Parts in order, each from where decoding may begin on; those that touch then are one."""
    found: list[tuple[int, int]] = []
    for first, last in sorted((max(0, first), min(last, len(index) - 1)) for first, last in parts):
        begin = index.part(first, last).offset
        if found and begin <= found[-1][1] + 1:
            found[-1] = found[-1][0], max(found[-1][1], last)
        else:
            found.append((begin, last))
    return found


def forget_scan(project: Project, key: str, every: int, parts: Sequence[tuple[int, int]] = ()) -> None:
    """The result of a scan is written down: what was kept to take it up again goes."""
    from skiagraph.track.scan import ScanSettings, forget

    info, index = open_source(project.clip(key))
    for part in (None, *_apart(index, parts)):
        forget(info, ScanSettings(every=every, part=part))


def scan_clips(
    project: Project,
    keys: Sequence[str],
    every: int,
    gallery: Gallery,
    control: JobControl,
    tell: Callable[[ScanNews], None],
    parts: Mapping[str, Sequence[tuple[int, int]]] | None = None,
) -> None:
    """Scan clips one after another and tell of each as it goes. parts: of clips of which only some is scanned; what was
    scanned before is scanned whole."""
    for key in keys:
        tell(ScanNews(key))
        result = scan_clip(
            project,
            key,
            every,
            gallery,
            control,
            lambda found, key=key: tell(ScanNews(key, found)),
            parts=(parts or {}).get(key, ()),
        )
        tell(ScanNews(key, result, gallery))


@dataclass(slots=True)
class Arrival:
    """One scan of one clip as it comes in, from its first people to its end: the same ids for the same people all the
    while."""

    clip: str
    every: int
    ids: Ids = field(default_factory=Ids)

    def seen(self, project: Project, result: ScanResult) -> tuple[Project, Report]:
        """The project as it would be with what was found so far; nothing is kept of it but the ids."""
        project, scan = with_evidence(project, self.clip, result, self.every)
        return carried(project, scan, self.ids)

    def evidence(
        self, project: Project, result: ScanResult, gallery: Gallery | None = None
    ) -> tuple[Project, Callable[[Project], Project], Callable[[], Report]]:
        """The project with the result as evidence; what carries decisions over to it; and a report of what that did
        last."""
        project, scan = with_evidence(project, self.clip, result, self.every)
        if gallery is not None:
            gallery.learn(scan, result)
        told = [Report()]

        def carry(value: Project) -> Project:
            value, told[0] = carried(value, scan, self.ids)
            return link_clip(value, self.clip, gallery) if gallery is not None else value

        return project, carry, lambda: told[0]


def take_in(project: Project, clip: str, result: ScanResult, every: int, gallery: Gallery | None = None) -> Project:
    """The project with a scan of a clip, and its decisions carried over; with a gallery, people are known again from
    other clips."""
    project, carry, _ = Arrival(clip, every).evidence(project, result, gallery)
    return carry(project)


__all__ = ["Arrival", "Scan", "ScanNews", "scan_clip", "scan_clips", "take_in"]
