"""Faults on purpose: damaged films and projects, processes killed at random moments, full disks, sources that go or
change.

    python -m benchmarks.faults [--media 1000] [--projects 1000] [--kills 100] [--sources 40] [--full 12] [--seed 1]

Everything is drawn from the seed. Each case is tried in a process of its own kind: a run of cases in one worker, which
is started again behind the case it died of. Prints a table for docs/measured/faults.md; wanted is 0 in each of its last
columns.
"""

from __future__ import annotations

import argparse
import json
import os
import random
import shutil
import signal
import subprocess
import sys
import tempfile
import time
from collections import Counter
from dataclasses import dataclass, field
from pathlib import Path

ROOT = Path(__file__).parents[1]
# A case that takes longer hangs; the slowest healthy one takes four seconds.
HANGS_S = 150.0
# What a case may come to. The first two are as they should be.
RIGHT, REFUSED = "right", "refused"
FAULTS = ("crash", "hang", "traceback", "half file", "lost edit", "uncovered frame")


@dataclass
class Tally:
    """How the cases of one kind ended. told: the first faults of each kind, with their cases."""

    kind: str
    ended: Counter = field(default_factory=Counter)
    told: dict[str, list[str]] = field(default_factory=dict)

    def add(self, ending: str, case: str = "") -> None:
        self.ended[ending] += 1
        if ending not in (RIGHT, REFUSED):
            self.told.setdefault(ending, []).append(case)

    @property
    def tried(self) -> int:
        return sum(self.ended.values())

    @property
    def is_clean(self) -> bool:
        return not any(self.ended[fault] for fault in FAULTS)

    def row(self) -> str:
        return (
            f"| {self.kind} | {self.tried} | {self.ended[RIGHT]} | {self.ended[REFUSED]} | "
            + " | ".join(str(self.ended[f]) for f in FAULTS)
            + " |"
        )


HEADER = (
    "| faults | tried | right | refused in a sentence | " + " | ".join(FAULTS) + " |\n|" + "---|" * (4 + len(FAULTS))
)


def main() -> int:
    parser = argparse.ArgumentParser()
    for name, count in (
        ("media", 1000),
        ("projects", 1000),
        ("kills", 100),
        ("sources", 40),
        ("full", 12),
        ("seed", 1),
    ):
        parser.add_argument(f"--{name}", type=int, default=count)
    parser.add_argument("--worker", nargs=4, metavar=("KIND", "FOLDER", "FIRST", "LAST"), help=argparse.SUPPRESS)
    options = parser.parse_args()
    if options.worker:
        kind, folder, first, last = options.worker
        return work(kind, Path(folder), options.seed, int(first), int(last))
    tallies = tried(options.media, options.projects, options.kills, options.sources, options.full, options.seed)
    print(HEADER)
    for tally in tallies:
        print(tally.row(), flush=True)
    for tally in tallies:
        for ending, cases in tally.told.items():
            for case in cases[:4]:
                print(f"{tally.kind}, {ending}: {case}")
    return 0 if all(t.is_clean for t in tallies) else 1


def tried(media: int, projects: int, kills: int, sources: int, full: int, seed: int) -> list[Tally]:
    """All kinds of faults, so many of each."""
    with tempfile.TemporaryDirectory(prefix="faults-") as name:
        folder = Path(name)
        os.environ.update(XDG_CACHE_HOME=f"{name}/cache", XDG_STATE_HOME=f"{name}/state", XDG_DATA_HOME=f"{name}/data")
        make_world(folder)
        return [
            in_workers("media", "damaged films", folder, seed, media),
            in_workers("projects", "damaged projects", folder, seed, projects),
            killed(folder, seed, kills),
            sources_gone(folder, seed, sources),
            disks_filled(folder, seed, full),
        ]


# The healthy world


