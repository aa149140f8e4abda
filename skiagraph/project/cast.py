"""Edits about who is who: decisions, merging, splitting, and answers to “Are these the same person?”.

Pure functions from one project to the next, as in edits.py. All raise EditRefused, with a sentence, when asked for
something that makes no sense on the project given. No subject that is shown ever gains a sighting that nobody decided
about.
"""

from __future__ import annotations

from collections.abc import Iterable

import numpy as np

from skiagraph.errors import EditRefused
from skiagraph.project.edits import next_name, remove_subjects
from skiagraph.project.model import Answer, Decision, Likeness, Portrait, Project, Sighting, Style, Subject, replace
from skiagraph.project.presence import sighting_at
from skiagraph.project.rows import CONFIDENCE, CX, CY, HEIGHT, WIDTH, outline_rows

# Two sightings of one person may be so far apart in the same frame, in widths of the head, and for so many frames more.
ONE_PLACE, ONE_PLACE_FRAMES = 0.7, 3


# Decisions


def decide(project: Project, keys: Iterable[str], decision: Decision) -> Project:
    """The project with a decision on each of the subjects. Who is decided about is no longer doubtful or dismissed."""
    keys = set(keys)
    return project.deciding(
        subjects=tuple(
            (
                replace(s, decision=decision, dismissed=False, doubtful=s.doubtful and decision == Decision.UNDECIDED)
                if s.key in keys
                else s
            )
            for s in project.subjects
        )
    )


def signed(before: Project, after: Project, by: str) -> Project:
    """What became of a project by an edit, with the name of who took the decisions that are other than before.

    An empty name leaves it open who did.
    """
    then = {s.key: (s.decision, s.dismissed) for s in before.subjects}
    if after.subjects is before.subjects:
        return after
    subjects = tuple(
        (
            replace(s, decided_by=by)
            if (s.decision, s.dismissed) != then.get(s.key, (Decision.UNDECIDED, False)) and s.decided_by != by
            else s
        )
        for s in after.subjects
    )
    return (
        after
        if all(one is other for one, other in zip(subjects, after.subjects))
        else after.deciding(subjects=subjects)
    )


def cover_all(project: Project) -> Project:
    """Everybody is covered, by decision; what was dismissed or doubtful stays so."""
    return project.deciding(
        subjects=tuple(
            s if s.dismissed or not s.of.hides else replace(s, decision=Decision.COVER) for s in project.subjects
        )
    )


def show_all_but(project: Project, keys: Iterable[str]) -> Project:
    """Everybody but these is shown; these are covered.

    Doubtful ones are left alone: what is no face needs no consent.
    """
    keys = set(keys)
    if not keys:
        raise EditRefused("Select first who is to stay covered.")
    everybody = [s.key for s in project.subjects if not s.dismissed and not s.doubtful and s.of.hides]
    return decide(decide(project, [k for k in everybody if k not in keys], Decision.SHOW), keys, Decision.COVER)


def cover_brief(project: Project, seconds: float) -> Project:
    """Everybody who is seen for less than so many seconds in all is covered."""
    brief = [
        s.key for s in project.subjects if not s.dismissed and s.of.hides and 0 < screen_time(project, s) < seconds
    ]
    if not brief:
        raise EditRefused(f"Nobody is seen for less than {seconds:g} s.")
    return decide(project, brief, Decision.COVER)


def invert(project: Project) -> Project:
    """Who was covered or undecided is shown, and the other way round. Doubtful and dismissed ones are left alone."""
    people = [s for s in project.subjects if not s.dismissed and not s.doubtful and s.of.hides]
    shown = [s.key for s in people if s.decision == Decision.SHOW]
    return decide(decide(project, [s.key for s in people], Decision.SHOW), shown, Decision.COVER)


def dismiss(project: Project, keys: Iterable[str]) -> Project:
    """The project with subjects that turned out to be nobody: not covered, and not found again by a new scan."""
    keys = set(keys)
    return project.deciding(
        subjects=tuple(replace(s, dismissed=True) if s.key in keys else s for s in project.subjects),
        likenesses=tuple(n for n in project.likenesses if n.one not in keys and n.other not in keys),
    )


def screen_time(project: Project, subject: Subject) -> float:
    """Seconds in all clips."""
    return sum((s.last - s.first + 1) / float(project.clip(s.clip).rate) for s in subject.sightings)


