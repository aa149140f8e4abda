"""Carrying decisions over to a new scan: who was found again, who is new, who was not found again. Pure.

Not found again never means uncovered: wherever nothing of the new scan covers what was covered, the cover stays on the
old track. Nobody who is shown gains a sighting that nobody decided about. Hand work stays on the track it was done on.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, field
from math import floor

import numpy as np

from skiagraph.project.cast import with_likenesses
from skiagraph.project.edits import next_name
from skiagraph.project.evidence import Join
from skiagraph.project.model import (
    Answer,
    FromScan,
    Likeness,
    Person,
    PersonSubject,
    Portrait,
    Project,
    Scan,
    Sighting,
    Subject,
    Track,
    replace,
)
from skiagraph.project.overlap import head_points, share_within
from skiagraph.project.rows import CX, CY, GROW, WIDTH, outline_rows, shapes_of
from skiagraph.shape.shape import Shape
from skiagraph.track.results import ScanResult


@dataclass(frozen=True, slots=True)
class CarrySettings:
    """same_place: a found path is a known sighting when it is at the same place in more than this share of the frames
    they have in common; a larger value makes more people new. still_covered: share of a head that must lie under the
    new covers, or the old cover stays as well; a larger value keeps more old covers. Both leave wide margins: the same
    head is found again at 0.95 and more."""

    same_place: float = 0.3
    still_covered: float = 0.8


CARRY = CarrySettings()


@dataclass(slots=True)
class Ids:
    """The ids given while a scan is taken in, by what they were given for: the same scan taken in again, or into
    another step of the history, gives the same."""

    given: dict[tuple, str] = field(default_factory=dict)

    def get(self, project: Project, kind: str, what: tuple, taken: set[str]) -> tuple[Project, str]:
        """The id for something, and the project that knows it as given out. taken: ids that are something else's
        already."""
        for again in range(len(taken) + 1):
            place = (kind, *what, again)
            if place not in self.given:
                project, self.given[place] = project.new_id(kind)
            if self.given[place] not in taken:
                break
        return replace(project, issued=project.issued.knowing(kind, self.given[place])), self.given[place]


@dataclass(frozen=True, slots=True)
class Report:
    """What carrying over did: keys of subjects found again and new ones, and (key, first, last) of what was not found
    again."""

    found_again: tuple[str, ...] = ()
    new: tuple[str, ...] = ()
    not_found: tuple[tuple[str, int, int], ...] = ()


def with_evidence(project: Project, clip: str, result: ScanResult, every: int) -> tuple[Project, Scan]:
    """The project with a scan's result as evidence, in the place of the clip's former scan; nothing is decided yet.

    What a scan finds out about the file, damage, is taken over into the clip: its good frames, not what it was.
    """
    source = project.clip(clip)
    project, key = project.new_id("scans")
    tracks, people = [], []
    for person in result.people:
        keys = []
        for path in person.paths:
            project, track = project.new_id("tracks")
            tracks.append(Track(track, clip, path, FromScan(key, every)))
            keys.append(track)
        people.append(
            Person(
                person.key,
                tuple(keys),
                person.best_frame,
                tuple(float(v) for v in person.best_box),
                person.doubtful,
                float(person.sure),
                # Never surer than it was.
                tuple(Join(j.first, j.last, j.others, floor(float(j.same) * 1e4) / 1e4) for j in person.joins),
            )
        )
    scan = Scan(
        key,
        clip,
        every,
        result.end,
        tuple(people),
        result.faces,
        tuple(result.cuts),
        tuple((int(a), int(b), float(p)) for a, b, p in result.likely),
        result.begun,
        tuple(result.gaps),
    )
    project = replace(project, evidence=project.evidence.with_scan(scan, tuple(tracks)))
    if result.damage:
        project = project.with_clip(replace(source, frames=min(source.frames, result.frames), damage=result.damage))
    return project, scan


def carried(project: Project, scan: Scan, ids: Ids) -> tuple[Project, Report]:
    """The decisions of a project on the footing of a scan that is in its evidence.

    Where the clip is not in the project, as in a step of the history before it was added, there is nothing to carry
    over.
    """
    if scan.clip not in project.decisions.clips:
        return project, Report()
    return _Carrying(project, scan, ids).done()


class _Carrying:
    """One carrying-over: who gets which track."""

    def __init__(self, project: Project, scan: Scan, ids: Ids):
        self.project, self.scan, self.ids, self.clip = project, scan, ids, scan.clip
        self.tracks = project.evidence.by_key()
        self.taken = {s.key for s in project.subjects} | {g.key for s in project.subjects for g in s.sightings}
        self.person_with = {key: person.key for person in scan.people for key in person.tracks}
        # What is in front is nobody: no scan finds it, and none takes it away.
        self.sightings = [
            (subject, s) for subject in project.subjects if subject.of.hides for s in subject.in_clip(scan.clip)
        ]
        self.given: dict[str, list[Track]] = {}
        self.person_of: dict[str, Person] = {}
        self.new: list[tuple[Person, list[Track], str | None, int]] = []

    def done(self) -> tuple[Project, Report]:
        for person in self.scan.people:
            self._place(person)
        fresh = {key: self._fresh(key) for key in self.given}
        covering = [
            (s, self.project.style_of(subject).margin)
            for subject in self.project.subjects
            if subject.is_covered
            for s in (*fresh.get(subject.key, ()), *(s for s in subject.in_clip(self.clip) if s.touched))
        ]
        subjects, missing = [], []
        for subject in self.project.subjects:
            if not subject.of.hides:
                subjects.append(subject)
                continue
            kept, not_found = self._kept(subject, fresh.get(subject.key, []), covering)
            if kept is not None:
                subjects.append(kept)
            missing += [(subject.key, first, last) for first, last in not_found]
        project = self.project.deciding(subjects=tuple(subjects))
        asked, new = [], []
        for person, tracks, like, nth in self.new:
            project, key = self.ids.get(project, "subjects", (person.key, nth), self.taken)
            self.taken.add(key)
            project, sightings = self._sightings(project, [(t, t.path.first, t.path.last) for t in tracks])
            subject = Subject(
                key,
                next_name(project, PersonSubject.doubtful_word if person.doubtful else None),
                sightings=sightings,
                portrait=_portrait(self.clip, person),
                doubtful=person.doubtful,
                sure=person.sure if len(tracks) > 1 else 1.0,
            )
            project = project.deciding(subjects=(*project.subjects, subject))
            self.person_of[key] = person
            new.append(key)
            if like is not None:
                asked.append(Likeness(like, key, person.sure))
        return with_likenesses(project, asked + self._likely(project)), Report(
            tuple(k for k in fresh if fresh[k]), tuple(new), tuple(missing)
        )

    # Who gets what

    def _place(self, person: Person) -> None:
        """Give each track of a person to the subject that was there, the rest to the one who got most, or to somebody
        new."""
        tracks = [self.tracks[key] for key in person.tracks]
        owners: dict[int, str] = {}
        votes: dict[str, int] = {}
        for n, track in enumerate(tracks):
            key = self._owner(track)
            if key is not None and not self._in_the_way(key, track):
                owners[n] = key
                votes[key] = votes.get(key, 0) + len(track.path)
                self._give(key, track, person)
        main = max(votes, key=lambda key: (not self._is_free(key), votes[key])) if votes else None
        for n, key in owners.items():
            if (
                key != main
                and self._is_free(key)
                and not self._kept_apart(key, main)
                and self.project.subject(main).is_covered
            ):
                # Only the machine had them apart, while it knew less.
                self.given[key].remove(tracks[n])
                self._give(main, tracks[n], person)
        left = [track for n, track in enumerate(tracks) if n not in owners]
        if not left:
            return
        # Where somebody agreed to be seen, or was dismissed, a new sighting is not theirs before a person says so.
        if (
            main is not None
            and self.project.subject(main).is_covered
            and not any(self._in_the_way(main, t) for t in left)
        ):
            for track in left:
                self._give(main, track, person)
            return
        self.new.append((person, left, main, sum(p.key == person.key for p, *_ in self.new)))

    def _is_free(self, key: str) -> bool:
        """True for a subject that is as the machine made it."""
        s = self.project.subject(key)
        return not (
            s.named or s.is_decided or s.style is not None or s.portrait_chosen or any(g.touched for g in s.sightings)
        )

    def _kept_apart(self, one: str, other: str) -> bool:
        return any(n.is_about(one, other) and n.answer == Answer.NO for n in self.project.likenesses)

    def _give(self, key: str, track: Track, person: Person) -> None:
        self.given.setdefault(key, []).append(track)
        self.person_of.setdefault(key, person)

    def _owner(self, track: Track) -> str | None:
        shares = [
            (_shared(self.project, sighting, track), subject.key)
            for subject, sighting in self.sightings
            if sighting.first <= track.path.last and track.path.first <= sighting.last
        ]
        share, key = max(shares, default=(0.0, ""), key=lambda entry: entry[0])
        return key if share > CARRY.same_place else None

    def _in_the_way(self, key: str, track: Track) -> bool:
        """True when a subject has another track at the same time already."""
        return any(track.path.first <= t.path.last and t.path.first <= track.path.last for t in self.given.get(key, ()))

    # What becomes of sightings

    def _fresh(self, key: str) -> list[Sighting]:
        """New sightings of a subject: its tracks, beside what a person worked on."""
        touched = [(subject.key, s) for subject, s in self.sightings if s.touched]
        parts = []
        for track in self.given[key]:
            mine = [s for owner, s in touched if owner == key or _shared(self.project, s, track) > CARRY.same_place]
            parts += [(track, a, b) for a, b in _beside(track.path.first, track.path.last, mine)]
        former = [s for s in self.project.subject(key).in_clip(self.clip) if not s.touched]
        self.project, made = self._sightings(self.project, parts, former)
        return list(made)

    def _sightings(
        self, project: Project, parts: Iterable[tuple[Track, int, int]], former: Iterable[Sighting] = ()
    ) -> tuple[Project, tuple[Sighting, ...]]:
        """A sighting for each part; what overlaps a former one most goes on under its id."""
        left, made = list(former), []
        for track, first, last in sorted(parts, key=lambda part: part[1]):
            before = max(left, key=lambda s: min(s.last, last) - max(s.first, first), default=None)
            if before is not None and before.first <= last and first <= before.last:
                left.remove(before)
                key = before.key
            else:
                project, key = self.ids.get(project, "sightings", (self.person_with[track.key], first), self.taken)
            self.taken.add(key)
            made.append(
                Sighting(
                    key,
                    self.clip,
                    first,
                    last,
                    (track.key,),
                    shape=before.shape if before is not None else Shape.kinds["ellipse"](),
                )
            )
        return project, tuple(made)

    def _kept(
        self, subject: Subject, fresh: list[Sighting], covering: list[tuple[Sighting, float]]
    ) -> tuple[Subject | None, list[tuple[int, int]]]:
        """A known subject on the new footing, or None where all of it is somebody else's now and nobody had touched it;
        and the stretches that were not found again."""
        mine = subject.in_clip(self.clip)
        if not mine and not fresh:
            return subject, []
        others = tuple(s for s in subject.sightings if s.clip != self.clip)
        touched, former = [s for s in mine if s.touched], [s for s in mine if not s.touched]
        if not subject.is_covered:
            covering = [(s, self.project.style_of(subject).margin) for s in (*fresh, *touched)]
        left, missing = [], []
        for sighting in former:
            runs = self._uncovered(sighting, covering)
            if not fresh and runs == [(sighting.first, sighting.last)]:
                left.append(sighting)
            else:
                left += self._left_on(sighting, runs, fresh, {s.key for s in (*fresh, *left)})
            missing += runs
        if not fresh and not touched and not left:
            if others or not self._is_free(subject.key):
                # A decision outlives a scan in which another path lies there; so does the cover.
                left = former
            else:
                return None, []
        ordered = tuple(sorted((*touched, *fresh, *left), key=lambda s: (s.first, s.last)))
        changed = replace(subject, sightings=others + ordered) if others + ordered != subject.sightings else subject
        return (self._renewed(changed, others) if fresh else changed), missing

    def _uncovered(self, sighting: Sighting, covering: list[tuple[Sighting, float]]) -> list[tuple[int, int]]:
        """Stretches of a former sighting of which the new covers do not hold the head."""
        rows = outline_rows(self.project, sighting)
        held = np.zeros(len(rows), bool)
        for other, margin in covering:
            low, high = max(sighting.first, other.first), min(sighting.last, other.last)
            if low <= high:
                part = rows[low - sighting.first : high - sighting.first + 1]
                over = outline_rows(self.project, other)[low - other.first : high - other.first + 1]
                held[low - sighting.first : high - sighting.first + 1] |= (
                    share_within(
                        head_points(part), over, shapes_of(other, np.arange(low, high + 1)), margin + over[:, GROW]
                    )
                    >= CARRY.still_covered
                )
        edges = np.flatnonzero(np.diff(~held, prepend=False, append=False))
        return [(sighting.first + int(a), sighting.first + int(b) - 1) for a, b in zip(edges[::2], edges[1::2])]

    def _left_on(
        self, sighting: Sighting, runs: list[tuple[int, int]], fresh: list[Sighting], taken: set[str]
    ) -> list[Sighting]:
        """The stretches that stay on the old track: as an end of the new sighting where they touch it, else as
        sightings of their own."""
        left = []
        for first, last in runs:
            n = next((n for n, s in enumerate(fresh) if s.last + 1 == first or last + 1 == s.first), None)
            if n is not None:
                s = fresh[n]
                fresh[n] = replace(
                    s,
                    first=min(s.first, first),
                    last=max(s.last, last),
                    tracks=tuple(dict.fromkeys((*s.tracks, *sighting.tracks))),
                )
                continue
            key = sighting.key
            if key in taken:
                self.project, key = self.ids.get(self.project, "sightings", (sighting.key, "left", first), self.taken)
            taken.add(key)
            self.taken.add(key)
            left.append(replace(sighting, key=key, first=first, last=last))
        return left

    def _renewed(self, subject: Subject, others: tuple[Sighting, ...]) -> Subject:
        """What the machine says of a subject that was found again."""
        person = self.person_of[subject.key]
        portrait = (
            subject.portrait
            if subject.portrait_chosen or (subject.portrait and subject.portrait.clip != self.clip)
            else _portrait(self.clip, person)
        )
        doubtful = (
            person.doubtful
            and not subject.is_decided
            and not others
            and (subject.doubtful or self._is_free(subject.key))
        )
        name = next_name(self.project) if subject.doubtful and not doubtful and not subject.named else subject.name
        return replace(
            subject,
            name=name,
            portrait=portrait,
            doubtful=doubtful,
            sure=min(person.sure, subject.sure) if others else person.sure,
        )

    def _likely(self, project: Project) -> list[Likeness]:
        there = {s.key for s in project.subjects}
        by_person = {person.key: key for key, person in self.person_of.items() if key in there}
        return [
            Likeness(by_person[a], by_person[b], p) for a, b, p in self.scan.likely if a in by_person and b in by_person
        ]


def _portrait(clip: str, person: Person) -> Portrait:
    return Portrait(clip, person.best_frame, person.best_box)


def _beside(first: int, last: int, touched: list[Sighting]) -> list[tuple[int, int]]:
    """What of first .. last lies beside sightings a person touched: nothing beyond an end that the person chose."""
    parts = [(first, last)]
    for s in touched:
        cut = []
        for a, b in parts:
            if b < s.first or a > s.last:
                cut.append((a, b))
                continue
            if a < s.first and not s.begin_set:
                cut.append((a, s.first - 1))
            if b > s.last and not s.end_set:
                cut.append((s.last + 1, b))
        parts = cut
    return parts


def _shared(project: Project, sighting: Sighting, track: Track) -> float:
    """Share of the common frames in which the two are at the same place."""
    path = track.path
    low, high = max(sighting.first, path.first), min(sighting.last, path.last)
    if low > high:
        return 0.0
    frames = np.arange(low, high + 1, max(1, (high - low) // 60))
    known, found = outline_rows(project, sighting)[frames - sighting.first], frames - path.first
    away = np.hypot(known[:, CX] - path.cx[found], known[:, CY] - path.cy[found])
    return float((away < 0.5 * np.maximum(known[:, WIDTH], path.width[found])).mean())


# A scan that is not done


def adopted(base: Project, view: Project, edited: Project) -> Project:
    """What an edit of a view means for the project beneath it: of a view that shows what a running scan has found so
    far, only what the edit changed is taken over, with the tracks it rests on; the rest is the scan's, and goes with
    it."""
    before, seen = {s.key: s for s in base.subjects}, {s.key: s for s in view.subjects}
    subjects = []
    for subject in edited.subjects:
        if seen.get(subject.key) is not subject:
            subjects.append(subject)
        elif subject.key in before:
            subjects.append(before[subject.key])
    # Whom the view had dissolved into others stays, unless the edit took them away.
    there = {s.key for s in edited.subjects} | set(seen)
    subjects += [s for s in base.subjects if s.key not in there]
    keys = {s.key for s in subjects}
    shown = set(view.likenesses)
    likenesses = {frozenset((n.one, n.other)): n for n in base.likenesses if n in edited.likenesses or n not in shown}
    likenesses.update({frozenset((n.one, n.other)): n for n in edited.likenesses if n not in shown})
    rests_on = {key for s in subjects for g in s.sightings for key in (*g.tracks, g.cut)}
    tracks = tuple(t for t in edited.evidence.tracks if t.key in rests_on)
    decisions = replace(
        edited.decisions,
        subjects=tuple(subjects),
        likenesses=tuple(n for n in likenesses.values() if {n.one, n.other} <= keys),
    )
    return replace(
        edited,
        evidence=base.evidence.with_tracks(tracks),
        decisions=decisions,
        files=edited.files if edited.files is not view.files else base.files,
        issued=edited.issued.with_all_of(view.issued),
    )
