"""The contact sheet: which pictures of the result somebody has to look at, so that a minute of film is checked at a
glance.

Each crop stands for a stretch of frames of one subject and shows the most doubtful of them. Stretches are halves of
halves of an even grid, the finer the more doubtful their frames are: what is changed at one place moves no crop
elsewhere, and what was looked at there stays looked at. Around each begin, end, bridge, crossing and keyframe there are
crops beside those.
"""

from __future__ import annotations

import hashlib
from collections.abc import Iterable, Sequence
from dataclasses import dataclass

import numpy as np

from skiagraph.project.model import Glance, Project, Sighting, Subject
from skiagraph.project.rows import outline_rows
from skiagraph.remembering import Remembered
from skiagraph.review.doubt import Doubt, doubt_of
from skiagraph.review.ends import at_edge
from skiagraph.review.finding import Finding, Scene
from skiagraph.review.places import crop_box


@dataclass(frozen=True, slots=True)
class SheetSettings:
    """How many crops there are.

    longest_s: seconds of film that one crop stands for where nothing is doubtful, brought to a power of two of frames;
    smaller values give more crops. least: frames of the shortest stretch. mass: sum of the doubts of its frames from
    which a stretch is halved; smaller values give more crops where it is doubtful. event: doubt of a begin, an end or a
    keyframe at least, which puts them among the first; gap_s: a gap between two sightings of one person is looked into
    where it is shorter. Set by benchmarks/review.py: that the first third of a sheet shows what was put in.
    """

    longest_s: float = 2.6
    least: int = 4
    mass: float = 6.0
    event: float = 0.35
    gap_s: float = 2.0


SHEET = SheetSettings()
# Frames before a begin and after an end that one crop stands for.
BESIDE = 4
# Finer than this nothing is told apart, px and shares.
STEP_PX, STEP_SHARE = 0.5, 0.01
_DIGESTS = Remembered(16 << 20, size=lambda made: 200 + 80 * len(made))


@dataclass(frozen=True, slots=True)
class Crop:
    """One picture of the sheet. at: the frame that is shown; first, last: the frames it stands for, both included; box:
    x0, y0, x1, y1 px of the upright clip that are shown; doubt: 0..1; why: what is doubtful, or what happens there, in
    words, empty where nothing is. subject: key, empty for a whole picture."""

    clip: str
    subject: str
    at: int
    first: int
    last: int
    box: tuple[int, int, int, int]
    doubt: float
    why: str


def sheet_of(project: Project, clip_key: str, found: Iterable[Finding] = ()) -> list[Crop]:
    """The crops of everybody covered in a clip, in the order of the register and of time. found: open findings, whose
    frames are among the most doubtful."""
    clip = project.clip(clip_key)
    scene = Scene.of(project, clip_key)
    here: dict[str, list[Finding]] = {}
    for finding in found:
        if finding.clip == clip_key and not finding.kind.of_sound:
            here.setdefault(finding.subject, []).append(finding)
    covered = [
        (subject, sightings)
        for subject in project.subjects
        if subject.is_covered and (sightings := scene.sightings(subject))
    ]
    crops = [
        crop
        for subject, sightings in covered
        for crop in _of_subject(scene, subject, sightings, covered, here.get(subject.key, []))
    ]
    whole = (0, 0, *clip.picture_size)
    # What is about all of a clip is nothing to look at, but for a face that is in all of it.
    crops += [
        Crop(clip_key, "", f.at, f.first, f.last, whole, 0.9 if f.is_exposing else 0.6, f.kind.word)
        for f in here.get("", ())
        if f.box is not None or f.last - f.first < clip.frames - 1
    ]
    return crops


def by_doubt(crops: Iterable[Crop]) -> list[Crop]:
    """The most doubtful first; of equally doubtful ones the earlier."""
    return sorted(crops, key=lambda c: (-c.doubt, c.clip, c.at, c.subject))