def choose_portrait(project: Project, key: str, portrait: Portrait) -> Project:
    """The project with a picture of a subject chosen by hand; a new scan leaves it."""
    return project.with_subject(replace(project.subject(key), portrait=portrait, portrait_chosen=True))


# Who is who


def merge_subjects(project: Project, into: str, others: Iterable[str]) -> Project:
    """Several subjects that are one person become one; the first keeps name and cover.

    Decisions: one who was to be seen stays so only if all of them were. Raises EditRefused when two of them are in one
    frame at different places.
    """
    kept, others = project.subject(into), [project.subject(k) for k in others if k != into]
    if not others:
        return project
    everybody = [kept, *others]
    if any(not s.of.hides for s in everybody):
        raise EditRefused("What is in front is nobody; only people and things can be made one.")
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
    widest = _widest([project.style_of(s) for s in everybody])
    # In no version of the project either.
    versions = tuple(
        replace(
            v,
            styles={
                **{k: s for k, s in v.styles.items() if k not in gone},
                into: _widest([v.styles.get(s.key) or v.house.by_kind.get(s.of.kind) or v.style for s in everybody]),
            },
        )
        for v in project.decisions.versions
    )
    voices = tuple(replace(v, subject=into) if v.subject in gone else v for v in project.decisions.voices)
    speakers = tuple(replace(s, subject=into) if s.subject in gone else s for s in project.decisions.speakers)
    project = remove_subjects(project, gone).deciding(versions=versions, voices=voices, speakers=speakers)
    # Nobody is covered less far than before.
    merged = replace(
        kept,
        sightings=sightings,
        decision=decision,
        style=kept.style if widest == project.style_of(kept) else widest,
        doubtful=all(s.doubtful for s in everybody),
        dismissed=all(s.dismissed for s in everybody),
        portrait=kept.portrait or next((s.portrait for s in others if s.portrait), None),
    )
    project = project.with_subject(merged).deciding(likenesses=tuple(likenesses.values()))
    # What was in front of some of them only is not in front of all that they are now.
    return project.deciding(
        subjects=tuple(
            (
                replace(s, of=replace(s.of, subjects=tuple(k for k in s.of.subjects if k != into and k not in gone)))
                if not s.of.hides and {*gone, into} & set(s.of.subjects) and not {*gone, into} <= set(s.of.subjects)
                else s
            )
            for s in project.subjects
        )
    )


def _widest(styles: list[Style]) -> Style:
    """The first of some styles, reaching as far as any of them."""
    return replace(styles[0], margin=max(s.margin for s in styles), feather=max(s.feather for s in styles))


def _joined(sightings: list[Sighting], project: Project) -> tuple[Sighting, ...]:
    """Sightings of one person in order.

    Overlaps at one place stay, since to cut one would uncover what it holds; at two places they are refused.
    """
    ordered = sorted(sightings, key=lambda s: (s.clip, s.first, s.last))
    for n, sighting in enumerate(ordered):
        for other in ordered[n + 1 :]:
            if other.clip != sighting.clip or other.first > sighting.last:
                break
            if _frames_apart(project, sighting, other) > ONE_PLACE_FRAMES:
                clip = project.clip(sighting.clip)
                raise EditRefused(
                    f"These two are in one picture of {clip.path.name} at {clip.at(other.first)}; they are two people."
                )
    return tuple(ordered)


def _frames_apart(project: Project, a: Sighting, b: Sighting) -> int:
    """In how many of their common frames two sightings are at different places."""
    low, high = max(a.first, b.first), min(a.last, b.last)
    one, other = (outline_rows(project, s)[low - s.first : high - s.first + 1] for s in (a, b))
    away = np.hypot(one[:, CX] - other[:, CX], one[:, CY] - other[:, CY])
    return int((away > ONE_PLACE * np.maximum(np.maximum(one[:, WIDTH], other[:, WIDTH]), 1)).sum())


def split_at(project: Project, key: str, clip: str, frame: int) -> tuple[Project, str]:
    """The project with a subject split in two at a frame of a clip: what comes from there on, in this and in later
    clips, is somebody new and undecided. Returns it with the new key. Raises EditRefused when there is nothing on one
    side."""
    subject = project.subject(key)
    order = {c.key: n for n, c in enumerate(project.clips)}
    earlier, later = [], []
    for sighting in subject.sightings:
        if sighting.clip == clip and sighting.first < frame <= sighting.last:
            # Both keep all keyframes, so that nothing moves.
            project, new = project.new_id("sightings")
            earlier.append(replace(sighting, last=frame - 1, end_set=True))
            later.append(replace(sighting, key=new, first=frame, begin_set=True))
        elif (order[sighting.clip], sighting.first) < (order[clip], frame):
            earlier.append(sighting)
        else:
            later.append(sighting)
    if not earlier or not later:
        raise EditRefused(
            f"{subject.name} is seen only on one side of this frame; go to where the other person begins."
        )
    return _apart(project, subject, earlier, later)


