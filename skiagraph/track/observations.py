"""What a scan has seen so far, frame by frame, and its checkpoint on disk, so that a scan that was cancelled or died
goes on where it was.

The checkpoint holds boxes, the five points of each face by which its head is reckoned, and colours; no descriptors. It
is thrown away when the scan is whole, or after a week.
"""

from __future__ import annotations

import contextlib
import fcntl
import hashlib
import os
import shutil
import tempfile
import time
import zipfile
from array import array
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from pathlib import Path

import numpy as np
import platformdirs

from skiagraph.detect.detections import Detections
from skiagraph.media.clip import fingerprint, readable
from skiagraph.track.appearance import packed, unpacked
from skiagraph.track.camera import Views
from skiagraph.track.dissolves import Dissolve
from skiagraph.track.linking import Seen

# Raised when what is written, or how faces are found, changes; older checkpoints are then left alone.
VERSION = 11
# Frames between two writings.
CHUNK = 125
# A checkpoint that nothing was added to for so long is thrown away by the next scan: nobody goes on with it.
KEPT_S = 7 * 24 * 3600
# Ending of the file beside a checkpoint that is locked while somebody scans.
LOCK = ".lock"


@dataclass(frozen=True, slots=True)
class SeenHeads:
    """Heads that bodies give away (track.unfaced), (n, 4) cx, cy, width, height, px of the clip, how each and its
    shoulders look (track.appearance), None where that is not known, and which are surely somebody's, bool (n,)."""

    heads: np.ndarray
    colours: tuple[np.ndarray | None, ...]
    sure: np.ndarray


@dataclass(frozen=True, slots=True)
class Observation:
    """One frame that was looked at. view: what the camera did since its shot began, (2, 3) (Picture.view); cut: it
    begins a shot; whole: everybody known was looked for, not only some; coloured: its light was (track.light); bodies:
    None where nobody looked for them."""

    frame: int
    seen: Seen
    view: np.ndarray
    cut: bool
    whole: bool
    coloured: bool
    bodies: SeenHeads | None = None


def compact(seen: Seen) -> Seen:
    """The same with colours in a quarter of the memory, for keeping a whole clip's; `restored` brings them back."""
    return Seen(seen.found, tuple(map(packed, seen.colours)))


def restored(seen: Seen) -> Seen:
    return Seen(seen.found, tuple(map(unpacked, seen.colours)))


class Checkpoint:
    """Observations of one clip under one set of settings, kept in chunks on disk, so that memory does not grow with the
    clip.

    Chunks that cannot be written stay in memory.
    """

    def __init__(self, clip: Path, settings: str, folder: Path | None = None):
        self._folder = _place_of(clip, settings, folder)
        _forget_old(self._folder.parent)
        self._chunks: list[Path | list[Observation]] = []
        self._waiting: list[Observation] = []
        self._start_over()
        # Of those read and those found since; which of them are not written yet is told by how many are.
        self.dissolves: list[Dissolve] = []
        self._dissolves_written = 0

    def read(self) -> Iterator[Observation]:
        """Everything kept from an earlier run, in order of frames; a damaged chunk ends it.

        What follows on it is forgotten.
        """
        self._chunks, self._waiting, self.dissolves = [], [], []
        self._start_over()
        paths = sorted(self._folder.glob("*.npz"))
        for n, path in enumerate(paths):
            try:
                chunk, dissolves = _loaded(path)
            except (OSError, ValueError, KeyError, EOFError, zipfile.BadZipFile):
                for useless in paths[n:]:
                    useless.unlink(missing_ok=True)
                return
            self._chunks.append(path)
            for observation in chunk:
                self._remember(observation)
            self.dissolves += dissolves
            self._dissolves_written = len(self.dissolves)
            yield from chunk

    def every(self) -> Iterator[Observation]:
        """All observations in order of frames: those read and those added."""
        for chunk in self._chunks:
            yield from _loaded(chunk)[0] if isinstance(chunk, Path) else chunk
        yield from self._waiting

    def add(self, observation: Observation) -> None:
        self._waiting.append(replace(observation, seen=compact(observation.seen)))
        self._remember(observation)
        if observation.frame - self._waiting[0].frame >= CHUNK:
            self.flush()

    def _start_over(self) -> None:
        # Of each frame of those read and those added, in order: its number, whether its light was coloured, and what
        # the camera had done. Numbers alone: they stay in memory.
        self._frames, self._lights, self._views = array("q"), array("b"), array("d")

    def _remember(self, observation: Observation) -> None:
        self._frames.append(observation.frame)
        self._lights.append(observation.coloured)
        self._views.extend(np.ravel(observation.view))

    @property
    def views(self) -> Views:
        """What the camera did in the frames of those read and those added."""
        return Views(np.array(self._frames), np.array(self._views).reshape(-1, 2, 3)) if self._frames else Views.still()

    @property
    def coloured(self) -> set[int]:
        """Frames whose light was coloured, of those read and those added, and frames between two such ones that nobody
        looked at."""
        coloured = {frame for frame, light in zip(self._frames, self._lights) if light}
        return coloured.union(
            *(range(a, b) for a, b in zip(self._frames, self._frames[1:]) if a in coloured and b in coloured)
        )

    def note(self, dissolve: Dissolve) -> None:
        """A dissolve; one that is known already is not another."""
        if not any(known.first < dissolve.last and dissolve.first < known.last for known in self.dissolves):
            self.dissolves.append(dissolve)

    def flush(self) -> None:
        """Write what waits; a checkpoint that cannot be written is not an error."""
        if not self._waiting:
            return
        try:
            self._folder.mkdir(parents=True, exist_ok=True)
            handle, name = tempfile.mkstemp(dir=self._folder, suffix=".part")
            with os.fdopen(handle, "wb") as file:
                np.savez_compressed(
                    file,
                    **_packed(self._waiting),
                    dissolves=np.array(
                        [(d.first, d.middle, d.last) for d in self.dissolves[self._dissolves_written :]], np.int64
                    ).reshape(-1, 3),
                )
            target = self._folder / f"{self._waiting[0].frame:09d}.npz"
            os.replace(name, target)
            self._chunks.append(target)
            self._dissolves_written = len(self.dissolves)
        except OSError:
            self._chunks.append(self._waiting)
        self._waiting = []

    def discard(self) -> None:
        """The scan is whole."""
        self._chunks, self._waiting, self.dissolves = [], [], []
        shutil.rmtree(self._folder, ignore_errors=True)