def _of_subject(
    scene: Scene,
    subject: Subject,
    sightings: list[Sighting],
    covered: Sequence[tuple[Subject, list[Sighting]]],
    found: list[Finding],
) -> list[Crop]:
    crops: dict[tuple[int, int], Crop] = {}

    def add(sighting: Sighting, at: int, first: int, last: int, doubt: float, why: str) -> None:
        made = Crop(
            scene.clip.key,
            subject.key,
            at,
            first,
            last,
            crop_box(scene, subject, sighting, at),
            round(float(min(1.0, doubt)), 3),
            why,
        )
        known = crops.get((at, at))
        if known is None or known.doubt < made.doubt:
            # One picture for all that is to be said of a frame, and of as many frames as any of it.
            crops[at, at] = (
                made
                if known is None
                else Crop(
                    made.clip,
                    made.subject,
                    at,
                    min(first, known.first),
                    max(last, known.last),
                    made.box,
                    made.doubt,
                    why or known.why,
                )
            )

    for n, sighting in enumerate(sightings):
        doubt = doubt_of(scene, subject, sighting, covered)
        _raise_at_findings(doubt, sighting, found)
        most = doubt.most
        for first, last in stretches(most, sighting.first, float(scene.clip.rate)):
            at = first + _worst(most[first - sighting.first : last + 1 - sighting.first])
            add(sighting, at, first, last, most[at - sighting.first], doubt.why(at - sighting.first))
        for at, word in _events(scene, sighting, doubt):
            add(sighting, at, at, at, max(SHEET.event, most[at - sighting.first]), word)
        for at, first, last, share, word in _beside(scene, sightings, n):
            add(sighting, at, first, last, share, word)
    for finding in found:
        nearest = min(sightings, key=lambda s: max(s.first - finding.at, finding.at - s.last, 0))
        add(nearest, finding.at, finding.first, finding.last, 1.0 if finding.is_exposing else 0.7, finding.kind.word)
    return sorted(crops.values(), key=lambda c: c.at)


def _raise_at_findings(doubt: Doubt, sighting: Sighting, found: list[Finding]) -> None:
    """Frames of a finding are as doubtful as it is, and most where it is worst."""
    for finding in found:
        share = 0.9 if finding.is_exposing else 0.6
        first, last = (
            max(finding.first - sighting.first, 0),
            min(finding.last - sighting.first, doubt.shares.shape[1] - 1),
        )
        if first <= last:
            doubt.add(np.arange(first, last + 1), share, finding.kind.word)