def move_sighting(project: Project, key: str, clip: str, frame: int, to: str | None) -> tuple[Project, str]:
    """The project with the sighting at a frame given to another subject, or with to None to somebody new and undecided.

    Returns it with the key of who has it now. Raises EditRefused when there is no sighting, or the other is in the
    picture then too.
    """
    subject = project.subject(key)
    moved = sighting_at(subject, clip, frame)
    if moved is None:
        raise EditRefused(f"{subject.name} is not seen at this frame; go to a frame where the lane has a bar.")
    rest = [s for s in subject.sightings if s is not moved]
    if to is None:
        if not rest:
            raise EditRefused(f"{subject.name} has only this sighting; there is nothing to take it from.")
        return _apart(project, subject, rest, [moved])
    target = project.subject(to)
    if not target.of.hides or not subject.of.hides:
        raise EditRefused("What is in front is nobody; a sighting goes only from somebody to somebody.")
    sightings = _joined([*target.sightings, _by_hand(moved)], project)
    project = project.with_subject(replace(target, sightings=sightings))
    if not rest:
        return remove_subjects(project, [key]), to
    return project.with_subject(replace(subject, sightings=tuple(rest))), to


def swap_from(project: Project, one: str, other: str, clip: str, frame: int) -> Project:
    """The project with two people exchanged from a frame of a clip on, to its end: who followed the one goes on as the
    other. Nothing moves, and nobody is covered less than the decision on whoever has it now says. Raises EditRefused
    when neither is seen from there on, or one of them is nobody."""
    if one == other:
        raise EditRefused("Choose two people to exchange.")
    subjects = project.subject(one), project.subject(other)
    if not all(s.of.hides for s in subjects):
        raise EditRefused("What is in front is nobody; only people and things are exchanged.")
    halves = []
    for subject in subjects:
        project, earlier, later = _parted(project, subject, clip, frame)
        halves.append((earlier, later))
    if not halves[0][1] and not halves[1][1]:
        raise EditRefused(
            f"Neither {subjects[0].name} nor {subjects[1].name} is seen from this frame on; go to where they were taken"
            " for each other."
        )
    order = {c.key: n for n, c in enumerate(project.clips)}
    for subject, (earlier, _), (_, theirs) in zip(subjects, halves, halves[::-1]):
        mine = tuple(sorted((*earlier, *(_by_hand(s) for s in theirs)), key=lambda s: (order[s.clip], s.first)))
        if not mine:
            raise EditRefused(f"{subject.name} would have nothing left; give the sighting to the other instead.")
        project = project.with_subject(_with_portrait(project, replace(subject, sightings=mine), subject.portrait))
    return project


def give_rest(project: Project, key: str, clip: str, frame: int, to: str) -> tuple[Project, str]:
    """The project with what of a subject comes from a frame of a clip on, to its end, given to another one; returns it
    with the other's key. Raises EditRefused when there is nothing, or both are in one picture then."""
    subject, target = project.subject(key), project.subject(to)
    if not target.of.hides or not subject.of.hides or key == to:
        raise EditRefused("What is in front is nobody; a sighting goes only from somebody to somebody.")
    project, earlier, later = _parted(project, subject, clip, frame)
    if not later:
        raise EditRefused(f"{subject.name} is not seen from this frame on; go to where the other person begins.")
    sightings = _joined([*target.sightings, *(_by_hand(s) for s in later)], project)
    project = project.with_subject(replace(target, sightings=sightings))
    if not earlier:
        return remove_subjects(project, [key]), to
    return (
        project.with_subject(_with_portrait(project, replace(subject, sightings=tuple(earlier)), subject.portrait)),
        to,
    )


def _parted(
    project: Project, subject: Subject, clip: str, frame: int
) -> tuple[Project, list[Sighting], list[Sighting]]:
    """A subject's sightings before a frame of a clip and in other clips, and those from it on in this clip; one that
    goes through it is two."""
    earlier, later = [], []
    for sighting in subject.sightings:
        if sighting.clip != clip or sighting.last < frame:
            earlier.append(sighting)
        elif sighting.first >= frame:
            later.append(sighting)
        else:
            project, new = project.new_id("sightings")
            earlier.append(replace(sighting, last=frame - 1, end_set=True))
            later.append(replace(sighting, key=new, first=frame, begin_set=True))
    return project, earlier, later


