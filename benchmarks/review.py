"""How many leaks of known place, length and size the findings name, the contact sheet shows in its first third, and the
check of the exported file finds; and how often each is wrong.

    python -m benchmarks.review [--hard FOLDER] [--rounds N] [--whole] [NAME ...]

Films with exact truth are scanned, everybody is covered, and leaks are put in by lot: a cover that slipped, shrank,
begins late, is missing or too weak, a face that nobody knows of, a holdout that is too large; of 1 to 10 frames. Each
counts where the truth says that a face is bare. The file is exported with them and checked twice: against the decisions
with the leaks in them (the machine was wrong), and against those without (the file is not as decided). --whole: every
frame of the file is searched whole, to compare. Prints tables as in docs/measured/review.md.
"""

from __future__ import annotations

import argparse
import os
import tempfile
import time
from collections import defaultdict
from collections.abc import Callable
from dataclasses import dataclass
from dataclasses import replace as with_fields
from pathlib import Path

import numpy as np

from benchmarks.measures import COVERED, LEAST_PX, LEAST_SHARE
from benchmarks.scenes import made
from skiagraph.boxes import cxcywh_to_xyxy, iou
from skiagraph.cover.layer import matte_of
from skiagraph.demo.ship import CLIPS, shipped
from skiagraph.demo.truth import ClipTruth, load_truth
from skiagraph.footage.adding import add_clip
from skiagraph.footage.scanning import take_in
from skiagraph.handover.export import write_clip
from skiagraph.handover.writers.film import CoveredFilm
from skiagraph.media.index import open_clip
from skiagraph.media.reader import FrameReader
from skiagraph.project import cast, edits
from skiagraph.project.layers import layers, matte
from skiagraph.project.model import Cover, HoldoutSubject, Level, Project, Sighting, Similarity, Style, replace
from skiagraph.project.rows import outline_rows
from skiagraph.review import file_faces
from skiagraph.review.crops import FIRST, pictures
from skiagraph.review.exposure import prove
from skiagraph.review.findings import findings
from skiagraph.review.sheet import by_doubt, sheet_of
from skiagraph.track.path import Path as HeadPath
from skiagraph.track.results import FaceTable, FoundPerson, ScanResult
from skiagraph.track.scan import ScanSettings, scan

LENGTHS = (1, 2, 3, 5, 10)
# Leaks are so many frames apart.
APART = 14


@dataclass(frozen=True)
class Leak:
    """One leak that was put in. kind, first, last: both included; subject: key; actor: whose face; px: width of the
    head."""

    kind: str
    first: int
    last: int
    subject: str
    actor: str
    px: float


def _moved(project: Project, leak: Leak, change: Callable[[np.ndarray], None]) -> Project:
    """With the rows of a subject's track changed in the frames of a leak, as if it had been followed wrongly."""
    sighting = _sighting(project, leak)
    tracks = []
    for track in project.evidence.tracks:
        if track.key in sighting.tracks and track.path.first <= leak.last and leak.first <= track.path.last:
            rows, path = track.path.rows().astype(float), track.path
            part = slice(max(0, leak.first - path.first), leak.last + 1 - path.first)
            change(rows[part])
            track = replace(
                track,
                path=HeadPath.from_rows(path.first, rows, path.origin, None if path.lean is None else path.leaning()),
            )
        tracks.append(track)
    return replace(project, evidence=replace(project.evidence, tracks=tuple(tracks)))


def _sighting(project: Project, leak: Leak) -> Sighting:
    return next(s for s in project.subject(leak.subject).sightings if s.covers(leak.first))


def _shifted(project: Project, leak: Leak) -> Project:
    def change(rows):
        rows[:, 0] += 0.8 * rows[:, 2]

    return _moved(project, leak, change)


def _shrunk(project: Project, leak: Leak) -> Project:
    def change(rows):
        rows[:, 2:4] *= 0.5

    return _moved(project, leak, change)


def _missing(project: Project, leak: Leak) -> Project:
    sighting, subject = _sighting(project, leak), project.subject(leak.subject)
    project, key = project.new_id("sightings")
    parts = [replace(sighting, last=leak.first - 1)] if leak.first > sighting.first else []
    parts += [replace(sighting, key=key, first=leak.last + 1)] if leak.last < sighting.last else []
    return project.with_subject(
        replace(
            subject, sightings=tuple(p for s in subject.sightings for p in (parts if s.key == sighting.key else [s]))
        )
    )