def make_world(folder: Path) -> None:
    """Small films of many kinds, and a project on each. 24 frames of 96 x 64, with sound where the kind has it."""
    from skiagraph.project import file
    from tests.support import head_path, make_clip, project_on

    films = {
        "h264.mp4": dict(encoder="libx264", sound=True, options={"g": 8, "bf": 2}),
        "hevc.mp4": dict(encoder="libx265", options={"x265-params": "log-level=none"}),
        "prores.mov": dict(encoder="prores_ks", pixel_format="yuv422p10le", sound=True),
        "ffv1.mkv": dict(encoder="ffv1", options={"level": 3, "slicecrc": 1}, sound=True),
        "mpeg2.ts": dict(encoder="mpeg2video", options={"g": 8}),
        "mjpeg.avi": dict(encoder="mjpeg", pixel_format="yuvj420p"),
        "vp9.webm": dict(encoder="libvpx-vp9", options={"deadline": "realtime", "cpu-used": 8}),
        "png.mov": dict(encoder="png", pixel_format="rgb24"),
        "gif.gif": dict(encoder="gif", pixel_format="rgb8"),
        "mpeg4.avi": dict(encoder="mpeg4", options={"g": 8}),
        "dv.mov": dict(encoder="mpeg2video", fields="top", options={"g": 4}),
    }
    (folder / "films").mkdir()
    for name, how in films.items():
        clip = make_clip(folder / "films" / name, 24, size=(96, 64), **how)
        project = project_on(
            clip,
            head_path(0, 24, cx=40, cy=30, width=20, height=26, step=(0.5, 0)),
            head_path(4, 12, cx=70, cy=34, width=16, height=20),
        )
        file.save(project, folder / "films" / (name + ".skiagraph"))


# Damaged films and projects, in workers


def in_workers(kind: str, name: str, folder: Path, seed: int, count: int, at_once: int = 40) -> Tally:
    """Cases 0 .. count - 1 of a kind. A worker that dies, or hangs, is charged with the case it was at."""
    tally, at = Tally(name), 0
    while at < count:
        last = min(count, at + at_once)
        worker = subprocess.Popen(
            [
                sys.executable,
                "-m",
                "benchmarks.faults",
                "--seed",
                str(seed),
                "--worker",
                kind,
                str(folder),
                str(at),
                str(last),
            ],
            cwd=ROOT,
            stdout=subprocess.PIPE,
            stderr=subprocess.DEVNULL,
            text=True,
        )
        killer = _Watch(worker)
        for line in worker.stdout:
            killer.fed()
            ending, case = json.loads(line)
            tally.add(ending, case)
            at += 1
        worker.wait()
        killer.stop()
        if worker.returncode or at < last:
            tally.add("hang" if killer.bit else "crash", f"{kind} case {at}, exit code {worker.returncode}")
            at += 1
    return tally


class _Watch:
    """Kills a worker that says nothing for too long."""

    def __init__(self, process: subprocess.Popen):
        import threading

        self._process, self._fed, self._over, self.bit = process, time.monotonic(), threading.Event(), False
        self._thread = threading.Thread(target=self._watch, daemon=True)
        self._thread.start()

    def fed(self) -> None:
        self._fed = time.monotonic()

    def stop(self) -> None:
        self._over.set()
        self._thread.join()

    def _watch(self) -> None:
        while not self._over.wait(0.5):
            if time.monotonic() - self._fed > HANGS_S:
                self.bit = True
                self._process.kill()
                return


def work(kind: str, folder: Path, seed: int, first: int, last: int) -> int:
    """What a worker does: a line of JSON for each case."""
    sys.path.insert(0, str(ROOT))
    case_of = {"media": damaged_film, "projects": damaged_project}[kind]
    for number in range(first, last):
        with tempfile.TemporaryDirectory(dir=folder) as own:
            print(
                json.dumps(case_of(folder / "films", Path(own), random.Random(f"{seed} {kind} {number}"))), flush=True
            )
    return 0


def damaged(data: bytes, rng: random.Random) -> bytes:
    """Bytes with one to three faults as disks, cables and attackers make them."""
    data = bytearray(data)
    for _ in range(rng.choice((1, 1, 2, 3))):
        at, length = rng.randrange(len(data)), rng.choice((1, 2, 4, 16, 64, 512))
        # Headers decide most, and lie at either end.
        at = rng.choice((at, at, min(at, rng.randrange(1, 600)), max(0, len(data) - rng.randrange(1, 600))))
        how = rng.randrange(7)
        if how == 0:
            del data[max(1, at) :]
        elif how == 1:
            data[at : at + length] = bytes(length)
        elif how == 2:
            data[at : at + length] = rng.randbytes(length)
        elif how == 3:
            data[at] ^= 1 << rng.randrange(8)
        elif how == 4:
            data[at:at] = data[max(0, at - length) : at]
        elif how == 5:
            del data[at : at + length]
        else:
            data[at : at + 4] = rng.choice(
                (b"\xff\xff\xff\xff", b"\x7f\xff\xff\xff", b"\x00\x00\x00\x00", b"\x80\x00\x00\x00")
            )
        if not data:
            data = bytearray(b"\0")
    return bytes(data)