def _apart(project: Project, subject: Subject, kept: list[Sighting], given: list[Sighting]) -> tuple[Project, str]:
    """Somebody new gets some of a subject's sightings; that they are two people is remembered."""
    project, key = project.new_id("subjects")
    one = replace(subject, sightings=tuple(kept), sure=1.0)
    other = Subject(
        key,
        next_name(project, of=subject.of),
        sightings=tuple(_by_hand(s) for s in given),
        style=subject.style,
        of=subject.of,
    )
    versions = tuple(
        replace(v, styles={**v.styles, key: v.styles[subject.key]}) if subject.key in v.styles else v
        for v in project.decisions.versions
    )
    project = project.deciding(versions=versions)
    one, other = _with_portrait(project, one, subject.portrait), _with_portrait(project, other, subject.portrait)
    place = [s.key for s in project.subjects].index(subject.key) + 1
    project = project.with_subject(one)
    project = project.deciding(subjects=(*project.subjects[:place], other, *project.subjects[place:]))
    return with_likenesses(project, [Likeness(subject.key, key, 0.0, Answer.NO)]), key


def _by_hand(sighting: Sighting) -> Sighting:
    """A sighting of which a person said whose it is: no scan gives it to somebody else or moves its ends."""
    return replace(sighting, begin_set=True, end_set=True)


def _with_portrait(project: Project, subject: Subject, old: Portrait | None) -> Subject:
    """The old portrait if it is of one of the subject's sightings, otherwise one from the surest frame."""
    if old is not None and sighting_at(subject, old.clip, old.frame) is not None:
        return replace(subject, portrait=old)
    sighting = max(subject.sightings, key=lambda s: s.last - s.first)
    rows = outline_rows(project, sighting)
    row = int(np.argmax(rows[:, CONFIDENCE] * np.sqrt(rows[:, WIDTH])))
    cx, cy, side = float(rows[row, CX]), float(rows[row, CY] + 0.1 * rows[row, HEIGHT]), float(0.85 * rows[row, WIDTH])
    frame = sighting.first + row
    return replace(
        subject,
        portrait=Portrait(sighting.clip, frame, (cx - side / 2, cy - side / 2, cx + side / 2, cy + side / 2)),
        portrait_chosen=False,
    )


def with_likenesses(project: Project, asked: Iterable[Likeness]) -> Project:
    """The project with questions added; what was answered before is not asked again, a no replaces what was open."""
    known = {frozenset((n.one, n.other)): n for n in project.likenesses}
    there = {s.key for s in project.subjects}
    for likeness in asked:
        pair = frozenset((likeness.one, likeness.other))
        old = known.get(pair)
        if (
            len(pair) == 2
            and pair <= there
            and (old is None or old.answer == Answer.OPEN or likeness.answer == Answer.NO)
        ):
            known[pair] = likeness
    return project.deciding(likenesses=tuple(n for pair, n in known.items() if pair <= there))


def answer(project: Project, one: str, other: str, said: Answer | None) -> Project:
    """The project after an answer to “Are these the same person?”; None is yes, and makes them one."""
    if said is None:
        first, second = project.subject(one), project.subject(other)
        order = [s.key for s in project.subjects]
        into, gone = (
            (one, other)
            if (first.is_decided, -order.index(one)) >= (second.is_decided, -order.index(other))
            else (other, one)
        )
        return merge_subjects(project, into, [gone])
    return with_likenesses(
        project.deciding(likenesses=tuple(n for n in project.likenesses if not n.is_about(one, other))),
        [
            replace(
                next((n for n in project.likenesses if n.is_about(one, other)), Likeness(one, other, 0.0)), answer=said
            )
        ],
    )


def open_likenesses(project: Project) -> list[Likeness]:
    """Questions that wait for an answer, likeliest first."""
    return sorted((n for n in project.likenesses if n.answer == Answer.OPEN), key=lambda n: -n.probability)


def ask_again(project: Project) -> Project:
    """The project with everything that was put off asked again."""
    return project.deciding(
        likenesses=tuple(replace(n, answer=Answer.OPEN) if n.answer == Answer.LATER else n for n in project.likenesses)
    )
