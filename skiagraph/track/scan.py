"""Scanning a clip: from its frames to everybody's paths, and who is who.

A sweep finds and links, and looks closer around appearances, disappearances, crossings and doubt; a second pass follows
where nothing was found; and sightings are grouped into people.
"""

from __future__ import annotations

import uuid
from bisect import bisect_right
from collections.abc import Callable, Collection, Iterator, Sequence
from dataclasses import dataclass, replace

import numpy as np

from skiagraph.boxes import xyxy_to_cxcywh
from skiagraph.detect.bodies import BodyFinder
from skiagraph.detect.finder import FaceFinder
from skiagraph.errors import FrameNotDecoded
from skiagraph.jobs import JobControl, single_threaded_calls
from skiagraph.lazily import load_ahead, ndimage, optimize
from skiagraph.media.clip import ClipInfo
from skiagraph.media.frame import Frame
from skiagraph.media.index import FrameIndex
from skiagraph.media.reader import FrameReader
from skiagraph.track.behind import around_others, together
from skiagraph.track.body import BodyLandmarks
from skiagraph.track.both_places import holding_both
from skiagraph.track.bridging import BridgeSettings
from skiagraph.track.brief_shots import brief_shots, held_in_brief
from skiagraph.track.chaining import Chain, chains
from skiagraph.track.crossings import less_sure
from skiagraph.track.cuts import CUTS
from skiagraph.track.describing import Description, describe, is_of
from skiagraph.track.descriptor import FaceDescriber
from skiagraph.track.dissolves import held_over, with_middles
from skiagraph.track.doubtful import (
    at_one_place,
    looked_at,
    seen_twice,
    taken_for_known,
    to_look_at,
    without_inside,
    without_nobody,
)
from skiagraph.track.held_before import held_before
from skiagraph.track.light import in_ordinary_light
from skiagraph.track.linking import Linker, LinkSettings, Seen, Tracklet, extend_back
from skiagraph.track.meetings import meetings_of
from skiagraph.track.observations import Checkpoint, claimed, restored
from skiagraph.track.over_edge import held_over_edge
from skiagraph.track.path import FOUND, Path
from skiagraph.track.people import (
    PEOPLE,
    are_unlike,
    looks_of,
    people_of,
    split_where_unlike,
    stretches_of,
    without_hints,
    without_misread,
    without_shadows,
)
from skiagraph.track.profile import holding_faces, reaching_ahead, wide_while_turned
from skiagraph.track.reconsidering import Reconsidered, frames_wanted, reconsidered
from skiagraph.track.results import SIGN, FaceRows, FaceTable, FoundPerson, ScanResult
from skiagraph.track.second_pass import second_pass
from skiagraph.track.silhouette import Silhouette
from skiagraph.track.stepping import interval, smallest_face, step_of
from skiagraph.track.stretch import Stretch
from skiagraph.track.sweep import SWEEP, Sweep
from skiagraph.track.unfaced import Unfaced, looks_in, signs_of, unfaced

STEP_WHO = "Recognising people"


@dataclass(frozen=True, slots=True)
class BelievingSettings:
    """What of the tracks is believed, and how often people are told.

    Set by benchmarks/quality.py, where no face is lost by it.
    """

    # frames between two tellings of the people found so far, when each frame is searched
    partial_every: int = 25
    # frames between two such tellings when stepping, which is quicker
    partial_stepping: int = 50
    # presence, 0..1, with which the landmark network makes a track believed that the detector is not sure of; larger:
    # more is doubtful
    surely_present: float = 0.9
    # score that needs no second opinion
    evident: float = 0.88
    # seconds that a lost track waits when stepping; larger: more is taken up again, and by somebody else
    patience_s: float = 1.6
    # each so many frames searched from which that counts
    stepping_from: int = 4
    # frames of somebody never described before that are read again for it
    described: int = 3
    # score of a face from which that is worth it
    described_score: float = 0.6
    # frames that a track is extended back at most
    back_most: int = 150


BELIEVING = BelievingSettings()


