"""The edit list: covered files where the originals were, with markers for findings and sightings, as OpenTimelineIO and
as CMX 3600."""

from __future__ import annotations

from collections.abc import Iterator
from fractions import Fraction
from pathlib import Path
from typing import ClassVar
from urllib.parse import quote

from skiagraph.errors import SkiagraphError
from skiagraph.handover.companion import Companion, HandedOver
from skiagraph.handover.delivery import Delivered
from skiagraph.jobs import JobControl
from skiagraph.project.edit_list import clip_of_item, frames_of_item
from skiagraph.project.model import Clip, Decision, Project
from skiagraph.project.voices import ranges_in
from skiagraph.review.finding import sentence
from skiagraph.review.findings import findings, open_findings
from skiagraph.review.written import write_whole
from skiagraph.timecode import Timecode
from skiagraph.values import Value

# Colours of OpenTimelineIO for markers.
EXPOSING, OPEN, COVERED, SHOWN, VOICE = "RED", "ORANGE", "GREEN", "CYAN", "BLUE"
# A list of eight letters for reels, as CMX 3600 has them.
REEL = 8


@Companion.register
class Otio(Companion, Value, frozen=True, tag_field="kind", tag="otio"):
    word: ClassVar[str] = "The edit list, as OpenTimelineIO"
    title: ClassVar[str] = "edit list as OTIO"
    short: ClassVar[str] = "otio"

    def names(self, stem: str, handed: HandedOver) -> list[str]:
        return [f"{stem}.otio"]

    def write(self, handed: HandedOver, folder: Path, stem: str, control: JobControl) -> list[Path]:
        target = folder / f"{stem}.otio"
        write_whole(target, timeline_of(handed, stem, folder).to_json_string(2).encode())
        return [target]


@Companion.register
class Edl(Companion, Value, frozen=True, tag_field="kind", tag="edl"):
    """One list for each rate that clips count in, since CMX 3600 knows one alone."""

    word: ClassVar[str] = "The edit list, as CMX 3600 EDL"
    title: ClassVar[str] = "edit list as EDL"
    short: ClassVar[str] = "edl"

    def names(self, stem: str, handed: HandedOver) -> list[str]:
        groups = _groups(handed)
        return (
            [f"{stem}.edl"]
            if len(groups) < 2
            else [f"{stem}-{_rate_word(rate)}{'df' if drop else ''}.edl" for rate, drop in groups]
        )

    def write(self, handed: HandedOver, folder: Path, stem: str, control: JobControl) -> list[Path]:
        written = []
        for name, ((rate, drop), here) in zip(self.names(stem, handed), _groups(handed).items()):
            control.check()
            write_whole(
                folder / name,
                _edl(
                    HandedOver(handed.project, handed.name, here, handed.programme), stem, folder, rate, drop
                ).encode(),
            )
            written.append(folder / name)
        return written


def _rate_word(rate: Fraction) -> str:
    return f"{float(rate):.5g}".replace(".", "-")


def _groups(handed: HandedOver) -> dict[tuple[Fraction, bool], list[Delivered]]:
    """Files by how their clips count: the rate, and whether numbers are dropped.

    A programme counts in one way, that of its first clip.
    """
    groups: dict[tuple[Fraction, bool], list[Delivered]] = {}
    for done in handed.delivered:
        clip = handed.project.clip(done.clip)
        groups.setdefault((clip.rate, Timecode.of(clip.rate, clip.timecode).drop), []).append(done)
    if handed.programme is not None and groups:
        return {next(iter(groups)): list(handed.delivered)}
    return groups


def timeline_of(handed: HandedOver, name: str, folder: Path):
    """The timeline: that of the programme with the covered files in it, or all files one after another. folder: where
    the list will lie; files are named from there."""
    import opentimelineio as otio

    if handed.programme is not None:
        return _relinked(handed, folder)
    timeline = otio.schema.Timeline(name=name)
    track = otio.schema.Track(name="Covered", kind=otio.schema.TrackKind.Video)
    timeline.tracks.append(track)
    marks = _Marks(handed.project)
    for done in handed.delivered:
        clip = handed.project.clip(done.clip)
        first, last = done.span or (0, clip.frames - 1)
        item = otio.schema.Clip(
            name=clip.path.name,
            media_reference=_reference(done, clip, folder),
            source_range=_range(clip, done, first, last),
        )
        item.metadata["skiagraph"] = {"source": clip.path.name, "version": done.version}
        item.metadata["cmx_3600"] = {"reel": _reels(handed.project)[clip.key]}
        item.markers.extend(marks.of(clip, done, first, last))
        track.append(item)
    return timeline