def _stray(project: Project, leak: Leak) -> Project:
    """Missing, and the scan saw nobody either."""
    scan_ = project.scan_of("c1")
    table = scan_.faces
    kept = (table.frames < leak.first) | (table.frames > leak.last)
    seen = replace(scan_, faces=FaceTable(table.frames[kept], table.boxes[kept], table.scores[kept]))
    return _missing(replace(project, evidence=replace(project.evidence, scans=(seen,))), leak)


def _weak(project: Project, leak: Leak) -> Project:
    sighting, subject = _sighting(project, leak), project.subject(leak.subject)
    levels = {
        sighting.first: Level(sighting.first, to_next="hold"),
        **{e.frame: e for e in sighting.levels},
        leak.first: Level(leak.first, strength=0.12, to_next="hold"),
    }
    if leak.last < sighting.last:
        levels[leak.last + 1] = Level(leak.last + 1, to_next="hold")
    changed = replace(sighting, levels=tuple(levels[f] for f in sorted(levels)))
    return project.with_subject(
        replace(subject, sightings=tuple(changed if s.key == sighting.key else s for s in subject.sightings))
    )


def _held_out(project: Project, leak: Leak) -> Project:
    sighting = _sighting(project, leak)
    rows = outline_rows(project, sighting)[leak.first - sighting.first : leak.last + 1 - sighting.first]
    x, y, wide, tall = rows[:, :4].mean(axis=0)
    project, key = project.new_id("sightings")
    front = Sighting(
        key,
        "c1",
        leak.first,
        leak.last,
        base=Similarity(float(x), float(y), float(0.9 * wide), float(0.9 * tall)),
        begin_set=True,
        end_set=True,
    )
    return edits.with_new_subject(project, of=HoldoutSubject(), sightings=(front,), name=f"In front {key}")[0]


KINDS: dict[str, Callable[[Project, Leak], Project]] = {
    "shifted": _shifted,
    "shrunk": _shrunk,
    "missing": _missing,
    "late": _missing,
    "too weak": _weak,
    "a face nobody knows of": _stray,
    "holdout too large": _held_out,
}


def _places(project: Project, truth: ClipTruth, rng: np.random.Generator) -> list[tuple[str, int, str, float]]:
    """Where somebody's face is seen and covered: subject, frame, actor, width of the head px, in random order."""
    found = []
    for subject in project.subjects:
        for sighting in subject.in_clip("c1") if subject.is_covered and not subject.doubtful else ():
            boxes = cxcywh_to_xyxy(outline_rows(project, sighting)[:, :4])
            for frame in range(sighting.first, min(sighting.last, len(truth.heads) - 1) + 1):
                for head in truth.heads[frame]:
                    if (
                        head.face_px >= max(LEAST_PX, LEAST_SHARE * np.pi / 4 * head.width * head.height)
                        and iou(
                            boxes[frame - sighting.first][None],
                            cxcywh_to_xyxy(np.array([[head.cx, head.cy, head.width, head.height]])),
                        )[0, 0]
                        > 0.5
                    ):
                        found.append((subject.key, frame, head.actor, head.width))
    rng.shuffle(found)
    return found


def _drawn(project: Project, truth: ClipTruth, wanted: list[tuple[str, int]], rng: np.random.Generator) -> list[Leak]:
    """As many of the wanted leaks (kind, frames) as find a place; those that do are taken from the list."""
    leaks: list[Leak] = []
    frames = len(truth.heads)
    for subject, frame, actor, px in _places(project, truth, rng):
        if not wanted:
            break
        kind, length = wanted[0]
        first, last = frame, frame + length - 1
        sighting = next(s for s in project.subject(subject).sightings if s.covers(frame))
        if kind == "late":
            first, last = sighting.first, sighting.first + length - 1
        if (
            last >= min(sighting.last, frames - 1)
            or (kind != "late" and first <= sighting.first + 2)
            or any(first <= other.last + APART and other.first <= last + APART for other in leaks)
        ):
            continue
        leaks.append(Leak(kind, first, last, subject, actor, px))
        wanted.pop(0)
    return leaks


