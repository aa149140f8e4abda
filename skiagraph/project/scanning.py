"""Scanning clips of a project, and knowing people again from one clip to the next."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

from skiagraph.jobs import JobControl
from skiagraph.project.cast import apply_scan
from skiagraph.project.model import Project
from skiagraph.project.recognition import Gallery, link_clip, recall
from skiagraph.project.source import open_source
from skiagraph.track.results import ScanResult


@dataclass(frozen=True, slots=True)
class ScanNews:
    """What is told while clips are scanned. result: None when a clip is begun, and of the people found so far until gallery, with
    what was learned of how they look, says that the clip is done."""

    clip: str
    result: ScanResult | None = None
    gallery: Gallery | None = None


def scan_clip(project: Project, key: str, every: int, gallery: Gallery, control: JobControl, partial: Callable[[ScanResult], None] | None = None) -> ScanResult:
    """Scan one clip and let the gallery learn from it. Raises Cancelled, CannotOpenMedia."""
    # Only here, since this brings in the networks' runtimes.
    from skiagraph.track.scan import ScanSettings, scan
    result = scan(*open_source(project.clip(key)), ScanSettings(every=every), control, partial)
    gallery.learn(key, result)
    recall(project, gallery, control, besides=key)
    return result


def scan_clips(project: Project, keys: Sequence[str], every: int, gallery: Gallery, control: JobControl, tell: Callable[[ScanNews], None]) -> None:
    """Scan clips one after another and tell of each as it goes."""
    for key in keys:
        tell(ScanNews(key))
        result = scan_clip(project, key, every, gallery, control, lambda found, key=key: tell(ScanNews(key, found)))
        tell(ScanNews(key, result, gallery))


def taken_in(project: Project, key: str, result: ScanResult, every: int, gallery: Gallery | None) -> Project:
    """The project with what a scan of a clip found; with a gallery, which comes when the scan is done, people are known again."""
    if gallery is None:
        return apply_scan(project, key, result, 0)
    return link_clip(apply_scan(project, key, result, every), key, gallery)