def damaged_film(films: Path, own: Path, rng: random.Random) -> tuple[str, str]:
    """A damaged film is opened, covered and exported, or refused."""
    from skiagraph.errors import SkiagraphError
    from skiagraph.media.index import open_clip
    from tests.support import head_path, project_on

    source = rng.choice(sorted(p for p in films.iterdir() if p.suffix != ".skiagraph"))
    clip = own / source.name
    clip.write_bytes(damaged(source.read_bytes(), rng))
    case = f"{source.name} {rng.random()}"
    try:
        info, index = open_clip(clip)
        width, height = info.upright_size
        project = project_on(
            clip,
            head_path(0, len(index), cx=width / 2, cy=height / 2, width=max(4, width / 5), height=max(4, height / 4)),
        )
        return exported(project, own, case, rng)
    except SkiagraphError as error:
        return _refusal(error, own, case)
    except Exception as error:
        return "traceback", f"{case}: {type(error).__name__} {error}"


def damaged_project(films: Path, own: Path, rng: random.Random) -> tuple[str, str]:
    """A damaged project is opened, and its covers exported as it says, or refused."""
    from skiagraph.errors import SkiagraphError
    from skiagraph.project import file

    source = films / (rng.choice(("h264.mp4", "ffv1.mkv", "png.mov")) + ".skiagraph")
    data, case = source.read_bytes(), f"{source.name} {rng.random()}"
    place = films / f"tried-{os.getpid()}.skiagraph"
    place.write_bytes(damaged(data, rng) if rng.random() < 0.4 else json.dumps(_other(json.loads(data), rng)).encode())
    try:
        project = file.load(place)
        if not project.clips:
            return RIGHT, case
        return exported(project, own, case, rng)
    except SkiagraphError as error:
        return _refusal(error, own, case)
    except Exception as error:
        return "traceback", f"{case}: {type(error).__name__} {error}"
    finally:
        place.unlink(missing_ok=True)


_STRANGE = (
    0,
    -1,
    1,
    2**31,
    2**63,
    -(2**70),
    1e308,
    float("nan"),
    float("inf"),
    -0.0,
    1e-320,
    "",
    "x" * 5000,
    "\ud800",
    "../../etc/passwd",
    "\0",
    None,
    True,
    [],
    {},
    [[]],
    [0] * 1000,
)


def _other(document, rng: random.Random):
    """A document with one to three of its values replaced, left out, doubled or exchanged."""
    for _ in range(rng.choice((1, 1, 2, 3))):
        places = list(_places(document))
        if not places:
            return document
        holder, key = rng.choice(places)
        how = rng.randrange(8)
        if how == 0:
            holder[key] = rng.choice(_STRANGE)
        elif how in (1, 2) and isinstance(holder[key], (int, float)) and not isinstance(holder[key], bool):
            holder[key] = type(holder[key])(
                holder[key] * rng.choice((-1, 0.9, 1, 1.1, 2, 10, 1000, 0.001)) + rng.choice((0, 1, -1))
            )
        elif how == 3:
            del holder[key]
        elif how == 4 and isinstance(holder, list):
            holder.append(holder[key])
        elif how == 5:
            other, at = rng.choice(places)
            if not _holds(holder[key], other):
                other[at] = holder[key]
        else:
            # Only numbers, which is what most of a document is, a little off.
            holder, key = rng.choice(
                [(h, k) for h, k in places if isinstance(h[k], (int, float)) and not isinstance(h[k], bool)] or places
            )
            if isinstance(holder[key], (int, float)):
                holder[key] += rng.choice((-2, -1, 1, 2, 0.5))
    return document


def _holds(value, container) -> bool:
    return (
        value is container
        or isinstance(value, (dict, list))
        and any(_holds(v, container) for v in (value.values() if isinstance(value, dict) else value))
    )


def _places(value):
    """Every place in a document: (holder, key)."""
    for key, inner in value.items() if isinstance(value, dict) else enumerate(value):
        yield value, key
        if isinstance(inner, (dict, list)):
            yield from _places(inner)


