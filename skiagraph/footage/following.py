"""Following an outline of a project through its clip, from the frame it was placed in: the path as evidence, and the
sighting that rests on it."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from contextlib import ExitStack
from dataclasses import dataclass
from enum import StrEnum

import numpy as np

from skiagraph.detect.finder import FaceFinder
from skiagraph.errors import EditRefused
from skiagraph.follow.cutting import EdgeFinder
from skiagraph.follow.follower import OutlineFollower
from skiagraph.follow.heads import HeadFollower, is_head
from skiagraph.follow.look import Motion
from skiagraph.follow.paths import Followed, chained, follow, joined, met
from skiagraph.follow.step import FollowSettings, Step, Why
from skiagraph.footage.source import open_source
from skiagraph.jobs import JobControl
from skiagraph.media.reader import FrameReader
from skiagraph.project.model import PersonSubject, Place, Project, Subject
from skiagraph.project.presence import sighting_at
from skiagraph.project.rows import fronts_of, outline_at
from skiagraph.shape.shape import Outline
from skiagraph.track.descriptor import FaceDescriber
from skiagraph.track.identity import Signature
from skiagraph.track.masks import Masks
from skiagraph.track.path import BRIDGED, FOLLOWED, PLACED, Path, laid_over
from skiagraph.track.scan import ScanSettings

STEP, SEEKING, EDGES = "Following", "Looking for it again", "Finding the edge"
# After an absence each so many frames are looked at, for so many seconds; and so sure is the frame in which it is seen
# again.
SEEK_EVERY, SEEK_S, AGAIN_SURE = 5, 30.0, 0.7
# Decoded frames at hand for going back: a usual distance between sync samples at 25 frames a second.
KEEP = 50
# The window is told of the path after each so many frames.
TELL_EVERY = 5


class Direction(StrEnum):
    BOTH = "both"
    ON = "on"
    BACK = "back"


@dataclass(frozen=True, slots=True)
class FollowedOutline:
    """path: from the first frame to the last in which it is known where it is; ends: of each way, "back" or "on", why
    it stopped and at which frame; again: paths on which it was seen again after it had left the picture; back: frames
    in which it was found again, there or after it was hidden; looks: how somebody looks whose head it is, which stays
    in memory."""

    path: Path
    ends: tuple[tuple[Direction, Why, int], ...]
    again: tuple[Path, ...] = ()
    back: tuple[int, ...] = ()
    looks: Signature = Signature.none()


def follow_outline(
    project: Project,
    clip_key: str,
    frame: int,
    outline: Outline,
    direction: Direction = Direction.BOTH,
    motion: Motion | None = None,
    control: JobControl | None = None,
    told: Callable[[int, Step], None] = lambda frame, step: None,
    *,
    first: int = 0,
    last: int | None = None,
    settings: FollowSettings = FollowSettings(),
    subject: str = "",
    looked: Outline | None = None,
) -> FollowedOutline:
    """Follow an outline from a frame, within first .. last. told: of each frame as it goes. subject: whose outline it
    is, by key: what is in front of them is not looked at, and where they were placed at other frames, that is a look of
    its own, and what lies between is followed from both. looked: the part of the outline to look at, in the unit frame
    of its place.

    Raises EditRefused where there is nothing in it to hold on to, Cancelled, and what open_source and reading raise.
    """
    control = control or JobControl()
    clip = project.clip(clip_key)
    last = clip.frames - 1 if last is None else min(last, clip.frames - 1)
    if not 0 <= frame < clip.frames:
        raise EditRefused(f"{clip.path.name} has frames 0 to {clip.frames - 1}; {frame} is not among them.")
    info, index = open_source(clip, control)
    known = next((s for s in project.subjects if s.key == subject), None)
    placed = {frame: outline, **_placed_elsewhere(project, known, clip_key, frame, first, last)}
    wanted = {Direction.BOTH: (Direction.ON, Direction.BACK)}.get(direction, (direction,))
    legs = [(way, a, b) for way in wanted for a, b in _legs(sorted(placed), frame, way)]
    total = sum(
        abs((last if way == Direction.ON else first) - a) if b is None else 2 * abs(b - a) for way, a, b in legs
    )
    paths, ends, done = [], [], 0

    def ignored(number: int) -> np.ndarray | None:
        return in_front(project, known, clip_key, number) if known else None

    with ExitStack() as stack:
        reader = stack.enter_context(FrameReader(info, index, keep=KEEP))
        followers = _Followers(
            stack, reader, known, float(clip.rate), motion, settings, looked, ScanSettings().smallest_for(info)
        )

        def pictures(start: int, stop: int) -> Iterator[tuple[int, np.ndarray]]:
            """From the frame after one up to another one, that included; backwards where that is before it."""
            nonlocal done
            step = 1 if stop >= start else -1
            for number in range(start + step, stop + step, step):
                yield number, followers.grey(number)
                done += 1
                control.report(STEP, done, max(total, done))

        def one_way(start: int, stop: int) -> tuple[OutlineFollower, Followed]:
            """From a frame in which it was placed."""
            grey = followers.grey(start)
            follower = followers.at(grey, placed[start], ignored(start))
            if follower.is_plain and start == frame:
                raise EditRefused(
                    "There is too little in this outline to hold on to; take in an edge or a corner of what is there,"
                    " or place it by hand."
                )
            return follower, follow(follower, start, grey, pictures(start, stop), told, ignored)

        def again(follower: OutlineFollower, way: Direction, at: int, stop: int) -> tuple[Path, Followed, int] | None:
            """Where it is seen again after an absence: the path there."""
            step = SEEK_EVERY if way == Direction.ON else -SEEK_EVERY
            limit = at + round(SEEK_S * float(clip.rate)) * (1 if step > 0 else -1)
            for number in range(
                at + step, (min(stop, limit) if step > 0 else max(stop, limit)) + (1 if step > 0 else -1), step
            ):
                control.report(SEEKING, abs(number - at), abs(stop - at) or 1)
                place = followers.sought(follower, number)
                if place is None:
                    continue
                ways = []
                for goal in (at + (1 if step > 0 else -1), stop):
                    grey = followers.grey(number)
                    follower.look_anew(grey, place, ignored(number))
                    ways.append(follow(follower, number, grey, pictures(number, goal), told, ignored))
                return joined(number, place, ways, AGAIN_SURE), ways[1], number
            return None

        more, backs = [], []
        for way, a, b in legs:
            if b is None:
                stop = last if way == Direction.ON else first
                follower, found = one_way(a, stop)
                stretches = [joined(a, placed[a].place, [found])]
                while (
                    found.why in (Why.LEFT, Why.HIDDEN) and (seen := again(follower, way, found.at, stop)) is not None
                ):
                    # What left the picture is away until it comes back; what was hidden in it may be seen in between,
                    # and is covered.
                    stretches = (
                        [*stretches, seen[0]]
                        if found.why == Why.LEFT
                        else [*stretches[:-1], laid_over((stretches[-1], seen[0]))]
                    )
                    ends.append((way, found.why, found.at))
                    backs.append(seen[2])
                    found = seen[1]
                paths.append(stretches[0])
                more += stretches[1:]
                ends.append((way, found.why, found.at))
            else:
                low, high = min(a, b), max(a, b)
                paths.append(
                    met(
                        low,
                        placed[low].place,
                        one_way(low, high - 1)[1],
                        high,
                        placed[high].place,
                        one_way(high, low + 1)[1],
                    )
                )
    return FollowedOutline(chained(paths), tuple(ends), tuple(more), tuple(backs), followers.looks())


class _Followers:
    """Makes the follower that suits: of a head, or of anything."""

    def __init__(
        self,
        stack: ExitStack,
        reader: FrameReader,
        subject: Subject | None,
        rate: float,
        motion,
        settings,
        looked,
        smallest: int,
    ):
        self._stack, self._reader, self._subject, self._smallest = stack, reader, subject, smallest
        self._how = rate, motion, settings
        self._looked = looked
        self._frame = None
        self._networks: tuple[FaceFinder, FaceDescriber] | None = None
        self._head: HeadFollower | None = None

    def grey(self, number: int) -> np.ndarray:
        self._frame = self._reader.read(number)
        return self._frame.grey()

    def at(self, grey: np.ndarray, outline: Outline, ignored: np.ndarray | None) -> OutlineFollower:
        what = (grey, outline.place, outline.shape, *self._how, ignored, self._looked)
        if self._subject is None or not isinstance(self._subject.of, PersonSubject) or not is_head(outline):
            return OutlineFollower(*what)
        if self._networks is None:
            self._networks = self._stack.enter_context(FaceFinder(self._smallest, 1)), FaceDescriber()
        finder, describer = self._networks
        self._head = HeadFollower(*what, sight=lambda: self._frame.rgb(), finder=finder, describer=describer)
        return self._head

    def looks(self) -> Signature:
        """How somebody looks whose head was followed."""
        return self._head.signature if self._head is not None else Signature.none()

    def sought(self, follower: OutlineFollower, number: int) -> Place | None:
        """Where it is seen again in a frame."""
        if isinstance(follower, HeadFollower):
            self._frame = self._reader.read(number)
            return follower.sought(self._frame.rgb())
        return follower.found_again(self.grey(number))


def _placed_elsewhere(
    project: Project, subject: Subject | None, clip: str, frame: int, first: int, last: int
) -> dict[int, Outline]:
    """Where the sighting at a frame was placed by hand at other frames."""
    sighting = sighting_at(subject, clip, frame) if subject else None
    return (
        {k: outline_at(project, sighting, k) for k in sighting.marks() if first <= k <= last and k != frame}
        if sighting
        else {}
    )


def _legs(placed: list[int], frame: int, way: Direction) -> list[tuple[int, int | None]]:
    """From a frame on, or back, from each frame in which it was placed to the next, and from the last one to where it
    ends."""
    stops = [k for k in placed if k >= frame] if way == Direction.ON else [k for k in reversed(placed) if k <= frame]
    return [*zip(stops, stops[1:]), (stops[-1], None)]


def in_front(project: Project, subject: Subject, clip: str, frame: int) -> np.ndarray | None:
    """What is in front of somebody in a frame, bool (rows, columns) of the upright clip; None for nothing."""
    size, mask = project.clip(clip).picture_size, None
    for _, sighting in fronts_of(project, subject, clip, frame):
        outline = outline_at(project, sighting, frame)
        drawn = outline.raster(size)
        if drawn is not None:
            mask = np.zeros(size[::-1], bool) if mask is None else mask
            (x0, y0, x1, y1), alpha = drawn
            mask[y0:y1, x0:x1] |= alpha > 0
    return mask


@dataclass(frozen=True, slots=True)
class Following:
    """What is to be followed: whose outline, from which frame of which clip, which way, within first .. last; motion,
    search range in outline sizes and the part that is looked at, None for what suits."""

    subject: str
    clip: str
    frame: int
    direction: Direction
    span: tuple[int, int]
    motion: Motion | None = None
    room: float | None = None
    looked: Outline | None = None


def follow_between(
    project: Project, wanted: Following, outline: Outline, control: JobControl, tell: Callable[[Path], None]
) -> FollowedOutline:
    """As follow_outline, for a process of its own: tells now and then of the path as far as it is known."""
    known: dict[int, Step] = {}

    def told(number: int, step: Step) -> None:
        if step.known:
            known[number] = step
        if known and len(known) % TELL_EVERY == 0 and step.known:
            tell(path_so_far(wanted.frame, outline, known))

    settings = FollowSettings() if wanted.room is None else FollowSettings(room=wanted.room)
    return follow_outline(
        project,
        wanted.clip,
        wanted.frame,
        outline,
        wanted.direction,
        wanted.motion,
        control,
        told,
        first=wanted.span[0],
        last=wanted.span[1],
        settings=settings,
        subject=wanted.subject,
        looked=wanted.looked,
    )


def path_so_far(frame: int, outline: Outline, known: dict[int, Step]) -> Path:
    """The path through a start and the frames in which something was seen; what lies between those is bridged by a
    straight line."""
    numbers = np.array(sorted({frame, *known}))
    rows = np.array(
        [
            [*outline.place.row(), 1.0] if n == frame else [*known[n].place.row(), known[n].confidence]
            for n in numbers.tolist()
        ]
    )
    every = np.arange(numbers[0], numbers[-1] + 1)
    table = np.stack([np.interp(every, numbers, column) for column in rows.T], axis=1)
    seen = np.isin(every, numbers)
    table[~seen, 8] = 0.0
    return Path.from_rows(
        int(numbers[0]),
        np.column_stack([table[:, :5], table[:, 8]]),
        lean=table[:, 5:8],
        origin=np.where(every == frame, PLACED, np.where(seen, FOLLOWED, BRIDGED)).astype(np.uint8),
    )


def find_edges(
    project: Project,
    subject: str,
    clip_key: str,
    frame: int,
    control: JobControl,
    tell: Callable[[object], None] = lambda news: None,
) -> tuple[Path, Masks]:
    """The exact edge of what is inside an outline, in every frame of the sighting at a frame: from there on, and from
    there back. Returns where it was looked for, and the masks. Raises EditRefused where there is no sighting, and what
    open_source and reading raise."""
    clip, somebody = project.clip(clip_key), project.subject(subject)
    sighting = sighting_at(somebody, clip_key, frame)
    if sighting is None:
        raise EditRefused(f"{somebody.name} is not seen at this frame; go to a frame where the lane has a bar.")
    first, last = sighting.first, min(sighting.last, clip.frames - 1)
    info, index = open_source(clip, control)
    found: dict[int, np.ndarray] = {}
    with FrameReader(info, index, keep=KEEP) as reader:
        for numbers in (range(frame, last + 1), range(frame, first - 1, -1)):
            finder = EdgeFinder()
            for number in numbers:
                found[number] = finder.step(reader.read(number).rgb(), outline_at(project, sighting, number))
                control.report(EDGES, len(found), last - first + 1)
    rows = np.array(
        [
            [*(place := outline_at(project, sighting, n).place.row())[:5], 1.0, *place[5:]]
            for n in range(first, last + 1)
        ]
    )
    return Path.from_rows(first, rows[:, :6], np.full(len(rows), FOLLOWED, np.uint8), rows[:, 6:]).kept(), Masks.of(
        first, [found[n] for n in range(first, last + 1)]
    )


_WHY = {
    Why.END: "",
    Why.LEFT: "left the picture",
    Why.HIDDEN: "was lost sight of",
    Why.CUT: "was followed up to a cut",
    Why.PLAIN: "had nothing to hold on to",
}


def end_sentences(project: Project, clip_key: str, name: str, found: FollowedOutline) -> list[str]:
    """Why following stopped and where, and where it was seen again, for a person; empty where it went to the end."""
    clip = project.clip(clip_key)
    said = [
        f"{name} {_WHY[why]} at {clip.at(at)}" + (", going back." if way == Direction.BACK else ".")
        for way, why, at in found.ends
        if _WHY[why]
    ]
    return [*said, *(f"It was found again at {clip.at(frame)}." for frame in found.back)]