def _bare(project: Project, truth: ClipTruth, leaks: list[Leak]) -> set[Leak]:
    """Those in which a face is bare by the truth: not under complete covers, or under such as were made too weak."""
    found = set()
    for frame, (ids, heads) in enumerate(truth.frames()):
        here = [leak for leak in leaks if leak.first <= frame <= leak.last]
        if here:
            whole = matte(project, "c1", frame) == 255
            for leak in here:
                # Under a cover that is too weak a face counts as bare, but where another cover lies over it.
                hidden = (
                    whole
                    if leak.kind != "too weak"
                    else matte_of(
                        [layer for layer in layers(project, "c1", frame) if layer.subject != leak.subject],
                        (truth.width, truth.height),
                    )
                    == 255
                )
                head = next((h for h in heads if h.actor == leak.actor), None)
                if (
                    head is not None
                    and head.face_px >= max(LEAST_PX, LEAST_SHARE * np.pi / 4 * head.width * head.height)
                    and np.count_nonzero((ids == truth.number(head.actor)) & hidden) < COVERED * head.face_px
                ):
                    found.add(leak)
    return found


def _names(found, leak: Leak) -> bool:
    return any(f.subject in ("", leak.subject) and f.first <= leak.last and leak.first <= f.last for f in found)


def measure(
    clip: Path,
    rounds: int,
    told: Callable[[Leak, bool, bool, bool, bool], None],
    alarm: Callable[[float, int, int], None],
) -> None:
    """Put leaks into a film, in rounds. told hears of each whether findings name it, the first third of the sheet shows
    it, the check of the file finds it, and the check finds that the file is not as decided; alarm of minutes of film,
    findings and finds of the check that name nothing."""
    info, index = open_clip(clip)
    truth = load_truth(clip.with_suffix("").with_name(clip.stem + ".truth.json"))
    project = take_in(add_clip(Project(), info, index), "c1", scan(info, index, ScanSettings()), 1)
    project = edits.set_style_for_all(cast.cover_all(project), Style.of(Cover.kinds["blur"](0.24)))
    rng = np.random.default_rng(sum(clip.stem.encode()))
    with tempfile.TemporaryDirectory() as held:
        film = Path(held) / "out.mp4"
        fast = CoveredFilm("h264-mp4", {"preset": "veryfast"})
        write_clip(project, "c1", [(fast, film)])
        base, checked = findings(project), prove(project, "c1", film).findings
        bare = {frame for frame, _ in _base_leaks(project, truth)}
        needless = [
            sum(not any(f.first - 3 <= n <= f.last + 3 for n in bare) for f in found) for found in (base, checked)
        ]
        alarm(len(index) / float(info.rate) / 60, *needless)
        wanted = [(kind, length) for length in LENGTHS for kind in KINDS]
        rng.shuffle(wanted)
        wanted = [(str(kind), int(length)) for kind, length in wanted]
        for _ in range(rounds):
            leaks = _drawn(project, truth, wanted, rng)
            if not leaks:
                break
            leaking = project
            for leak in leaks:
                leaking = KINDS[leak.kind](leaking, leak)
            real = _bare(leaking, truth, leaks)
            film.unlink()
            write_clip(leaking, "c1", [(fast, film)])
            named, wrong, other = (
                findings(leaking),
                prove(leaking, "c1", film).findings,
                prove(project, "c1", film).findings,
            )
            ordered = by_doubt(sheet_of(leaking, "c1", named))
            third = ordered[: -(-len(ordered) // 3)]
            for leak in leaks:
                if leak in real:
                    shown = any(c.subject in ("", leak.subject) and leak.first <= c.at <= leak.last for c in third)
                    told(leak, _names(named, leak), shown, _names(wrong, leak), _names(other, leak))


def _base_leaks(project: Project, truth: ClipTruth) -> list[tuple[int, str]]:
    from benchmarks.measures import leaks

    return [(frame, actor) for frame, actor, _ in leaks(project, "c1", truth).leaks]


def sheet_times(minutes: float, film: Path | None) -> None:
    """film: the joined films, drawn there if it is missing.

    How long the contact sheet of a long clip with ten people takes: until it is known, until a screen full of pictures
    is there, until all are; and reading the clip once.
    """
    from benchmarks.length import CASTS, joined

    with tempfile.TemporaryDirectory() as held:
        clip = film or Path(held) / "long.mp4"
        if not clip.exists():
            joined(CASTS[10], minutes, Path(held), clip)
        info, index = open_clip(clip)
        people: list[FoundPerson] = []
        parts = [open_clip(shipped(f"{name}.mp4")) for name in CASTS[10]]
        found = [scan(*part, ScanSettings()) for part in parts]
        for result, (begin, turn) in zip(found, zip((0, len(parts[0][1])), (sum(len(i) for _, i in parts),) * 2)):
            for person in [p for p in result.people if not p.doubtful][:5]:
                paths = [
                    HeadPath.from_rows(path.first + at, path.rows(), path.origin)
                    for at in range(begin, len(index) - result.frames, turn)
                    for path in person.paths
                ]
                people.append(FoundPerson(len(people) + 1, tuple(paths), paths[0].first, person.best_box))
        project = take_in(
            add_clip(Project(), info, index),
            "c1",
            ScanResult(tuple(people), FaceTable.none(), tuple(range(0, len(index), len(parts[0][1]))), len(index)),
            1,
        )
        began = time.perf_counter()
        crops = sheet_of(project, "c1", findings(project))
        known, made_at = time.perf_counter() - began, []
        for _ in pictures(project, "c1", crops, (224, 280)):
            made_at.append(time.perf_counter() - began)
        began = time.perf_counter()
        with FrameReader(info, index, threads=1) as reader:
            for _ in reader.frames():
                pass
        decode = time.perf_counter() - began
    print(
        f"| {minutes:g} | {len(people)} | {len(crops)} | {known:.1f} s | {made_at[min(FIRST, len(made_at)) - 1]:.1f} s"
        f" | {made_at[-1]:.0f} s | {decode:.0f} s |"
    )


def main() -> None:
    parser = argparse.ArgumentParser()
    parser.add_argument(
        "--sheet",
        type=float,
        metavar="MINUTES",
        help="measure how long the contact sheet of a clip of so many minutes with ten people takes, and nothing else",
    )
    parser.add_argument("--film", type=Path, help="where the long clip of --sheet is kept")
    parser.add_argument(
        "--hard", type=Path, help="folder for the harder films; drawn there if they are missing (some minutes)"
    )
    parser.add_argument("--rounds", type=int, default=3)
    parser.add_argument("--whole", action="store_true")
    parser.add_argument("names", nargs="*")
    options = parser.parse_args()
    held = tempfile.TemporaryDirectory()
    os.environ["XDG_CACHE_HOME"] = held.name
    if options.sheet:
        print(
            "| minutes | people | pictures | sheet known | the first 24 pictures | all pictures | reading the clip once"
            " |\n|---|---|---|---|---|---|---|"
        )
        sheet_times(options.sheet, options.film)
        return
    if options.whole:
        file_faces.FILE_SEARCH = with_fields(file_faces.FILE_SEARCH, whole_every=1, closely_every=1, finely_every=1)
    names = options.names or [*CLIPS, "crowd", "jackets"]
    clips = [
        shipped(f"{name}.mp4") if name in CLIPS else made(options.hard, [name])[0]
        for name in names
        if name in CLIPS or options.hard
    ]
    results: list[tuple[Leak, bool, bool, bool, bool]] = []
    alarms: list[tuple[float, int, int]] = []
    for clip in clips:
        measure(clip, options.rounds, lambda *row: results.append(row), lambda *row: alarms.append(row))
        print(f"{clip.stem}: {len(results)} leaks so far", flush=True)
    for title, key in (("kind", lambda leak: leak.kind), ("frames", lambda leak: str(leak.last - leak.first + 1))):
        print(
            f"\n| {title} | leaks | findings | first third of the sheet | check of the file | findings or check | file"
            " is not as decided |\n|---|---|---|---|---|---|---|"
        )
        groups = defaultdict(list)
        for row in results:
            groups[key(row[0])].append(row)
        for name, rows in sorted(groups.items(), key=lambda g: (len(g[0]) < 3, g[0].zfill(3))):
            print(
                f"| {name} | {len(rows)} | "
                + " | ".join(
                    str(n)
                    for n in (
                        *(sum(row[c] for row in rows) for c in (1, 2, 3)),
                        sum(row[1] or row[3] for row in rows),
                        sum(row[4] for row in rows),
                    )
                )
                + " |"
            )
    missed = [row[0] for row in results if not (row[1] or row[3])]
    print("\nnamed by neither:", *missed, sep="\n  ")
    print("\nnot seen by comparing with the decisions:", *[row[0] for row in results if not row[4]], sep="\n  ")
    minutes = sum(a[0] for a in alarms)
    print(
        f"\nneedless on {minutes:.1f} minutes of film: {sum(a[1] for a in alarms)} findings,"
        f" {sum(a[2] for a in alarms)} finds of the check"
    )


if __name__ == "__main__":
    main()
