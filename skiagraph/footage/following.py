"""Following an outline of a project through its clip, from the frame it was placed in: the path as evidence, and the sighting that rests on it."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from enum import StrEnum

import numpy as np

from skiagraph.errors import EditRefused
from skiagraph.follow.follower import Followed, FollowSettings, Motion, OutlineFollower, Step, Why, follow, joined
from skiagraph.footage.source import open_source
from skiagraph.jobs import JobControl
from skiagraph.media.reader import FrameReader
from skiagraph.project.model import Project
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


def follow_outline(project: Project, clip_key: str, frame: int, outline: Outline, direction: Direction = Direction.BOTH, motion: Motion = Motion.TURNING,
                   control: JobControl | None = None, told: Callable[[int, Step], None] = lambda frame, step: None, *, first: int = 0, last: int | None = None,
                   settings: FollowSettings = FollowSettings()) -> FollowedOutline:
    """Follow an outline from a frame, within first .. last. told: of each frame as it goes.

    Raises EditRefused where there is nothing in it to hold on to, Cancelled, and what open_source and reading raise.
    """
    control = control or JobControl()
    clip = project.clip(clip_key)
    last = clip.frames - 1 if last is None else min(last, clip.frames - 1)
    if not 0 <= frame < clip.frames:
        raise EditRefused(f"{clip.path.name} has frames 0 to {clip.frames - 1}; {frame} is not among them.")
    info, index = open_source(clip, control)
    ways: list[Followed] = []
    ends = []
    wanted = {Direction.BOTH: (Direction.ON, Direction.BACK)}.get(direction, (direction,))
    total = sum(last - frame if way == Direction.ON else frame - first for way in wanted)
    with FrameReader(info, index, keep=KEEP) as reader:
        start = reader.read(frame).grey()
        done = 0

        def pictures(numbers) -> Iterator[tuple[int, np.ndarray]]:
            nonlocal done
            for number in numbers:
                yield number, reader.read(number).grey()
                done += 1
                control.report(STEP, done, total)

        for way in wanted:
            follower = OutlineFollower(start, outline.place, outline.shape, float(clip.rate), motion, settings)
            if follower.is_plain:
                raise EditRefused("There is too little in this outline to hold on to; take in an edge or a corner of what is there, or place it by hand.")
            found = follow(follower, frame, start, pictures(range(frame + 1, last + 1) if way == Direction.ON else range(frame - 1, first - 1, -1)), told)
            ways.append(found)
            ends.append((way, found.why, found.at))
    return FollowedOutline(joined(frame, outline.place, ways), tuple(ends))


def follow_between(project: Project, clip_key: str, frame: int, outline: Outline, direction: Direction, span: tuple[int, int], control: JobControl,
                   tell: Callable[[Path], None]) -> FollowedOutline:
    """As follow_outline, for a process of its own: tells now and then of the path as far as it is known."""
    known: dict[int, Step] = {}

    def told(number: int, step: Step) -> None:
        if step.known:
            known[number] = step
        if known and len(known) % TELL_EVERY == 0 and step.known:
            tell(path_so_far(frame, outline, known))

    return follow_outline(project, clip_key, frame, outline, direction, control=control, told=told, first=span[0], last=span[1])


def path_so_far(frame: int, outline: Outline, known: dict[int, Step]) -> Path:
    """The path through a start and the frames in which something was seen; what lies between those is bridged by a straight line."""
    numbers = np.array(sorted({frame, *known}))
    rows = np.array([[*outline.place.row(), 1.0] if n == frame else [*known[n].place.row(), known[n].confidence] for n in numbers.tolist()])
    every = np.arange(numbers[0], numbers[-1] + 1)
    table = np.stack([np.interp(every, numbers, column) for column in rows.T], axis=1)
    seen = np.isin(every, numbers)
    table[~seen, 5] = 0.0
    return Path.from_rows(int(numbers[0]), table, np.where(every == frame, PLACED, np.where(seen, FOLLOWED, BRIDGED)).astype(np.uint8))


_WHY = {Why.END: "", Why.LEFT: "left the picture", Why.HIDDEN: "was lost sight of", Why.CUT: "was followed up to a cut", Why.PLAIN: "had nothing to hold on to"}


def end_sentence(project: Project, clip_key: str, name: str, end: tuple[Direction, Why, int]) -> str:
    """Why following stopped and where, for a person; empty where it went to the end."""
    way, why, at = end
    return f"{name} {_WHY[why]} at {project.clip(clip_key).at(at)}" + (", going back." if way == Direction.BACK else ".") if _WHY[why] else ""
