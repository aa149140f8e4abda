"""The second pass of a scan: follows where no face was found, one sweep through the frames that anything needs.

Gaps and leads wait for all their pictures; tails go on frame by frame for as long as the head is there, so that
somebody who turns away is followed until they leave, come back into view, or are lost. Memory does not grow with the
clip's length.
"""

from __future__ import annotations

import os
from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import Future, ThreadPoolExecutor
from contextlib import closing
from dataclasses import dataclass, field, replace

import numpy as np

from skiagraph.boxes import cxcywh_to_xyxy, iou
from skiagraph.jobs import JobControl, read_ahead
from skiagraph.media.clip import ClipInfo
from skiagraph.media.index import FrameIndex
from skiagraph.media.parts import RgbParts
from skiagraph.media.reader import FrameReader
from skiagraph.track.bridging import (
    FOLLOWING,
    HOLD,
    Bridge,
    BridgeSettings,
    Followed,
    Lead,
    LeadTask,
    Task,
    Window,
    gap_tasks,
    held,
    lead_task,
    loose_ends,
    touches_edge,
)
from skiagraph.track.chaining import SPEED_ROWS, Chain, end_speed
from skiagraph.track.following import Follower, between
from skiagraph.track.silhouette import Silhouette
from skiagraph.track.stepping import without_non_reference

STEP_FOLLOW = "Following"


@dataclass(frozen=True, slots=True)
class FollowOnSettings:
    """Following on where no face was found. Set by benchmarks/quality.py (aside, jackets, crowd)."""

    # overlap (IoU) from which a follower lies on a head that was found: where that begins just then it has arrived,
    # else it went over to somebody; larger: fewer tails find their way
    meets: float = 0.4
    # width of that head against the tail's, from and to
    size: tuple[float, float] = (0.6, 1.6)
    # overlap (IoU) from which one head is in front of another
    hides: float = 0.15
    # seconds behind others, since it was surely seen, after which a head is lost; larger: longer covers that may be
    # nobody's
    hidden_s: float = 1.0
    # confidence from which it is surely seen (quay, every frame: 16 frames more on another person without it); larger:
    # more heads are lost
    seen_again: float = 0.5
    # seconds just on the head of another after which a follower went over to it
    behind_s: float = 0.5
    # frames in which a lead lies over the known head of somebody else from which it may have gone over to them; larger:
    # less is asked
    met_frames: int = 3
    # confidence of a lead beyond that at most, so that a person looks (review.finding.UNSURE; veiled, each 8th frame: 8
    # leaks in no finding)
    past: float = 0.34
    # frames on somebody else's head that are no crossing any more
    taken_frames: int = 6
    # heads from its middle within which a smaller head that is found is in its place; larger: more covers end there
    within: float = 0.3
    # seconds after which that is nobody who passes before or behind (alike, stepping: with 0.24 six leaks more);
    # smaller: more covers end
    within_s: float = 1.0
    # seconds for which what is hardly a face is covered before and after it was seen
    doubtful_s: float = 0.16
    # tasks that wait for a follower at most
    waiting: int = 4
    # rounds in which leads go further back; larger: further
    rounds: int = 7


FOLLOW_ON = FollowOnSettings()


@dataclass(slots=True)
class _Tail:
    """A head followed on after its last sight.

    chain, row: the found head that it goes on from, in frame first; last: as far as it may go; hidden: frames behind
    the head of somebody else since it was surely seen; taken: frames just on such a head; seen_to_move: its speed is
    known; met: number of the chain that begins where it came to.
    """

    chain: int
    row: int
    first: int
    last: int
    head: np.ndarray
    speed: np.ndarray
    seen_to_move: bool
    rows: list[np.ndarray] = field(default_factory=list)
    follower: Follower | None = None
    hidden: int = 0
    taken: int = 0
    met: int | None = None
    reason: str = ""
    done: bool = False

    @property
    def scale(self) -> float:
        return min(1.0, FOLLOWING.enough_px / max(float(self.head[2]), 1.0))

    @property
    def now(self) -> np.ndarray:
        """cx, cy, width, height, angle in px of the frame."""
        state = self.follower.state.copy()
        state[:4] /= self.scale
        return state


@dataclass(frozen=True, slots=True)
class Solved:
    """results: for each chain; meetings: (chain, chain that goes on where its tail came to)."""

    results: list[Followed]
    meetings: list[tuple[int, int]]


def second_pass(
    info: ClipInfo,
    index: FrameIndex,
    chains: Sequence[Chain],
    shots: Callable[[int], tuple[int, int]],
    control: JobControl,
    settings: BridgeSettings = BridgeSettings(),
) -> Solved:
    """Follow for all chains. shots: first and last frame of the shot that a frame is in. Raises Cancelled."""
    return _SecondPass(info, index, chains, shots, control, settings).run()