def _refusal(error: Exception, own: Path, case: str) -> tuple[str, str]:
    text = str(error)
    if not text.rstrip().endswith((".", "?")) or "Traceback" in text or "omething unexpected" in text:
        return "traceback", f"{case}: {text}"
    left = [p.name for p in own.iterdir() if "out" in p.name]
    return ("half file", f"{case}: {left}") if left else (REFUSED, case)


def exported(project, own: Path, case: str, rng: random.Random) -> tuple[str, str]:
    """The first clip exported, and each frame looked at: where its matte is complete, nothing of the source is left."""
    from skiagraph.handover.export import write_clip
    from skiagraph.handover.writers.film import CoveredFilm
    from skiagraph.media.index import open_clip
    from skiagraph.media.reader import FrameReader
    from skiagraph.project import edits
    from skiagraph.project.layers import matte
    from skiagraph.project.model import Cover, Style

    clip = project.clips[0]
    solid = edits.set_style_for_all(
        edits.set_project_style(project, Style.of(Cover.kinds["solid"]((255, 0, 255)))),
        Style.of(Cover.kinds["solid"]((255, 0, 255))),
    )
    out = own / f"out.{rng.choice(('mkv', 'mp4'))}"
    write_clip(solid, clip.key, [(CoveredFilm("ffv1-mkv" if out.suffix == ".mkv" else "h264-mp4"), out)])
    info, index = open_clip(out)
    if len(index) != clip.frames:
        return "half file", f"{case}: {len(index)} of {clip.frames} frames"
    with FrameReader(info, index) as reader:
        for frame in reader.frames():
            whole = matte(solid, clip.key, frame.number) == 255
            inner = whole & _shrunk(whole)
            if inner.any():
                away = abs(frame.rgb().astype(int)[inner] - (255, 0, 255)).max()
                if away > (12 if out.suffix == ".mkv" else 70):
                    return "uncovered frame", f"{case}: frame {frame.number}, {away}"
    return RIGHT, case


def _shrunk(mask):
    """Without three px along its edge, where colours of neighbours mix."""
    import cv2
    import numpy as np

    return cv2.erode(mask.astype(np.uint8), np.ones((7, 7), np.uint8), borderValue=0) > 0


# Killed at random moments


def command(*arguments) -> list[str]:
    return [sys.executable, "-m", "skiagraph", *map(str, arguments)]


def run(arguments: list[str]) -> tuple[int, str]:
    done = subprocess.run(arguments, cwd=ROOT, capture_output=True, text=True, timeout=HANGS_S)
    return done.returncode, done.stderr


def killed(folder: Path, seed: int, count: int) -> Tally:
    """Scans, exports and savings, ended by SIGKILL, SIGTERM or SIGINT at a random moment of theirs, and begun again."""
    tally, rng = Tally("killed at a random moment"), random.Random(f"{seed} kills")
    film = folder / "scanned.mp4"
    lengths: dict[str, float] = {}
    if count:
        from skiagraph.demo.ship import shipped

        _beginning(shipped("voice.mp4"), film, 10)
    for n in range(count):
        kind = ("scan", "render", "save")[n % 3]
        with tempfile.TemporaryDirectory(dir=folder) as own:
            try:
                ending = {"scan": _killed_scan, "render": _killed_render, "save": _killed_save}[kind](
                    folder, Path(own), film, lengths, rng
                )
            except subprocess.TimeoutExpired as error:
                ending = "hang", f"{error.cmd}"
            tally.add(ending[0], f"{kind} {n}: {ending[1]}")
    return tally


def _beginning(source: Path, target: Path, frames: int) -> None:
    from skiagraph.media.index import open_clip
    from skiagraph.media.reader import FrameReader
    from skiagraph.media.writer import PictureWriter

    info, index = open_clip(source)
    with (
        FrameReader(info, index) as reader,
        PictureWriter(
            target, (640, 360), info.rate, encoder="libx264", pixel_format="rgb24", store="yuv420p", muxer="mp4"
        ) as writer,
    ):
        for frame in reader.frames(0, frames):
            writer.write(frame.rgb(640, 360))