def _relinked(handed: HandedOver, folder: Path):
    """The programme with the covered files where the originals were.

    Where there is no covered file the list says so, and no original of the project stays in it.
    """
    import opentimelineio as otio

    timeline, marks = (
        otio.adapters.read_from_string(handed.programme.timeline, adapter_name="otio_json"),
        _Marks(handed.project),
    )
    for item in timeline.find_clips():
        clip = clip_of_item(item, handed.project)
        if clip is None:
            if not isinstance(item.media_reference, otio.schema.GeneratorReference):
                item.markers.append(_warning(item, "Not in the project: nobody in it is covered"))
            continue
        first, last = frames_of_item(item, clip)
        done = next(
            (
                d
                for d in handed.delivered
                if d.clip == clip.key
                and (d.span or (0, clip.frames - 1))[0] <= first
                and last <= (d.span or (0, clip.frames - 1))[1]
            ),
            None,
        )
        if done is None:
            item.media_reference = otio.schema.MissingReference(name=clip.path.name)
            item.markers.append(_warning(item, "No covered film of this was handed over"))
            continue
        item.metadata["skiagraph"] = {"source": clip.path.name, "version": done.version}
        if not item.metadata.get("cmx_3600", {}).get("reel"):
            item.metadata["cmx_3600"] = {
                **dict(item.metadata.get("cmx_3600", {})),
                "reel": _reels(handed.project)[clip.key],
            }
        trimmed, seen = item.trimmed_range(), _range(clip, done, first, last)
        # Dissolves show more than the range itself, which stays as long as it was.
        lead = trimmed.start_time - item.visible_range().start_time
        start = seen.start_time + lead.rescaled_to(seen.start_time.rate)
        item.media_reference = _reference(done, clip, folder)
        item.source_range = otio.opentime.TimeRange(start, trimmed.duration)
        item.markers.extend(marks.of(clip, done, first, last))
    return timeline


def _warning(item, text: str):
    """A marker over all of a clip of the list."""
    import opentimelineio as otio

    return otio.schema.Marker(
        name=text, marked_range=item.trimmed_range(), color=getattr(otio.schema.MarkerColor, EXPOSING)
    )


def _reference(done: Delivered, clip: Clip, folder: Path):
    """The covered file, named from where the list lies: no folder of this machine leaves with it."""
    import opentimelineio as otio

    try:
        url = quote(done.path.absolute().relative_to(folder.absolute()).as_posix())
    except ValueError:
        url = quote(done.path.name)
    first, last = done.span or (0, clip.frames - 1)
    return otio.schema.ExternalReference(target_url=url, available_range=_range(clip, done, first, last))


def _begin_of(clip: Clip, done: Delivered) -> int:
    """What a frame of the clip is called in the file: its number and this.

    Without a timecode each file counts from nothing.
    """
    return Timecode.of(clip.rate, clip.timecode).first if clip.timecode else -(done.span[0] if done.span else 0)


def _range(clip: Clip, done: Delivered, first: int, last: int):
    import opentimelineio as otio

    rate, begin = float(clip.rate), _begin_of(clip, done)
    return otio.opentime.TimeRange(
        otio.opentime.RationalTime(begin + first, rate), otio.opentime.RationalTime(last - first + 1, rate)
    )