class _SecondPass:
    def __init__(self, info, index, chains, shots, control, settings):
        self.info, self.index, self.chains, self.shots, self.control, self.settings = (
            info,
            index,
            chains,
            shots,
            control,
            settings,
        )
        self.size, self.rate = info.upright_size, float(info.rate)
        self.silhouette = Silhouette()
        # Followers do as well with every other picture, and what lies between is as its neighbours are.
        self.needed = without_non_reference(index.non_reference, self._ends())
        self.results = [Followed() for _ in chains]
        # Where heads were found, and where they were between two sights, too.
        self.heads: dict[int, list[tuple[int, np.ndarray]]] = {}
        self.between: dict[int, list[tuple[int, np.ndarray]]] = {}
        for number, chain in enumerate(chains):
            if not chain.doubtful:
                for frame, head in zip(chain.frames, chain.heads):
                    self.heads.setdefault(int(frame), []).append((number, head))
                for frame, head in _heads_of(chain, settings.line_frames):
                    self.between.setdefault(frame, []).append((number, head))

    def run(self) -> Solved:
        tasks: list[tuple[int, Task]] = []
        tails: list[_Tail] = []
        for number, chain in enumerate(self.chains):
            tasks += [(number, task) for task in gap_tasks(chain, self.size, self.silhouette, self.settings)]
            begins, ends = loose_ends(chain, self.rate, self.settings)
            if chain.doubtful:
                self.results[number].leads.update({row: Lead(self._held_before(chain, row), False) for row in begins})
            tasks += self._leads(number, begins)
            tails += [self._tail(number, row) for row in ends]
        self._sweep(tasks, [t for t in tails if t.last > t.first])
        for _ in range(FOLLOW_ON.rounds):
            further = self._further_leads()
            if not further:
                break
            self._sweep(further, [])
        for tail in tails:
            self._finish(tail)
        # A tail in a gap of its own chain goes on in that, whatever else begins where it came to.
        return Solved(
            self.results,
            [(t.chain, t.met) for t in tails if t.met is not None and t.row == len(self.chains[t.chain].frames) - 1],
        )

    def _ends(self) -> np.ndarray:
        """bool (n,), frames in which something to be followed begins or ends, and those around cuts."""
        ends = np.zeros(len(self.index), bool)
        for chain in self.chains:
            breaks = np.flatnonzero(np.diff(chain.frames) > 1)
            ends[chain.frames[np.concatenate([[0], breaks, breaks + 1, [-1]])]] = True
            for row in (0, -1):
                ends[list(self.shots(int(chain.frames[row])))] = True
        return ends

    def _leads(self, number: int, rows: list[int]) -> list[tuple[int, Task]]:
        return [(number, task) for row in rows if (task := self._lead(number, row))]

    def _lead(self, number: int, row: int, known: np.ndarray | None = None) -> LeadTask | None:
        chain = self.chains[number]
        if chain.doubtful:
            return None
        earliest = self.shots(int(chain.frames[row]))[0] if row == 0 else int(chain.frames[row - 1]) + 1
        return lead_task(
            row,
            chain,
            self.size,
            earliest,
            self.rate,
            self.silhouette,
            known,
            self.settings,
            self.needed,
            lambda frame, head: self._is_hidden(number, frame, head),
        )

    def _is_hidden(self, number: int, frame: int, head: np.ndarray) -> bool:
        """Whether the known head of somebody else than a chain's is where a head (5,) of that should be."""
        mine = cxcywh_to_xyxy(head[None, :4])
        return any(
            other != number and float(iou(mine, cxcywh_to_xyxy(there[None, :4]))[0, 0]) > FOLLOW_ON.hides
            for other, there in self.between.get(frame, ())
        )

    def _held_before(self, chain: Chain, row: int) -> np.ndarray:
        """Rows (n, 6), nearest first, of a cover that is there a little before something doubtful."""
        frame = int(chain.frames[row])
        count = min(round(FOLLOW_ON.doubtful_s * self.rate), frame - self.shots(frame)[0])
        return np.repeat(np.append(chain.heads[row], HOLD.begins).astype(float)[None], max(0, count), axis=0)

    def _further_leads(self) -> list[tuple[int, Task]]:
        further = []
        for number, results in enumerate(self.results):
            for row, lead in list(results.leads.items()):
                if lead.goes_on:
                    results.leads[row] = Lead(lead.rows, False)
                    # Where the head of somebody else is known, it is theirs.
                    task = self._lead(number, row, lead.rows)
                    if task:
                        further.append((number, task))
        return further

    def _tail(self, number: int, row: int) -> _Tail:
        chain = self.chains[number]
        frame = int(chain.frames[row])
        last = self.shots(frame)[1] if row == len(chain.frames) - 1 else int(chain.frames[row + 1]) - 1
        longest = round((FOLLOW_ON.doubtful_s if chain.doubtful else self.settings.tail_s) * self.rate)
        speed = end_speed(chain.frames[: row + 1], chain.heads[: row + 1], False)
        return _Tail(
            number, row, frame, min(last, frame + longest), chain.heads[row].astype(float), speed, row + 1 >= SPEED_ROWS
        )

    def _finish(self, tail: _Tail) -> None:
        longest = tail.last - tail.first
        rows = np.array(tail.rows, float).reshape(-1, 6)[:longest]
        if tail.met is None:
            rows = held(
                rows,
                np.append(tail.head, HOLD.begins),
                tail.speed,
                tail.reason,
                longest,
                self.size,
                self.rate,
                self.settings,
            )
        self.results[tail.chain].tails[tail.row] = rows
        if tail.reason == "left" or touches_edge(rows[-1] if len(rows) else tail.head, self.size, np.zeros(2)):
            self.results[tail.chain].left.add(tail.row)

    def _sweep(self, tasks: list[tuple[int, Task]], tails: list[_Tail]) -> None:
        waiting = sorted(tasks, key=lambda entry: entry[1].first)
        waiting_tails = sorted(tails, key=lambda tail: tail.first)
        wanted = np.zeros(len(self.index), bool)
        for _, task in waiting:
            wanted[task.first : task.last + 1] = True
        by_tail = np.zeros(len(self.index), bool)
        for tail in tails:
            by_tail[tail.first : tail.last + 1] = True
        going: list[_Tail] = list(waiting_tails)

        def frames():
            for n in np.flatnonzero((wanted | by_tail) & self.needed):
                if wanted[n] or any(t.first <= n <= t.last and not t.done for t in going):
                    yield int(n), RgbParts(reader.read(int(n)))

        open_tasks: list[tuple[int, Task, dict[int, np.ndarray]]] = []
        running: list[_Tail] = []
        before: tuple[int, RgbParts] | None = None
        solving: list[tuple[int, Task, Future]] = []
        with (
            FrameReader(self.info, self.index, threads=2, rough=True, wanted=self.needed) as reader,
            closing(read_ahead(frames(), 3)) as pictures,
            ThreadPoolExecutor(min(4, os.cpu_count() or 1), thread_name_prefix="follower") as pool,
        ):
            for frame, picture in pictures:
                self.control.report(STEP_FOLLOW, frame, len(self.index))
                while waiting and waiting[0][1].first <= frame:
                    number, task = waiting.pop(0)
                    open_tasks.append((number, task, {}))
                for number, task, kept in open_tasks:
                    kept[frame] = _through(task.window, picture)
                    if frame == task.last:
                        # Pictures do not pile up before the followers.
                        if len(solving) >= FOLLOW_ON.waiting:
                            solving[-FOLLOW_ON.waiting][2].result()
                        solving.append((number, task, pool.submit(self._solved, number, task, kept)))
                open_tasks = [entry for entry in open_tasks if entry[1].last > frame]
                if before is not None and not self.needed[before[0] + 1 : frame].any():
                    list(
                        pool.map(
                            lambda tail: self._follow_on(tail, frame, frame - before[0], before[1], picture), running
                        )
                    )
                else:
                    for tail in running:
                        tail.done = True
                while waiting_tails and waiting_tails[0].first <= frame:
                    tail = waiting_tails.pop(0)
                    if tail.first == frame:
                        running.append(tail)
                running = [t for t in running if not t.done and frame < t.last]
                before = frame, picture
            for number, task, under_way in solving:
                task.keep(under_way.result(), self.results[number])
        self.control.report(STEP_FOLLOW, len(self.index), len(self.index))

    def _solved(self, number: int, task: Task, pictures: dict[int, np.ndarray]) -> Bridge | Lead:
        result = task.solve(list(pictures), list(pictures.values()))
        return self._cut_where_taken(number, task.row, result) if isinstance(result, Lead) else result

    def _cut_where_taken(self, number: int, row: int, lead: Lead) -> Lead:
        """A lead that has come to lie on the known head of somebody else has jumped on to them, and ends where it did.

        Beyond somebody whom it met nobody is sure of it: a shape there may be theirs.
        """
        begin, rows = int(self.chains[number].frames[row]), lead.rows.copy()
        taken = over = met = 0
        for n, place in enumerate(lead.rows):
            mine, frame = cxcywh_to_xyxy(place[None, :4]), begin - 1 - n
            overlap = max(
                (
                    float(iou(mine, cxcywh_to_xyxy(head[None, :4]))[0, 0])
                    for other, head in self.heads.get(frame, ())
                    if other != number
                ),
                default=0.0,
            )
            within = any(other != number and _is_within(head, place) for other, head in self.between.get(frame, ()))
            taken, over, met = (
                taken + 1 if overlap > FOLLOW_ON.meets else 0,
                over + 1 if within else 0,
                met + (within or overlap > FOLLOW_ON.hides),
            )
            if met >= FOLLOW_ON.met_frames:
                rows[n, 5] = min(rows[n, 5], FOLLOW_ON.past)
            for count, most in ((taken, FOLLOW_ON.taken_frames), (over, FOLLOW_ON.within_s * self.rate)):
                if count >= most:
                    return Lead(rows[: n + 1 - count], False)
        return replace(lead, rows=rows)

    def _follow_on(self, tail: _Tail, frame: int, passed: int, before: RgbParts, after: RgbParts) -> None:
        head = tail.head if tail.follower is None else tail.now
        window = Window.around(np.stack([head[:4], head[:4]]), self.size, scale=tail.scale)
        scaled = self.size[0] * tail.scale, self.size[1] * tail.scale
        if tail.follower is None:
            tail.follower = Follower(
                _through(window, before),
                window.inward(tail.head),
                tail.speed * tail.scale if tail.seen_to_move else None,
                window.origin,
                scaled,
                self.silhouette,
            )
        met, hidden, taken = self._who_is_there(tail, frame, passed)
        if met is not None:
            tail.met, tail.done = met, True
            return
        if hidden:
            tail.hidden += passed
        elif tail.follower.confidence >= FOLLOW_ON.seen_again:
            tail.hidden = 0
        tail.taken = tail.taken + passed if taken else 0
        row = tail.follower.step(
            _through(window, before), _through(window, after), window.origin, hidden=hidden, frames=passed
        )
        tail.reason = (
            "lost"
            if tail.hidden > FOLLOW_ON.hidden_s * self.rate or tail.taken > FOLLOW_ON.behind_s * self.rate
            else tail.follower.reason
        )
        if row is not None:
            row = window.outward(row)
            tail.rows += between(tail.rows[-1] if tail.rows else np.append(head[:5], row[5]), row, passed)
        if tail.taken > FOLLOW_ON.behind_s * self.rate:
            # All that time it was the other's.
            del tail.rows[-tail.taken :]
        tail.done = bool(tail.reason)

    def _who_is_there(self, tail: _Tail, frame: int, passed: int) -> tuple[int | None, bool, bool]:
        """Who is where a tail has come to: the chain that begins there, if one does; else whether the head of somebody
        else hides it, and whether that is at the very same place."""
        expected = tail.head.copy() if tail.follower is None else tail.now
        if tail.follower is not None:
            expected[:2] += passed * tail.follower.speed / tail.scale
        mine = cxcywh_to_xyxy(expected[None, :4])
        hidden = taken = False
        for number, head in self.heads.get(frame, ()):
            if number == tail.chain:
                continue
            overlap = float(iou(mine, cxcywh_to_xyxy(head[None, :4]))[0, 0])
            begins = frame - int(self.chains[number].frames[0]) <= 2
            if (
                overlap > FOLLOW_ON.meets
                and begins
                and FOLLOW_ON.size[0] < head[2] / max(expected[2], 1) < FOLLOW_ON.size[1]
            ):
                return number, False, False
            hidden |= overlap > FOLLOW_ON.hides
            taken |= overlap > FOLLOW_ON.meets
        return None, hidden, taken


def _through(window: Window, picture: RgbParts) -> np.ndarray:
    """What a window shows of a picture."""
    return window.cut(picture.around(window.box))


def _heads_of(chain: Chain, blink: int) -> Iterator[tuple[int, np.ndarray]]:
    """Frames and heads (5,) of a chain, also those between two that were found at most so many missing frames apart."""
    for n, (frame, head) in enumerate(zip(chain.frames, chain.heads)):
        yield int(frame), head
        gap = int(chain.frames[n + 1] - frame) if n + 1 < len(chain.frames) else 1
        if 1 < gap <= blink + 1:
            yield from ((int(frame) + k, head + (chain.heads[n + 1] - head) * (k / gap)) for k in range(1, gap))


def _is_within(head: np.ndarray, place: np.ndarray) -> bool:
    """Whether a head lies in the middle of a place and is smaller: whoever were there would hide it, and it was
    found."""
    return bool(head[2] < place[2] and np.hypot(head[0] - place[0], head[1] - place[1]) < FOLLOW_ON.within * place[2])