def _kill_within(
    arguments: list[str], name: str, lengths: dict[str, float], rng: random.Random
) -> tuple[int, str, int]:
    """Start a command and end it at a random moment of what it took before.

    Its exit code, what it said, and the signal.
    """
    which = rng.choice((signal.SIGKILL, signal.SIGKILL, signal.SIGTERM, signal.SIGINT))
    began = time.monotonic()
    process = subprocess.Popen(
        arguments, cwd=ROOT, stdout=subprocess.DEVNULL, stderr=subprocess.PIPE, text=True, start_new_session=True
    )
    try:
        process.wait(rng.uniform(0.02, 1.0) * lengths.get(name, 3.0))
        lengths[name] = max(lengths.get(name, 0.0), time.monotonic() - began)
    except subprocess.TimeoutExpired:
        process.send_signal(which)
    said = process.communicate(timeout=HANGS_S)[1]
    return process.returncode, said, which


def _ended_well(code: int, said: str, which: int) -> str:
    """Empty where the end is one that was promised."""
    allowed = {0, 3, -which, {signal.SIGTERM: 143, signal.SIGINT: 130}.get(which, 0)}
    return (
        "" if code in allowed and "Traceback" not in said else f"exit code {code} after signal {which}: {said[-300:]}"
    )


def _left_over(own: Path, but: set[str]) -> list[str]:
    return sorted(
        p.name for p in own.iterdir() if p.name not in but and not p.name.endswith(".lock") and ".lock" not in p.name
    )


def _killed_render(folder: Path, own: Path, film: Path, lengths, rng) -> tuple[str, str]:
    project, out = folder / "films" / "h264.mp4.skiagraph", own / "out.mp4"
    arguments = command("render", project, "-o", out, "--matte", own / "matte.mkv", "--force")
    bad = _ended_well(*_kill_within(arguments, "render", lengths, rng))
    if bad:
        return "traceback", bad
    for made in (out, own / "matte.mkv"):
        if made.exists() and _frames(made) != 24:
            return "half file", made.name
    code, said = run(arguments)
    if code or _frames(out) != 24:
        return "traceback", f"again: {code} {said[-300:]}"
    left = _left_over(own, {"out.mp4", "matte.mkv"})
    return ("half file", f"left: {left}") if left else (RIGHT, "")


def _frames(path: Path) -> int:
    from skiagraph.errors import SkiagraphError
    from skiagraph.media.index import open_clip, verify

    try:
        info, index = open_clip(path)
        return len(verify(info, index))
    except SkiagraphError:
        return -1


def _killed_scan(folder: Path, own: Path, film: Path, lengths, rng) -> tuple[str, str]:
    from skiagraph.errors import SkiagraphError
    from skiagraph.project import file

    place = own / "p.skiagraph"
    arguments = command("scan", film, "-o", place, "--every", "2")
    bad = _ended_well(*_kill_within(arguments, "scan", lengths, rng))
    if bad:
        return "traceback", bad
    try:
        if place.exists():
            file.load(place)
    except SkiagraphError as error:
        return "half file", str(error)
    code, said = run(arguments)
    if code or not file.load(place).subjects:
        return "traceback", f"again: {code} {said[-300:]}"
    left = _left_over(own, {"p.skiagraph"})
    return ("half file", f"left: {left}") if left else (RIGHT, "")


# An editor who renames somebody many times a second, and says when each edit was made.
_EDITOR = """
import sys, time
from pathlib import Path
from skiagraph.project import edits, file
from skiagraph.project.store import ProjectStore
place = Path(sys.argv[1])
project, digest = file.load_with_digest(place)
store = ProjectStore(place, lambda result: None, digest)
for n in range(100000):
    project = edits.rename(project, "s1", f"Person {n + 100}")
    store.put(project)
    print(n + 100, time.time(), flush=True)
    time.sleep(0.01)
"""


def _killed_save(folder: Path, own: Path, film: Path, lengths, rng) -> tuple[str, str]:
    from skiagraph.errors import SkiagraphError
    from skiagraph.project import file

    place = own / "p.skiagraph"
    project = file.load(folder / "films" / "ffv1.mkv.skiagraph")
    file.save(project, place)
    editor = subprocess.Popen(
        [sys.executable, "-c", _EDITOR, str(place)],
        cwd=ROOT,
        stdout=subprocess.PIPE,
        stderr=subprocess.DEVNULL,
        text=True,
    )
    first = editor.stdout.readline()
    try:
        editor.wait(rng.uniform(0.0, 2.5))
    except subprocess.TimeoutExpired:
        pass
    ended = time.time()
    editor.kill()
    edits_made = [
        (int(n), float(t))
        for n, t in (line.split() for line in (first + editor.stdout.read()).splitlines() if len(line.split()) == 2)
    ]
    editor.wait()
    try:
        name = file.load(place).subject("s1").name
    except SkiagraphError as error:
        return "half file", str(error)
    kept = int(name.split()[1])
    old = [n for n, t in edits_made if t < ended - 1.0]
    if old and kept < max(old):
        return "lost edit", f"{max(old) - kept} edits older than a second"
    file.save(project, place)
    left = _left_over(own, {"p.skiagraph"})
    return ("half file", f"left: {left}") if left else (RIGHT, "")