@contextlib.contextmanager
def claimed(clip: Path, settings: str, folder: Path | None = None) -> Iterator[bool]:
    """Whether the checkpoint of a clip with these settings is nobody else's, neither of another process nor of another
    scan in this one; held as long as the context."""
    place = _place_of(clip, settings, folder).with_suffix(LOCK)
    try:
        place.parent.mkdir(parents=True, exist_ok=True)
        handle = os.open(place, os.O_RDWR | os.O_CREAT | os.O_CLOEXEC, 0o600)
    except OSError:
        # Where nothing can be written there is nothing to share.
        yield True
        return
    try:
        fcntl.flock(handle, fcntl.LOCK_EX | fcntl.LOCK_NB)
        mine = True
    except OSError:
        mine = False
    try:
        yield mine
    finally:
        os.close(handle)


def _place_of(clip: Path, settings: str, folder: Path | None) -> Path:
    base = folder or Path(platformdirs.user_cache_dir("skiagraph")) / "scans"
    with readable(clip):
        contents = fingerprint(clip)
    return base / hashlib.sha256(f"{VERSION}|{contents}|{settings}".encode()).hexdigest()[:32]


def _forget_old(base: Path) -> None:
    with contextlib.suppress(OSError):
        for folder in base.iterdir():
            if time.time() - folder.stat().st_mtime > KEPT_S:
                if folder.is_dir():
                    shutil.rmtree(folder, ignore_errors=True)
                elif folder.suffix == LOCK:
                    folder.unlink(missing_ok=True)


def _loaded(path: Path) -> tuple[list[Observation], list[Dissolve]]:
    with np.load(path) as chunk:
        # Each access reads the file.
        arrays = {name: chunk[name] for name in chunk.files}
    return _unpacked(arrays), [Dissolve(*(int(frame) for frame in row)) for row in arrays["dissolves"]]


def _packed(observations: list[Observation]) -> dict:
    found = Detections.joined([o.seen.found for o in observations])
    looked = [o.bodies for o in observations if o.bodies is not None]
    table, known = _table([c for o in observations for c in o.seen.colours])
    body_table, body_known = _table([c for bodies in looked for c in bodies.colours])
    return {
        "frames": np.array([o.frame for o in observations], np.int64),
        "counts": np.array([len(o.seen) for o in observations], np.int32),
        "cut": np.array([o.cut for o in observations]),
        "whole": np.array([o.whole for o in observations]),
        "coloured": np.array([o.coloured for o in observations]),
        "views": np.array([o.view for o in observations]),
        "boxes": found.boxes,
        "scores": found.scores,
        "landmarks": found.landmarks,
        "rolls": found.rolls,
        "colours": table,
        "known": known,
        "bodies_looked": np.array([o.bodies is not None for o in observations], bool),
        "bodies_counts": np.array([len(bodies.heads) for bodies in looked], np.int32),
        "bodies": np.concatenate([np.zeros((0, 4)), *(bodies.heads for bodies in looked)]),
        "bodies_sure": np.concatenate([np.zeros(0, bool), *(bodies.sure for bodies in looked)]),
        "bodies_colours": body_table,
        "bodies_known": body_known,
    }


def _table(colours: Sequence[np.ndarray | None]) -> tuple[np.ndarray, np.ndarray]:
    """Colours as rows, uint8, and which of them are known."""
    made = [packed(c) for c in colours]
    table = np.zeros((len(made), next((len(c) for c in made if c is not None), 0)), np.uint8)
    for row, colour in enumerate(made):
        if colour is not None:
            table[row] = colour
    return table, np.array([c is not None for c in made], bool)


def _unpacked(chunk: dict[str, np.ndarray]) -> list[Observation]:
    found = Detections(chunk["boxes"], chunk["scores"], chunk["landmarks"], chunk["rolls"])
    bodies = (
        SeenHeads(chunk["bodies"][rows], _colours_of(chunk, "bodies_", rows), chunk["bodies_sure"][rows])
        for rows in _rows(chunk["bodies_counts"])
    )
    return [
        Observation(
            int(frame),
            Seen(found.take(rows), _colours_of(chunk, "", rows)),
            view,
            bool(cut),
            bool(whole),
            bool(coloured),
            next(bodies) if looked else None,
        )
        for rows, frame, view, cut, whole, coloured, looked in zip(
            _rows(chunk["counts"]),
            *(chunk[name] for name in ("frames", "views", "cut", "whole", "coloured", "bodies_looked")),
        )
    ]


def _rows(counts: np.ndarray) -> Iterator[np.ndarray]:
    for end, count in zip(np.cumsum(counts), counts):
        yield np.arange(end - count, end)


def _colours_of(chunk: dict[str, np.ndarray], whose: str, rows: np.ndarray) -> tuple[np.ndarray | None, ...]:
    table, known = chunk[f"{whose}colours"], chunk[f"{whose}known"]
    return tuple(unpacked(table[row]) if known[row] else None for row in rows)
