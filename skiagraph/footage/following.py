"""Following an outline of a project through its clip, from the frame it was placed in: the path as evidence, and the sighting that rests on it."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from enum import StrEnum

import numpy as np

from skiagraph.errors import EditRefused
from skiagraph.follow.follower import Followed, FollowSettings, Motion, OutlineFollower, Step, Why, chained, follow, joined, met
from skiagraph.footage.source import open_source
from skiagraph.jobs import JobControl
from skiagraph.media.reader import FrameReader
from skiagraph.project.model import Project, Subject
from skiagraph.project.outlines import sighting_at
from skiagraph.project.rows import held_from, outline_at
from skiagraph.shape.shape import Outline
from skiagraph.track.path import BRIDGED, FOLLOWED, PLACED, Path

STEP = "Following"
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
    """path: from the first frame to the last in which it is known where it is; ends: of each way, "back" or "on", why it stopped and at which frame."""

    path: Path
    ends: tuple[tuple[Direction, Why, int], ...]


def follow_outline(project: Project, clip_key: str, frame: int, outline: Outline, direction: Direction = Direction.BOTH, motion: Motion | None = None,
                   control: JobControl | None = None, told: Callable[[int, Step], None] = lambda frame, step: None, *, first: int = 0, last: int | None = None,
                   settings: FollowSettings = FollowSettings(), subject: str = "", looked: Outline | None = None) -> FollowedOutline:
    """Follow an outline from a frame, within first .. last. told: of each frame as it goes. subject: whose outline it is, by key: what is in front of them is not looked
    at, and where they were placed at other frames, that is a look of its own, and what lies between is followed from both. looked: the part of the outline to look
    at, in the unit frame of its place.

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
    total = sum(abs((last if way == Direction.ON else first) - a) if b is None else 2 * abs(b - a) for way, a, b in legs)
    paths, ends, done = [], [], 0

    def ignored(number: int) -> np.ndarray | None:
        return in_front(project, known, clip_key, number) if known else None

    with FrameReader(info, index, keep=KEEP) as reader:

        def one_way(start: int, stop: int) -> Followed:
            """From a frame in which it was placed up to another one, that included."""
            nonlocal done

            def pictures() -> Iterator[tuple[int, np.ndarray]]:
                nonlocal done
                for number in range(start + step, stop + step, step):
                    yield number, reader.read(number).grey()
                    done += 1
                    control.report(STEP, done, max(total, done))

            step = 1 if stop >= start else -1
            grey, here = reader.read(start).grey(), placed[start]
            follower = OutlineFollower(grey, here.place, here.shape, float(clip.rate), motion, settings, ignored(start), looked)
            if follower.is_plain and start == frame:
                raise EditRefused("There is too little in this outline to hold on to; take in an edge or a corner of what is there, or place it by hand.")
            return follow(follower, start, grey, pictures(), told, ignored)

        for way, a, b in legs:
            if b is None:
                found = one_way(a, last if way == Direction.ON else first)
                paths.append(joined(a, placed[a].place, [found]))
                ends.append((way, found.why, found.at))
            else:
                low, high = min(a, b), max(a, b)
                paths.append(met(low, placed[low].place, one_way(low, high - 1), high, placed[high].place, one_way(high, low + 1)))
    return FollowedOutline(chained(paths), tuple(ends))


def _placed_elsewhere(project: Project, subject: Subject | None, clip: str, frame: int, first: int, last: int) -> dict[int, Outline]:
    """Where the sighting at a frame was placed by hand at other frames."""
    sighting = sighting_at(subject, clip, frame) if subject else None
    return {k: outline_at(project, sighting, k) for k in sighting.marks() if first <= k <= last and k != frame} if sighting else {}


def _legs(placed: list[int], frame: int, way: Direction) -> list[tuple[int, int | None]]:
    """From a frame on, or back, from each frame in which it was placed to the next, and from the last one to where it ends."""
    stops = [k for k in placed if k >= frame] if way == Direction.ON else [k for k in reversed(placed) if k <= frame]
    return [*zip(stops, stops[1:]), (stops[-1], None)]


def in_front(project: Project, subject: Subject, clip: str, frame: int) -> np.ndarray | None:
    """What is in front of somebody in a frame, bool (rows, columns) of the upright clip; None for nothing."""
    size, mask = project.clip(clip).picture_size, None
    for _, sighting in held_from(project, subject, clip, frame):
        outline = outline_at(project, sighting, frame)
        drawn = outline.raster(size)
        if drawn is not None:
            mask = np.zeros(size[::-1], bool) if mask is None else mask
            (x0, y0, x1, y1), alpha = drawn
            mask[y0:y1, x0:x1] |= alpha > 0
    return mask


@dataclass(frozen=True, slots=True)
class Following:
    """What is to be followed: whose outline, from which frame of which clip, which way, within first .. last; motion, search range in outline sizes and the part that is
    looked at, None for what suits."""

    subject: str
    clip: str
    frame: int
    direction: Direction
    span: tuple[int, int]
    motion: Motion | None = None
    room: float | None = None
    looked: Outline | None = None


def follow_between(project: Project, wanted: Following, outline: Outline, control: JobControl, tell: Callable[[Path], None]) -> FollowedOutline:
    """As follow_outline, for a process of its own: tells now and then of the path as far as it is known."""
    known: dict[int, Step] = {}

    def told(number: int, step: Step) -> None:
        if step.known:
            known[number] = step
        if known and len(known) % TELL_EVERY == 0 and step.known:
            tell(path_so_far(wanted.frame, outline, known))

    settings = FollowSettings() if wanted.room is None else FollowSettings(room=wanted.room)
    return follow_outline(project, wanted.clip, wanted.frame, outline, wanted.direction, wanted.motion, control, told, first=wanted.span[0], last=wanted.span[1],
                          settings=settings, subject=wanted.subject, looked=wanted.looked)


def path_so_far(frame: int, outline: Outline, known: dict[int, Step]) -> Path:
    """The path through a start and the frames in which something was seen; what lies between those is bridged by a straight line."""
    numbers = np.array(sorted({frame, *known}))
    rows = np.array([[*outline.place.row(), 1.0] if n == frame else [*known[n].place.row(), known[n].confidence] for n in numbers.tolist()])
    every = np.arange(numbers[0], numbers[-1] + 1)
    table = np.stack([np.interp(every, numbers, column) for column in rows.T], axis=1)
    seen = np.isin(every, numbers)
    table[~seen, 8] = 0.0
    return Path.from_rows(int(numbers[0]), np.column_stack([table[:, :5], table[:, 8]]), lean=table[:, 5:8], origin=np.where(every == frame, PLACED, np.where(seen, FOLLOWED, BRIDGED)).astype(np.uint8))


_WHY = {Why.END: "", Why.LEFT: "left the picture", Why.HIDDEN: "was lost sight of", Why.CUT: "was followed up to a cut", Why.PLAIN: "had nothing to hold on to"}


def end_sentence(project: Project, clip_key: str, name: str, end: tuple[Direction, Why, int]) -> str:
    """Why following stopped and where, for a person; empty where it went to the end."""
    way, why, at = end
    return f"{name} {_WHY[why]} at {project.clip(clip_key).at(at)}" + (", going back." if way == Direction.BACK else ".") if _WHY[why] else ""