# Sources that go, and disks that are full


def sources_gone(folder: Path, seed: int, count: int) -> Tally:
    """The source is removed, replaced, cut short or overwritten while it is scanned or exported."""
    from skiagraph.project import file
    from tests.support import make_clip

    tally, rng = Tally("source removed or replaced meanwhile"), random.Random(f"{seed} sources")
    kept = {p.name: p.read_bytes() for p in (folder / "films").iterdir()}
    other = make_clip(folder / "another.mp4", 24, size=(96, 64)) if count else None
    for n in range(count):
        with tempfile.TemporaryDirectory(dir=folder) as own:
            clip, place, out = Path(own) / "h264.mp4", Path(own) / "h264.mp4.skiagraph", Path(own) / "out.mp4"
            clip.write_bytes(kept["h264.mp4"])
            place.write_bytes(kept["h264.mp4.skiagraph"])
            scanning = n % 4 == 0
            arguments = (
                command("scan", clip, "-o", Path(own) / "new.skiagraph")
                if scanning
                else command("render", place, "-o", out)
            )
            process = subprocess.Popen(
                arguments, cwd=ROOT, stdout=subprocess.DEVNULL, stderr=subprocess.PIPE, text=True
            )
            try:
                process.wait(rng.uniform(0.0, 2.5 if scanning else 1.5))
            except subprocess.TimeoutExpired:
                pass
            how = rng.randrange(4)
            if how == 0:
                clip.unlink()
            elif how == 1:
                shutil.copy(other, own + "/moved")
                os.replace(own + "/moved", clip)
            elif how == 2:
                os.truncate(clip, rng.randrange(clip.stat().st_size))
            else:
                with clip.open("r+b") as opened:
                    opened.write(rng.randbytes(clip.stat().st_size // 2))
            try:
                said = process.communicate(timeout=HANGS_S)[1]
            except subprocess.TimeoutExpired:
                process.kill()
                tally.add("hang", f"{n}")
                continue
            case = f"{n}, way {how}: {process.returncode} {said[-300:]}"
            if process.returncode not in (0, 2) or "Traceback" in said or "omething unexpected" in said:
                tally.add("traceback", case)
            elif out.exists() and _frames(out) != file.load(place).clips[0].frames:
                tally.add("half file", case)
            else:
                tally.add(REFUSED if process.returncode else RIGHT)
    return tally


def disks_filled(folder: Path, seed: int, count: int) -> Tally:
    """Exports and savings onto a disk with too little room: a file system of its own, for which this must be root."""
    tally, rng = Tally("disk full"), random.Random(f"{seed} disks")
    for n in range(count):
        with tempfile.TemporaryDirectory(dir=folder) as own:
            size = rng.choice((4, 8, 12, 16)) * 1024
            inner = (
                f"mount -t tmpfs -o size={size} none {own}; cd {ROOT}; {sys.executable} -m skiagraph render"
                f" {folder}/films/ffv1.mkv.skiagraph -o {own}/out.mkv --matte {own}/matte.mkv; code=$?; echo LISTED"
                f" >&2; ls -A {own} >&2; exit $code"
            )
            done = subprocess.run(["unshare", "-m", "sh", "-c", inner], capture_output=True, text=True, timeout=HANGS_S)
            said = done.stderr
            if "unshare" in said or "mount:" in said:
                break
            listed = said.partition("LISTED")[2].split() if done.returncode else []
            if done.returncode not in (0, 2) or "Traceback" in said or "omething unexpected" in said:
                tally.add("traceback", f"{n}: {done.returncode} {said[-300:]}")
            elif listed:
                tally.add("half file", f"{n}: {listed}")
            else:
                tally.add(REFUSED if done.returncode else RIGHT)
    return tally


if __name__ == "__main__":
    sys.exit(main())