@dataclass(frozen=True, slots=True)
class ScanSettings:
    """every: search each n-th frame, and more often where there are few in a second (track.stepping); smallest: px of
    the smallest face to find; 0: what suits the clip's size; part: first and last frame of the part of the clip that
    the index given is of, None for all of it.
    """

    every: int = 1
    smallest: int = 0
    part: tuple[int, int] | None = None

    def smallest_for(self, info: ClipInfo) -> int:
        return self.smallest or smallest_face(info.upright_size)


def scan(
    info: ClipInfo,
    index: FrameIndex,
    settings: ScanSettings = ScanSettings(),
    control: JobControl | None = None,
    partial: Callable[[ScanResult], None] | None = None,
    *,
    keep: bool = False,
) -> ScanResult:
    """Find, follow and recognise everybody in a clip. partial is told of the people found so far, from the calling
    thread.

    A scan that was cancelled or died goes on where it was when it is begun again with the same settings. keep: so does
    one that is done, until `forget` is called, for whoever has yet to write the result down. Of two at once the second
    keeps nothing that another would go on with. Raises Cancelled.
    """
    control = control or JobControl()
    load_ahead(optimize, ndimage)
    with (
        claimed(info.path, repr(settings)) as mine,
        single_threaded_calls(),
        FaceFinder(settings.smallest_for(info)) as finder,
        BodyFinder() as bodies,
    ):
        checkpoint = Checkpoint(info.path, repr(settings) if mine else f"{settings!r} {uuid.uuid4()}")
        try:
            result = _Scan(info, index, settings, control, partial, finder, bodies, checkpoint).run()
        finally:
            if not mine:
                checkpoint.discard()
        if not keep:
            checkpoint.discard()
    return result


def forget(info: ClipInfo, settings: ScanSettings) -> None:
    """Throw away what a scan with these settings has on disk, unless another one is at it."""
    with claimed(info.path, repr(settings)) as mine:
        if mine:
            Checkpoint(info.path, repr(settings)).discard()


def shifted(result: ScanResult, by: int, frames: int) -> ScanResult:
    """The result of a scan of a part as one of the whole clip: its first frame is the clip's frame `by`; frames: of the
    clip."""
    people = tuple(
        replace(
            p,
            paths=tuple(Path.from_rows(path.first + by, path.rows(), path.origin, path.lean) for path in p.paths),
            best_frame=p.best_frame + by,
            joins=tuple(replace(j, first=j.first + by, last=j.last + by) for j in p.joins),
        )
        for p in result.people
    )
    faces = FaceTable(result.faces.frames + np.int32(by), result.faces.boxes, result.faces.scores)
    reached = by + result.end
    return replace(
        result,
        people=people,
        faces=faces,
        cuts=tuple(c + by for c in result.cuts),
        frames=by + result.frames if result.damage else frames,
        reached=reached,
        begun=by,
    )