def stretches(doubt: np.ndarray, begin: int, rate: float) -> list[tuple[int, int]]:
    """Stretches of frames, both included, that one crop stands for each. doubt: (n,) of the frames from begin on."""
    longest = 1 << max(2, round(np.log2(max(4.0, SHEET.longest_s * rate))))
    total = np.concatenate([[0.0], np.cumsum(doubt)])
    found: list[tuple[int, int]] = []

    def halve(low: int, high: int) -> None:
        a, b = max(low, begin), min(high, begin + len(doubt))
        if a >= b:
            return
        if high - low > SHEET.least and total[b - begin] - total[a - begin] > SHEET.mass:
            halve(low, (low + high) // 2)
            halve((low + high) // 2, high)
        else:
            found.append((a, b - 1))

    for low in range(begin // longest * longest, begin + len(doubt), longest):
        halve(low, low + longest)
    return found


def _worst(doubt: np.ndarray) -> int:
    """The most doubtful frame; of several the one nearest the middle."""
    worst = np.flatnonzero(doubt >= doubt.max() - 1e-6)
    return int(worst[np.argmin(np.abs(worst - (len(doubt) - 1) / 2))])


def _events(scene: Scene, sighting: Sighting, doubt: Doubt) -> Iterable[tuple[int, str]]:
    """Frames of a sighting in which something happens, and what."""
    last = sighting.first + doubt.shares.shape[1] - 1
    yield sighting.first, "begins"
    yield last, "ends"
    for frame in sighting.all_marks():
        if sighting.first <= frame <= last:
            yield frame, "by hand"
    for n in doubt.bridges:
        yield sighting.first + n, "hidden"
    scan = scene.scan
    for person in scan.people if scan else ():
        if set(person.tracks) & set(sighting.tracks):
            for join in person.joins:
                for frame in (join.first, join.last):
                    if sighting.first <= frame <= last:
                        yield frame, "meets"


def _beside(scene: Scene, sightings: list[Sighting], n: int) -> Iterable[tuple[int, int, int, float, str]]:
    """Just before a sighting begins and just after it ends, where nothing is covered: frame to show, first, last,
    doubt, word."""
    sighting, rows = sightings[n], scene.rows(sightings[n])
    first, last = sighting.first, sighting.first + len(rows) - 1
    others = [s for k, s in enumerate(sightings) if k != n]
    for at, word, row, cut in (
        (first - 1, "before", rows[0], first in scene.cuts),
        (last + 1, "after", rows[-1], last + 1 in scene.cuts),
    ):
        if not 0 <= at < scene.clip.frames or any(s.covers(at) for s in others):
            continue
        low, high = (max(0, at - BESIDE + 1), at) if at < first else (at, min(scene.clip.frames - 1, at + BESIDE - 1))
        # After a cut, and beyond the edge of the picture, somebody is hardly there still.
        yield at, low, high, 0.15 if cut else 0.3 if at_edge(row, scene.clip) else 0.8, word
    following = min((s for s in others if s.first > last + 1), key=lambda s: s.first, default=None)
    if (
        following is not None
        and following.first - last - 1 <= SHEET.gap_s * float(scene.clip.rate)
        and following.first - last > 2 * BESIDE
    ):
        yield (last + following.first) // 2, last + 1, following.first - 1, 0.5, "between"


# What was looked at


def digest_of(project: Project, crop: Crop) -> str:
    """What is seen on a crop, as a short text that changes when any frame it stands for does: where the subject is
    covered and how, and what is in front of it."""
    return _Digests(project, crop.clip, crop.subject).of(crop.first, crop.last)


def picture_digest(project: Project, crop: Crop, at: int | None = None) -> str:
    """What is seen in the picture of a crop, also of others who come into it, as a short text. at: another frame than
    the crop's."""
    at = crop.at if at is None else at
    house = project.decisions.house
    beside = round(max(house.lead_s, house.tail_s) * float(project.clip(crop.clip).rate))
    digest = hashlib.blake2b(
        f"{crop.clip}|{at}|{crop.box}|{house.lead_s}|{house.tail_s}|{project.rest_of(crop.clip)}".encode(),
        digest_size=10,
    )
    for subject in project.subjects:
        for sighting in subject.sightings:
            if sighting.clip == crop.clip and sighting.first - beside <= at <= sighting.last + beside:
                frame = min(max(at, sighting.first), sighting.last)
                digest.update(
                    f"{subject.key}{subject.is_covered}{subject.is_in_front}{subject.decision}{subject.label}"
                    f"{project.style_of(subject)}{sighting.shape_at(frame)}{sighting.level_at(frame)}"
                    f"{sighting.cut}".encode()
                )
                digest.update(
                    _rounded(outline_rows(project, sighting)[frame - sighting.first : frame + 1 - sighting.first])
                )
    return digest.hexdigest()


class _Digests:
    """Digests of stretches of one subject. same: what all of them have in common."""

    def __init__(self, project: Project, clip: str, subject: str):
        self._project, self._clip = project, clip
        somebody = next((s for s in project.subjects if s.key == subject), None)
        self._sightings = somebody.in_clip(clip) if somebody is not None else []
        house = project.decisions.house
        style = project.style_of(somebody) if somebody is not None else None
        scan = project.scan_of(clip)
        self.same = (
            f"{clip}|{somebody is not None and somebody.is_covered}|{style}"
            f"|{house.lead_s}|{house.tail_s}|{project.rest_of(clip)}|"
            + ("" if subject else f"{scan.key if scan else ''}")
        )
        self._fronts = [
            (holdout, front)
            for holdout in project.subjects
            if somebody is not None and holdout.is_in_front and holdout.of.is_before(subject)
            for front in holdout.in_clip(clip)
        ]

    @property
    def kept_as(self) -> tuple[str, ...]:
        """What tells digests that are kept from others, beside what they are made of."""
        return self.same, *(f"{holdout.key}{holdout.of}" for holdout, _ in self._fronts)

    @property
    def made_of(self) -> tuple[Sighting, ...]:
        """Everything that a digest depends on, beside what is kept apart by `kept_as`."""
        return (*self._sightings, *(front for _, front in self._fronts))

    def of(self, first: int, last: int) -> str:
        digest = hashlib.blake2b(self.same.encode(), digest_size=10)
        for sighting in self._sightings:
            a, b = max(first, sighting.first), min(last, sighting.last)
            if a <= b:
                digest.update(f"{a}-{b}".encode())
                digest.update(
                    _rounded(outline_rows(self._project, sighting)[a - sighting.first : b + 1 - sighting.first])
                )
                if sighting.forms or sighting.levels:
                    digest.update(
                        "".join(
                            f"{sighting.shape_at(f)}{sighting.level_at(f).round(3)}{sighting.covers_at(f, ())}"
                            for f in range(a, b + 1)
                        ).encode()
                    )
                else:
                    digest.update(str(sighting.shape).encode())
        for holdout, front in self._fronts:
            a, b = max(first, front.first), min(last, front.last)
            if a <= b:
                shapes = front.shape if not front.forms else [front.shape_at(f) for f in range(a, b + 1)]
                digest.update(f"{holdout.key}{holdout.of}{a}-{b}{shapes}{front.cut}".encode())
                digest.update(_rounded(outline_rows(self._project, front)[a - front.first : b + 1 - front.first]))
        return digest.hexdigest()


def _rounded(rows: np.ndarray) -> bytes:
    """Places so finely as it matters, and growth."""
    return np.round(np.column_stack([rows[:, :5] / STEP_PX, rows[:, 6:] / STEP_SHARE])).astype("<i4").tobytes()


@dataclass(frozen=True, slots=True)
class Looked:
    """What was said of a crop that is as it was then: fine, or to be looked at again; neither where nobody said
    anything. changed: something was said, and has changed since."""

    glance: Glance | None = None
    changed: bool = False

    @property
    def is_fine(self) -> bool:
        return self.glance is not None and self.glance.fine

    @property
    def is_again(self) -> bool:
        return self.glance is not None and not self.glance.fine


def looked_through(project: Project, crops: Sequence[Crop]) -> list[Looked]:
    """What was said of each crop.

    What was said of a longer stretch counts for every crop in it, as long as all of it is as it was.
    """
    said: dict[tuple[str, str], list[Glance]] = {}
    for one in project.decisions.glances:
        said.setdefault((one.clip, one.subject), []).append(one)
    standing = {key: _standing(project, *key, tuple(ones)) for key, ones in said.items()}
    found = []
    for crop in crops:
        key = crop.clip, crop.subject
        about = next(
            (g for g in reversed(standing.get(key, ())) if g.first <= crop.first and crop.last <= g.last), None
        )
        found.append(
            Looked(about) if about else Looked(None, any(g.first <= crop.at <= g.last for g in said.get(key, ())))
        )
    return found


def standing_glances(project: Project, clip: str) -> list[Glance]:
    """What was said of stretches of a clip that are as they were then."""
    said: dict[str, list[Glance]] = {}
    for one in project.decisions.glances:
        if one.clip == clip:
            said.setdefault(one.subject, []).append(one)
    return [g for subject, ones in said.items() for g in _standing(project, clip, subject, tuple(ones))]


def _standing(project: Project, clip: str, subject: str, said: tuple[Glance, ...]) -> tuple[Glance, ...]:
    """Of what was said of a subject, what still holds."""
    digests = _Digests(project, clip, subject)
    known = _DIGESTS.get(digests.made_of, digests.kept_as, dict) if digests.made_of else {}
    for g in said:
        if (g.first, g.last) not in known:
            known[g.first, g.last] = digests.of(g.first, g.last)
    return tuple(g for g in said if known[g.first, g.last] == g.looked)


def glance_of(project: Project, crop: Crop, fine: bool, by: str = "") -> Glance:
    """What somebody says of a crop, bound to what was looked at."""
    return Glance(crop.clip, crop.subject, crop.first, crop.last, digest_of(project, crop), fine, by)
