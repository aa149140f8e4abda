"""Edits about who is who: taking in a scan, decisions, merging, splitting, and answers to “Are these the same person?”.

Pure functions from one project to the next, as in edits.py. All raise EditRefused, with a sentence, when asked for something
that makes no sense on the project given. No subject that is shown ever gains a sighting that nobody decided about.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import replace

import numpy as np

from skiagraph.errors import EditRefused
from skiagraph.project.edits import free_key, next_name, remove_subjects, sighting_at
from skiagraph.project.model import Answer, Decision, Likeness, Portrait, Project, Sighting, Subject
from skiagraph.project.outline import outline_at, outline_rows
from skiagraph.track.path import Path
from skiagraph.track.results import FoundPerson, ScanResult

# A found path is a known sighting when it is at the same place in this share of the frames they have in common.
SAME_PLACE = 0.3


def apply_scan(project: Project, clip_key: str, result: ScanResult, every: int) -> Project:
    """The project with everybody a scan found in a clip. every: how it stepped, 0 while it is still running.

    Decisions, names, covers, merges, splits and hand work survive: a path that is where a known sighting was goes to the
    subject that sighting belongs to, and sightings that were touched by hand stay as they are.
    """
    clip = project.clip(clip_key)
    project = project.with_clip(replace(clip, faces=result.faces, cuts=result.cuts, every=every or clip.every,
                                        frames=result.frames, damage=result.damage or clip.damage))
    return _CastingOf(project, clip_key, result).done()


class _CastingOf:
    """One taking-in of a scan: who gets which path."""

    def __init__(self, project: Project, clip: str, result: ScanResult):
        self.project, self.clip, self.result = project, clip, result
        self.given: dict[str, list[Path]] = {}
        self.person_of: dict[str, FoundPerson] = {}
        self.new: list[tuple[FoundPerson, list[Path], str | None]] = []

    def done(self) -> Project:
        for person in self.result.people:
            self._place(person)
        subjects = []
        for subject in self.project.subjects:
            kept = self._kept(subject)
            if kept is not None:
                subjects.append(kept)
        project = replace(self.project, subjects=tuple(subjects))
        asked = []
        for person, paths, like in self.new:
            key = free_key(project)
            self.person_of[key] = person
            subject = Subject(key, next_name(project, "Doubtful" if person.doubtful else "Person"), sightings=self._sightings(paths),
                              portrait=_portrait(self.clip, person), doubtful=person.doubtful, sure=person.sure if len(paths) > 1 else 1.0)
            project = replace(project, subjects=project.subjects + (subject,))
            if like is not None:
                asked.append(Likeness(like, key, person.sure))
        return with_likenesses(project, asked + self._likely(project))

    def _place(self, person: FoundPerson) -> None:
        """Give each path of a person to the subject that was there, the rest to the one who got most, or to somebody new."""
        owners: dict[int, str] = {}
        votes: dict[str, int] = {}
        for n, path in enumerate(person.paths):
            key = self._owner(path)
            if key is not None and not self._in_the_way(key, path):
                owners[n] = key
                votes[key] = votes.get(key, 0) + len(path)
                self._give(key, path, person)
        main = self._main(votes)
        for n, key in owners.items():
            if key != main and self._is_free(key) and not self._kept_apart(key, main) and self.project.subject(main).decision != Decision.SHOW:
                # Only the machine had them apart, while it knew less.
                self.given[key].remove(person.paths[n])
                self._give(main, person.paths[n], person)
        left = [n for n in range(len(person.paths)) if n not in owners]
        if not left:
            return
        paths = [person.paths[n] for n in left]
        if main is not None:
            # Where somebody agreed to be seen, a new sighting is not theirs before a person says so.
            if self.project.subject(main).decision != Decision.SHOW and not any(self._in_the_way(main, p) for p in paths):
                for path in paths:
                    self._give(main, path, person)
                return
        self.new.append((person, paths, main))

    def _main(self, votes: dict[str, int]) -> str | None:
        """Who of the subjects on a person's paths the person is: one that somebody decided about, or who got most."""
        return max(votes, key=lambda key: (not self._is_free(key), votes[key])) if votes else None

    def _is_free(self, key: str) -> bool:
        """True for a subject that is as the machine made it."""
        subject = self.project.subject(key)
        made = subject.name.split(" ")[0] in ("Person", "Doubtful")
        return made and not subject.is_decided and subject.style is None and not subject.portrait_chosen and not any(s.touched for s in subject.sightings)

    def _kept_apart(self, one: str, other: str) -> bool:
        return any(n.is_about(one, other) and n.answer == Answer.NO for n in self.project.likenesses)

    def _give(self, key: str, path: Path, person: FoundPerson) -> None:
        self.given.setdefault(key, []).append(path)
        self.person_of.setdefault(key, person)

    def _owner(self, path: Path) -> str | None:
        shares = [(_shared(sighting, path), subject.key) for subject in self.project.subjects for sighting in subject.in_clip(self.clip)]
        share, key = max(shares, default=(0.0, ""), key=lambda entry: entry[0])
        return key if share > SAME_PLACE else None

    def _in_the_way(self, key: str, path: Path) -> bool:
        """True when a subject has another path at the same time already."""
        return any(path.first <= p.last and p.first <= path.last for p in self.given.get(key, ()))

    def _kept(self, subject: Subject) -> Subject | None:
        """A known subject after the scan, or None when the scan did not find it and nobody had touched it."""
        others = tuple(s for s in subject.sightings if s.clip != self.clip)
        mine = [s for s in subject.sightings if s.clip == self.clip]
        touched = [s for s in mine if s.touched]
        paths = self.given.get(subject.key)
        if not paths:
            if others or touched or subject.is_decided or subject.style or not mine:
                # A decision outlives a scan that missed the person; so does the cover.
                return replace(subject, sightings=others + tuple(touched or mine))
            return None
        person = self.person_of[subject.key]
        fresh = [part for path in paths for part in _beside(path, touched)]
        ordered = tuple(sorted((*touched, *self._sightings(fresh)), key=lambda s: s.first))
        portrait = subject.portrait if subject.portrait_chosen or (subject.portrait and subject.portrait.clip != self.clip) else _portrait(self.clip, person)
        doubtful = person.doubtful and not subject.is_decided and not others
        name = next_name(self.project) if subject.doubtful and not doubtful and subject.name.startswith("Doubtful ") else subject.name
        return replace(subject, name=name, sightings=others + ordered, portrait=portrait, doubtful=doubtful, sure=min(person.sure, subject.sure) if others else person.sure)

    def _sightings(self, paths: Iterable[Path]) -> tuple[Sighting, ...]:
        return tuple(Sighting(self.clip, path, path.first, path.last) for path in sorted(paths, key=lambda p: p.first))

    def _likely(self, project: Project) -> list[Likeness]:
        by_person = {person.key: key for key, person in self.person_of.items() if any(s.key == key for s in project.subjects)}
        return [Likeness(by_person[a], by_person[b], p) for a, b, p in self.result.likely if a in by_person and b in by_person]