class _Marks:
    """Markers of findings and sightings. People are numbered, not named: lists go to many hands."""

    def __init__(self, project: Project):
        self._project, self._findings = project, open_findings(project, findings(project))

    def of(self, clip: Clip, done: Delivered, first: int, last: int) -> Iterator:
        import opentimelineio as otio

        for begin, end, name, colour in sorted(self._places(clip)):
            begin, end = max(begin, first), min(end, last)
            if begin <= end:
                marker = otio.schema.Marker(
                    name=name,
                    marked_range=_range(clip, done, begin, end),
                    color=getattr(otio.schema.MarkerColor, colour),
                )
                yield marker

    def _places(self, clip: Clip) -> Iterator[tuple[int, int, str, str]]:
        named = {s.name: _numbered(s) for s in self._project.subjects}
        for finding in self._findings:
            if finding.clip == clip.key:
                text = sentence(self._project, finding)
                for name, number in sorted(named.items(), key=lambda pair: -len(pair[0])):
                    text = text.replace(name, number)
                yield finding.first, finding.last, f"Look: {text}", EXPOSING if finding.is_exposing else OPEN
        rate = float(clip.rate)
        for one in ranges_in(self._project, clip.key):
            whose = next((_numbered(s) for s in self._project.subjects if s.key == one.subject), "Voice")
            where = (
                "" if not one.track else f", track {one.track}" + (f", channel {one.channel}" if one.channel else "")
            )
            first, last = (min(clip.frames - 1, max(0, round(t * rate))) for t in (one.begins_s, one.ends_s))
            yield first, last, f"{whose}, voice: {self._project.disguise_of(one).word.lower()}{where}", VOICE
        for subject in self._project.subjects:
            if subject.dismissed or not subject.of.hides:
                continue
            shown = subject.decision == Decision.SHOW
            for sighting in subject.in_clip(clip.key):
                yield (
                    sighting.first,
                    sighting.last,
                    f"{_numbered(subject)}, {'shown' if shown else 'covered'}",
                    SHOWN if shown else COVERED,
                )


def _numbered(subject) -> str:
    return f"{subject.of.word} {subject.key[1:]}"


def _reels(project: Project) -> dict[str, str]:
    """A reel of eight letters for each clip, no two alike: its name where that is short enough."""
    reels: dict[str, str] = {}
    for clip in project.clips:
        plain = (
            "".join(letter for letter in clip.path.stem.upper() if letter.isascii() and letter.isalnum())
            or clip.key.upper()
        )
        reel, number = plain[:REEL], 1
        while reel in reels.values():
            number += 1
            reel = f"{plain[: REEL - len(str(number))]}{number}"
        reels[clip.key] = reel
    return reels


def _edl(handed: HandedOver, stem: str, folder: Path, rate: Fraction, drop: bool) -> str:
    """A CMX 3600 list. Frames are counted whole where no numbers are dropped, which the adapter would do at 29.97."""
    import opentimelineio as otio

    counted = float(rate) if drop else float(round(rate))
    timeline = timeline_of(handed, stem, folder)
    tracks = [track for track in timeline.tracks if track.kind == otio.schema.TrackKind.Video]
    if len(tracks) != 1:
        raise SkiagraphError(
            "A CMX 3600 list holds one track of pictures, and"
            f" {handed.programme.name if handed.programme else 'this list'} has {len(tracks)}; write OpenTimelineIO"
            " instead."
        )
    whole = otio.schema.Timeline(name=stem[:70])
    whole.tracks.append(_counted(tracks[0].deepcopy(), counted))
    try:
        text = otio.adapters.write_to_string(whole, adapter_name="cmx_3600", rate=counted)
    except Exception as error:  # the adapter raises many kinds
        raise SkiagraphError(
            f"The list cannot be written as CMX 3600 ({str(error).strip().rstrip('.')}); write OpenTimelineIO instead."
        ) from error
    title, rest = text.split("\n", 1)
    return f"{title}\nFCM: {'DROP FRAME' if drop else 'NON-DROP FRAME'}\n{rest}"


def _counted(track, rate: float):
    """A track whose times count at one rate; those of the same whole rate keep their numbers."""
    import opentimelineio as otio

    def time(value):
        return (
            otio.opentime.RationalTime(value.value, rate)
            if round(value.rate) == round(rate)
            else value.rescaled_to(rate)
        )

    def span(value):
        return otio.opentime.TimeRange(time(value.start_time), time(value.duration))

    for item in track.find_children():
        if isinstance(item, otio.schema.Transition):
            item.in_offset, item.out_offset = time(item.in_offset), time(item.out_offset)
        elif getattr(item, "source_range", None) is not None:
            item.source_range = span(item.source_range)
            for marker in item.markers:
                marker.marked_range = span(marker.marked_range)
        if (
            isinstance(item, otio.schema.Clip)
            and item.media_reference is not None
            and item.media_reference.available_range is not None
        ):
            item.media_reference.available_range = span(item.media_reference.available_range)
    return track