class _Scan:
    def __init__(self, info, index, settings, control, partial, finder, bodies, checkpoint):
        self.info, self.index, self.settings, self.control = info, index, settings, control
        self.partial, self.finder = partial, finder
        self.rate = float(info.rate)
        every = step_of(settings.every, self.rate)
        self.link_settings = (
            LinkSettings()
            if every == 1
            else LinkSettings(least=2)
            if every < BELIEVING.stepping_from
            else LinkSettings(least=2, patience_s=BELIEVING.patience_s)
        )
        # What lies between two looks that are no further apart than planned is a blink.
        self.bridges = BridgeSettings(line_frames=max(BridgeSettings().line_frames, interval(every, self.rate) - 1))
        self.faces = FaceRows()
        self.frames = len(index)
        self.damage = index.damage
        self._tell_every = BELIEVING.partial_every if every == 1 else BELIEVING.partial_stepping
        self._tell_at = self._tell_every
        self.checkpoint = checkpoint
        self.describer = FaceDescriber()
        # Frames with which shots begin, with the middles of dissolves, once all is seen.
        self.cuts: list[int] = []
        # Of each frame; known when all is linked.
        self.descriptions: dict[int, list[Description]] = {}
        self.sweep = Sweep(
            info, index, finder, bodies, self.describer, every, Linker(self.rate, self.link_settings), self.checkpoint
        )

    def run(self) -> ScanResult:
        """The whole way: detect, associate, bridge, re-identify where people met, widen what is uncertain, group."""
        self._detect()
        self.cuts = with_middles(self.sweep.cuts, self.checkpoint.dissolves)
        chained = self._associated()
        by_body = unfaced(signs_of(self.checkpoint.every()), chained, self._shot, self.rate, self.checkpoint.views)
        stretches = self._bridged(chained, by_body)
        met = by_body.runs.parted(self._reconsidered(stretches))
        stretches = self._widened(met.stretches)
        people, likely = people_of(
            stretches,
            [self._is_still(s) for s in stretches],
            lambda done, total: self.control.report(STEP_WHO, done, total),
            met.joins,
            met.asked,
            at_one_place(stretches, self.rate) + by_body.runs.fixed(stretches),
        )
        return self._result(self._held_over_cuts(people), likely)

    # The stages

    def _associated(self) -> list[Chain]:
        """Sights as tracks, tracks as chains: all of one person that follows on one another without a question."""
        tracklets = self._relinked()
        self.descriptions = without_misread(tracklets, self.sweep.describing.descriptions, self.rate)
        for tracklet in tracklets:
            evident = tracklet.best >= BELIEVING.evident and len(tracklet.frames) >= 2 * self.link_settings.least
            tracklet.doubtful = not self._recognised(tracklet) and (tracklet.doubtful or not evident)
        tracklets = without_shadows(tracklets)
        without_hints(tracklets)
        tracklets = split_where_unlike(tracklets, self.descriptions, self.sweep.describing.lost)
        return chains(tracklets, self.rate, unlike=self._unlike)

    def _bridged(self, by_face: list[Chain], by_body: Unfaced) -> list[Stretch]:
        """Chains as paths without gaps, followed where nothing was found, and without those that are nobody's."""
        chained = by_face + by_body.chains
        solved = second_pass(self.info, self.index, chained, self._shot, self.control, self.bridges)
        self.control.report(STEP_WHO, 0, None)
        stretches = by_body.widened(
            stretches_of(chained, solved.results, solved.meetings, self.descriptions, self.rate, self.bridges)
        )
        stretches = taken_for_known(without_inside(stretches))
        stretches = seen_twice(self._without_nobody(stretches))
        return self._described(stretches)

    def _widened(self, stretches: list[Stretch]) -> list[Stretch]:
        """Paths that hold whoever may be elsewhere than they say: before a first sight and beyond the picture's edge,
        behind others, while turned away, and where two are taken for one. No step makes a path hold less."""
        size = self.info.upright_size
        stretches = held_before(stretches, self._shot, size, self.rate, self.bridges)
        before, around = stretches, around_others(stretches, self._shot, size, self.rate)
        stretches = less_sure(stretches, self.checkpoint.coloured)
        stretches = reaching_ahead(stretches)
        stretches = wide_while_turned(stretches, self.rate, self.checkpoint.views, self.checkpoint.coloured, self.cuts)
        stretches = holding_both(stretches, self.rate)
        stretches = holding_faces(stretches)
        stretches = held_over_edge(stretches, size, self.rate)
        return together(stretches, before, around)

    def _held_over_cuts(self, people: list[FoundPerson]) -> list[FoundPerson]:
        """The same held through shots of a few frames and through dissolves. When all is told apart: whoever is in both
        shots is seen twice meanwhile, and still one person."""
        brief, dissolves = brief_shots(self.cuts, self.frames), self.checkpoint.dissolves
        return [
            replace(
                person,
                paths=tuple(held_in_brief(part, brief) for path in person.paths for part in held_over(path, dissolves)),
            )
            for person in people
        ]

    # Detecting

    def _detect(self) -> None:
        try:
            self.sweep.run(self.control, self._told)
        except FrameNotDecoded as error:
            # The clip is good as far as it goes.
            self.frames, self.damage = error.frame, str(error)
            if not error.frame:
                raise
            self.index = self.index.cut(error.frame, str(error))

    def _told(self, frame: int, seen: Seen, searched: bool) -> None:
        self._remember(frame, seen)
        if self.partial and searched and frame >= self._tell_at:
            # Telling costs more the more there is to tell, so it becomes rarer.
            self.cuts = with_middles(self.sweep.cuts, self.checkpoint.dissolves)
            self._tell_at = frame + max(self._tell_every, frame // 10)
            self.partial(replace(self._result(self._found_so_far(), ()), reached=frame + 1))

    def _remember(self, frame: int, seen: Seen) -> None:
        found = seen.found
        for box, score in zip(found.boxes, found.scores):
            if score >= SWEEP.sure_face:
                self.faces.add(frame, box, float(score))

    def _found_so_far(self) -> list[FoundPerson]:
        people = []
        for chain in chains(self.sweep.linker.tracklets, self.rate):
            if chain.doubtful:
                continue
            first, last = int(chain.frames[0]), int(chain.frames[-1])
            every = np.arange(first, last + 1)
            rows = np.stack(
                [np.interp(every, chain.frames, column) for column in np.column_stack([chain.heads, chain.scores]).T],
                axis=1,
            )
            best = int(np.argmax(chain.scores))
            box = np.concatenate([np.asarray(t.boxes).reshape(-1, 4) for t in chain.parts])[best]
            people.append(
                FoundPerson(
                    chain.parts[0].number,
                    (Path.from_rows(first, rows, np.full(len(rows), FOUND)),),
                    int(chain.frames[best]),
                    tuple(float(v) for v in box),
                )
            )
        return people

    def _shot(self, frame: int) -> tuple[int, int]:
        bounds = [0, *self.cuts, self.frames]
        place = int(np.searchsorted(bounds, frame, side="right")) - 1
        return bounds[place], bounds[place + 1] - 1

    def _relinked(self) -> list[Tracklet]:
        """Link anew all that was seen, with what was found when looking back, and let each track begin as early as it
        may."""
        linker, begun = Linker(self.rate, self.link_settings), -1
        self.sweep.linker = linker
        for observation in self.checkpoint.every():
            # In the middle of a dissolve nobody looked just there, perhaps.
            if bisect_right(self.cuts, observation.frame) > bisect_right(self.cuts, begun):
                linker.new_shot()
            begun = observation.frame
            linker.update(
                observation.frame, restored(observation.seen), observation.view, None if observation.whole else ()
            )
        found = linker.tracklets
        before = np.zeros(self.frames + 1, bool)
        for tracklet in found:
            before[max(0, tracklet.frames[0] - BELIEVING.back_most) : tracklet.frames[0]] = True
        seen = {o.frame: o.seen for o in self.checkpoint.every() if o.frame < len(before) and before[o.frame]}
        extend_back(found, seen, lambda frame: max(self._shot(frame)[0], frame - BELIEVING.back_most))
        return found

    def _is_shot(self, frame: int) -> bool:
        """False between cuts that follow at once on one another, as a whip pan is taken for: nothing can be recognised
        there. Where it ends, a shot begins, and is looked at."""
        first, last = self._shot(frame)
        return last - first + 1 >= CUTS.least_shot

    # Who is who

    def _recognised(self, tracklet: Tracklet) -> bool:
        """True when the landmark network was sure of one of its faces."""
        return any(
            d.present >= BELIEVING.surely_present and is_of(d, box)
            for frame, box in zip(tracklet.frames, tracklet.boxes)
            for d in self.descriptions.get(frame, ())
        )

    def _unlike(self, a: Tracklet, b: Tracklet) -> bool:
        return are_unlike(*(looks_of(t, self.descriptions, t.frames[0], t.frames[-1]) for t in (a, b)))

    def _without_nobody(self, stretches: list[Stretch]) -> list[Stretch]:
        """Stretches without doubtful ones that are nobody's head by any look, where those that surely are somebody's
        are not doubtful any more."""
        wanted, squared, looks = to_look_at(stretches), self.sweep.squared, {}
        if wanted:
            silhouette, bodies = Silhouette(), BodyLandmarks()
            for frame, picture in self._pictures_again(wanted):
                rgb = squared.picture(picture.rgb())
                for row, face in wanted[frame]:
                    path = stretches[row].path
                    head = np.append(
                        xyxy_to_cxcywh(squared.boxes(path.boxes()[path.row(frame)][None]))[0],
                        path.angle[path.row(frame)],
                    )
                    looks.setdefault(row, []).append(
                        looked_at(
                            frame,
                            rgb,
                            head,
                            squared.boxes(face[None])[0],
                            squared.aspect,
                            silhouette,
                            self.describer,
                            bodies,
                        )
                    )
        return without_nobody(stretches, looks, self.link_settings.least)

    def _described(self, stretches: list[Stretch]) -> list[Stretch]:
        """Describe whoever was not described on the way, from their best frames: somebody small, or found only when all
        was linked anew."""
        lacking = {n: s for n, s in enumerate(stretches) if not s.described and not s.doubtful}
        wanted: dict[int, list[tuple[int, np.ndarray, float]]] = {}
        for n, stretch in lacking.items():
            for frame, box, score in sorted(stretch.faces, key=lambda f: -f[2] * np.sqrt(max(f[1][2] - f[1][0], 1)))[
                : BELIEVING.described
            ]:
                if score >= BELIEVING.described_score:
                    wanted.setdefault(frame, []).append((n, box, float(stretch.path.angle[stretch.path.row(frame)])))
        if not wanted:
            return stretches
        found: dict[int, list] = {}
        for frame, picture in self._pictures_again(wanted):
            lit = in_ordinary_light(self.sweep.squared.picture(picture.rgb()))
            for n, box, roll in wanted[frame]:
                description = describe(self.describer, lit, self.sweep.squared, box, roll)
                if description is not None:
                    found.setdefault(n, []).append((frame, description))
        return [replace(s, described=tuple(found[n])) if n in found else s for n, s in enumerate(stretches)]

    def _pictures_again(self, wanted: Collection[int]) -> Iterator[tuple[int, Frame]]:
        """Some frames once more, in order, as the sweep saw them."""
        needed = np.zeros(len(self.index), bool)
        needed[list(wanted)] = True
        with FrameReader(self.info, self.index, threads=2, rough=True, wanted=needed) as reader:
            for done, frame in enumerate(sorted(wanted)):
                self.control.report(STEP_WHO, done, len(wanted))
                yield frame, reader.read(frame)

    def _reconsidered(self, stretches: list[Stretch]) -> Reconsidered:
        """Who is who, asked anew where people met or were out of sight."""
        believed = [n for n, stretch in enumerate(stretches) if not stretch.doubtful]
        meetings = [
            replace(m, rows=tuple(believed[n] for n in m.rows))
            for m in meetings_of([stretches[n].path for n in believed], self.rate)
        ]
        wanted = frames_wanted(meetings, self.rate)
        seen = {o.frame: looks_in(o) for o in self.checkpoint.every() if o.frame in wanted} if wanted else {}
        return reconsidered(stretches, meetings, seen, self.rate)

    def _is_still(self, stretch: Stretch) -> bool:
        """True for a face that never moves against what is around it, for long: on a poster, a screen or a crate."""
        frames = np.array([f for f, _, _ in stretch.faces])
        if len(frames) < 8 or (frames[-1] - frames[0]) / self.rate < PEOPLE.still_s:
            return False
        boxes = np.array([b for _, b, _ in stretch.faces], float)
        side = float(np.median(boxes[:, 2] - boxes[:, 0]))
        middle = (boxes[:, :2] + boxes[:, 2:]) / 2
        trend = np.stack(
            [np.polyval(np.polyfit(frames - frames[0], column, 2), frames - frames[0]) for column in middle.T], axis=1
        )
        shift = np.abs(middle - middle.mean(axis=0)).max() / side
        return bool((middle - trend).std(axis=0).max() / side < PEOPLE.still_share and shift < 4 * PEOPLE.still_share)

    def _result(self, people: Sequence[FoundPerson], likely: Sequence[tuple[int, int, float]]) -> ScanResult:
        # However sure, what is seen only at the edge, and only when looked for harder, is a sign.
        table = self.faces.table(
            [
                (frame, box, min(score, (SIGN - 1) / 100))
                for frame, box, score in self.sweep.edges
                if self._is_shot(frame)
            ],
            self.frames,
        )
        return ScanResult(tuple(people), table, tuple(self.cuts), self.frames, self.damage, tuple(likely))