def _portrait(clip: str, person: FoundPerson) -> Portrait:
    return Portrait(clip, person.best_frame, person.best_box)


def _beside(path: Path, touched: list[Sighting]) -> list[Path]:
    """What of a path lies beside the sightings a person touched: nothing beside one whose ends or shape they changed, as they meant
    those ends; all the rest beside one that was only placed."""
    parts = [path]
    for sighting in touched:
        overlapping = [p for p in parts if p.first <= sighting.last and sighting.first <= p.last]
        parts = [p for p in parts if p not in overlapping]
        if sighting.placed and not sighting.trimmed:
            for p in overlapping:
                parts += [p.part(p.first, sighting.first - 1)] if p.first < sighting.first else []
                parts += [p.part(sighting.last + 1, p.last)] if p.last > sighting.last else []
    return parts


def _shared(sighting: Sighting, path: Path) -> float:
    """Share of the common frames in which the two are at the same place."""
    low, high = max(sighting.first, path.first), min(sighting.last, path.last)
    if low > high:
        return 0.0
    frames = np.arange(low, high + 1, max(1, (high - low) // 60))
    known, found = outline_rows(sighting)[frames - sighting.first], frames - path.first
    away = np.hypot(known[:, 0] - path.cx[found], known[:, 1] - path.cy[found])
    return float((away < 0.5 * np.maximum(known[:, 2], path.width[found])).mean())


# Decisions


def decide(project: Project, keys: Iterable[str], decision: Decision) -> Project:
    """The project with a decision on each of the subjects. Who is decided about is no longer doubtful or dismissed."""
    keys = set(keys)
    return replace(project, subjects=tuple(replace(s, decision=decision, dismissed=False, doubtful=s.doubtful and decision == Decision.UNDECIDED)
                                           if s.key in keys else s for s in project.subjects))


def cover_all(project: Project) -> Project:
    """Everybody is covered, by decision; what was dismissed or doubtful stays so."""
    return replace(project, subjects=tuple(s if s.dismissed else replace(s, decision=Decision.COVER) for s in project.subjects))


def show_all_but(project: Project, keys: Iterable[str]) -> Project:
    """Everybody but these is shown; these are covered. Doubtful ones are left alone: what is no face needs no consent."""
    keys = set(keys)
    if not keys:
        raise EditRefused("Select first who is to stay covered.")
    everybody = [s.key for s in project.subjects if not s.dismissed and not s.doubtful]
    return decide(decide(project, [k for k in everybody if k not in keys], Decision.SHOW), keys, Decision.COVER)


def cover_brief(project: Project, seconds: float) -> Project:
    """Everybody who is seen for less than so many seconds in all is covered."""
    brief = [s.key for s in project.subjects if not s.dismissed and 0 < screen_time(project, s) < seconds]
    if not brief:
        raise EditRefused(f"Nobody is seen for less than {seconds:g} s.")
    return decide(project, brief, Decision.COVER)


def invert(project: Project) -> Project:
    """Who was covered or undecided is shown, and the other way round. Doubtful and dismissed ones are left alone."""
    people = [s for s in project.subjects if not s.dismissed and not s.doubtful]
    shown = [s.key for s in people if s.decision == Decision.SHOW]
    return decide(decide(project, [s.key for s in people], Decision.SHOW), shown, Decision.COVER)


def dismiss(project: Project, keys: Iterable[str]) -> Project:
    """The project with subjects that turned out to be nobody: not covered, and not found again by a new scan."""
    keys = set(keys)
    return replace(project, subjects=tuple(replace(s, dismissed=True) if s.key in keys else s for s in project.subjects),
                   likenesses=tuple(n for n in project.likenesses if n.one not in keys and n.other not in keys))


def screen_time(project: Project, subject: Subject) -> float:
    """Seconds in all clips."""
    return sum((s.last - s.first + 1) / float(project.clip(s.clip).rate) for s in subject.sightings)


def choose_portrait(project: Project, key: str, portrait: Portrait) -> Project:
    """The project with a picture of a subject chosen by hand; a new scan leaves it."""
    return project.with_subject(replace(project.subject(key), portrait=portrait, portrait_chosen=True))


# Who is who


def merge_subjects(project: Project, into: str, others: Iterable[str]) -> Project:
    """Several subjects that are one person become one; the first keeps name and cover.

    Decisions: one who was to be seen stays so only if all of them were. Raises EditRefused when two of them are in one frame at
    different places.
    """
    kept, others = project.subject(into), [project.subject(k) for k in others if k != into]
    if not others:
        return project
    everybody = [kept, *others]
    sightings = _joined([s for subject in everybody for s in subject.sightings], project)
    shown = [s.decision == Decision.SHOW for s in everybody]
    decision = kept.decision
    if any(shown) and not all(shown):
        decision = Decision.COVER if Decision.COVER in {s.decision for s in everybody} else Decision.UNDECIDED
    elif decision == Decision.UNDECIDED:
        decision = next((s.decision for s in others if s.decision != Decision.UNDECIDED), decision)
    gone = {s.key for s in others}
    likenesses = {}
    for n in project.likenesses:
        one, other = (into if n.one in gone else n.one), (into if n.other in gone else n.other)
        if one != other:
            likenesses[frozenset((one, other))] = replace(n, one=one, other=other)
    project = remove_subjects(project, gone)
    merged = replace(kept, sightings=sightings, decision=decision, doubtful=all(s.doubtful for s in everybody), dismissed=all(s.dismissed for s in everybody),
                     portrait=kept.portrait or next((s.portrait for s in others if s.portrait), None))
    return replace(project.with_subject(merged), likenesses=tuple(likenesses.values()))


def _joined(sightings: list[Sighting], project: Project) -> tuple[Sighting, ...]:
    """Sightings of one person in order; overlaps at one place are cut, at two places refused."""
    ordered: list[Sighting] = []
    for sighting in sorted(sightings, key=lambda s: (s.clip, s.first)):
        before = ordered[-1] if ordered and ordered[-1].clip == sighting.clip else None
        if before is None or before.last < sighting.first:
            ordered.append(sighting)
            continue
        both = range(sighting.first, min(before.last, sighting.last) + 1)
        apart = sum(_distance(before, sighting, frame) > 0.7 for frame in both)
        if apart > 3:
            clip = project.clip(sighting.clip)
            raise EditRefused(f"These two are in one picture of {clip.path.name} at frame {sighting.first}; they are two people.")
        if sighting.last > before.last:
            ordered.append(replace(sighting, first=before.last + 1, trimmed=True))
    return tuple(ordered)


def _distance(a: Sighting, b: Sighting, frame: int) -> float:
    one, other = outline_at(a, frame), outline_at(b, frame)
    return float(np.hypot(one.cx - other.cx, one.cy - other.cy) / max(one.width, other.width, 1))


def split_at(project: Project, key: str, clip: str, frame: int) -> tuple[Project, str]:
    """The project with a subject split in two at a frame of a clip: what comes from there on, in this and in later clips, is
    somebody new and undecided. Returns it with the new key. Raises EditRefused when there is nothing on one side."""
    subject = project.subject(key)
    order = {c.key: n for n, c in enumerate(project.clips)}
    earlier, later = [], []
    for sighting in subject.sightings:
        if sighting.clip == clip and sighting.first < frame <= sighting.last:
            earlier.append(replace(sighting, last=frame - 1, corrections=tuple(c for c in sighting.corrections if c.frame < frame), trimmed=True))
            later.append(replace(sighting, first=frame, corrections=tuple(c for c in sighting.corrections if c.frame >= frame), trimmed=True))
        elif (order[sighting.clip], sighting.first) < (order[clip], frame):
            earlier.append(sighting)
        else:
            later.append(sighting)
    if not earlier or not later:
        raise EditRefused(f"{subject.name} is seen only on one side of this frame; go to where the other person begins.")
    return _apart(project, subject, earlier, later)


def move_sighting(project: Project, key: str, clip: str, frame: int, to: str | None) -> tuple[Project, str]:
    """The project with the sighting at a frame given to another subject, or with to None to somebody new and undecided.

    Returns it with the key of who has it now. Raises EditRefused when there is no sighting, or the other is in the picture then too.
    """
    subject = project.subject(key)
    moved = sighting_at(subject, clip, frame)
    if moved is None:
        raise EditRefused("The subject is not seen at this frame.")
    rest = [s for s in subject.sightings if s is not moved]
    if to is None:
        if not rest:
            raise EditRefused(f"{subject.name} has only this sighting.")
        return _apart(project, subject, rest, [moved])
    target = project.subject(to)
    sightings = _joined([*target.sightings, replace(moved, trimmed=True)], project)
    project = project.with_subject(replace(target, sightings=sightings))
    if not rest:
        return remove_subjects(project, [key]), to
    return project.with_subject(replace(subject, sightings=tuple(rest))), to


def _apart(project: Project, subject: Subject, kept: list[Sighting], given: list[Sighting]) -> tuple[Project, str]:
    """Somebody new gets some of a subject's sightings; that they are two people is remembered."""
    key = free_key(project)
    one = replace(subject, sightings=tuple(kept), sure=1.0)
    other = Subject(key, next_name(project), sightings=tuple(replace(s, trimmed=True) for s in given), style=subject.style)
    one, other = _with_portrait(one, subject.portrait), _with_portrait(other, subject.portrait)
    place = [s.key for s in project.subjects].index(subject.key) + 1
    project = project.with_subject(one)
    project = replace(project, subjects=project.subjects[:place] + (other,) + project.subjects[place:])
    return with_likenesses(project, [Likeness(subject.key, key, 0.0, Answer.NO)]), key


def _with_portrait(subject: Subject, old: Portrait | None) -> Subject:
    """The old portrait if it is of one of the subject's sightings, otherwise one from the surest frame."""
    if old is not None and sighting_at(subject, old.clip, old.frame) is not None:
        return replace(subject, portrait=old)
    sighting = max(subject.sightings, key=lambda s: s.last - s.first)
    path = sighting.path
    inside = slice(max(0, sighting.first - path.first), max(1, sighting.last - path.first + 1))
    row = (inside.start or 0) + int(np.argmax(path.confidence[inside] * np.sqrt(path.width[inside]))) if len(path.confidence[inside]) else 0
    cx, cy, side = float(path.cx[row]), float(path.cy[row] + 0.1 * path.height[row]), float(0.85 * path.width[row])
    frame = int(np.clip(path.first + row, sighting.first, sighting.last))
    return replace(subject, portrait=Portrait(sighting.clip, frame, (cx - side / 2, cy - side / 2, cx + side / 2, cy + side / 2)), portrait_chosen=False)


def with_likenesses(project: Project, asked: Iterable[Likeness]) -> Project:
    """The project with questions added; what was answered before is not asked again, a no replaces what was open."""
    known = {frozenset((n.one, n.other)): n for n in project.likenesses}
    there = {s.key for s in project.subjects}
    for likeness in asked:
        pair = frozenset((likeness.one, likeness.other))
        old = known.get(pair)
        if len(pair) == 2 and pair <= there and (old is None or old.answer == Answer.OPEN or likeness.answer == Answer.NO):
            known[pair] = likeness
    return replace(project, likenesses=tuple(n for pair, n in known.items() if pair <= there))


def answer(project: Project, one: str, other: str, said: Answer | None) -> Project:
    """The project after an answer to “Are these the same person?”; None is yes, and makes them one."""
    if said is None:
        first, second = project.subject(one), project.subject(other)
        order = [s.key for s in project.subjects]
        into, gone = (one, other) if (first.is_decided, -order.index(one)) >= (second.is_decided, -order.index(other)) else (other, one)
        return merge_subjects(project, into, [gone])
    return with_likenesses(replace(project, likenesses=tuple(n for n in project.likenesses if not n.is_about(one, other))),
                           [replace(next((n for n in project.likenesses if n.is_about(one, other)), Likeness(one, other, 0.0)), answer=said)])


def open_likenesses(project: Project) -> list[Likeness]:
    """Questions that wait for an answer, likeliest first."""
    return sorted((n for n in project.likenesses if n.answer == Answer.OPEN), key=lambda n: -n.probability)


def ask_again(project: Project) -> Project:
    """The project with everything that was put off asked again."""
    return replace(project, likenesses=tuple(replace(n, answer=Answer.OPEN) if n.answer == Answer.LATER else n for n in project.likenesses))
