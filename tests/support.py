"""Clips made in the test, small, mostly lossless, so that every pixel is known; and projects on them."""

from __future__ import annotations

import tempfile
import unittest
import unittest.mock
from fractions import Fraction
from pathlib import Path

import av
import numpy as np

from skiagraph.cover.composite import with_layers
from skiagraph.footage.adding import add_clip
from skiagraph.media.clip import ClipInfo
from skiagraph.media.fitting import Filters
from skiagraph.media.formats import FORMATS
from skiagraph.media.frame import Frame, FrameFacts, plane_layout
from skiagraph.media.index import open_clip
from skiagraph.project.layers import layers
from skiagraph.project.model import FromScan, Issued, Person, Project, Scan, Sighting, Subject, Track, replace
from skiagraph.track.path import Path as HeadPath

# A format of each codec, in the first of its containers.
ONE_OF_EACH = tuple({export.codec.key: key for key, export in reversed(FORMATS.items())}.values())


class TemporaryFolder(unittest.TestCase):
    """A test with a folder of its own, removed afterwards; the index cache goes there too."""

    def setUp(self):
        held = tempfile.TemporaryDirectory()
        self.addCleanup(held.cleanup)
        self.folder = Path(held.name)
        for place in ("cache", "config", "state", "data"):
            patcher = unittest.mock.patch(
                f"platformdirs.user_{place}_dir", lambda *a, place=place, **k: str(self.folder / place)
            )
            patcher.start()
            self.addCleanup(patcher.stop)

    def assertSentence(self, text: str, *words: str):
        """One sentence or two for a person: no traceback, ends with a full stop, names what it is about."""
        self.assertNotIn("Traceback", text)
        self.assertRegex(text.strip(), r"\.$")
        for word in words:
            self.assertIn(word, text)


def numbered_frame(n: int, width: int, height: int) -> np.ndarray:
    """RGB picture of frame n: its number as eight bits in blocks along the top, over a moving ramp."""
    ramp = (np.arange(width)[None, :] * 2 + np.arange(height)[:, None] + n * 3) % 200 + 20
    picture = np.repeat(ramp[..., None], 3, axis=2).astype(np.uint8)
    for bit in range(8):
        picture[:16, bit * 16 : bit * 16 + 16] = 235 if n >> bit & 1 else 20
    return picture


def read_number(grey: np.ndarray) -> int:
    """The number that numbered_frame wrote, from a grey upright picture."""
    return sum(1 << bit for bit in range(8) if grey[4:12, bit * 16 + 4 : bit * 16 + 12].mean() > 128)


def make_clip(
    path: Path,
    frames: int = 40,
    *,
    size=(160, 96),
    rate=Fraction(25),
    encoder="libx264",
    pixel_format="yuv420p",
    options=None,
    pts=None,
    time_base=None,
    draw=numbered_frame,
    sound=False,
    rotation=0,
    metadata=None,
    tags=None,
    timecode=None,
    aspect=None,
    fields="",
) -> Path:
    """Write a clip. pts: function from frame to time stamp in time_base; draw: function (n, width, height) → RGB.
    fields: top or bottom, the first of each interlaced picture."""
    time_base = time_base or 1 / Fraction(rate)
    with av.open(str(path), "w") as out:
        stream = out.add_stream(encoder, rate=rate, options={str(k): str(v) for k, v in (options or {}).items()})
        context = stream.codec_context
        context.width, context.height, context.pix_fmt = *size, pixel_format
        context.time_base = stream.time_base = time_base
        tagged = None
        if fields:
            context.field_order = {"top": 2, "bottom": 3}[fields]
            tagged = Filters([("setfield", {"top": "tff", "bottom": "bff"}[fields])])
        if aspect:
            context.sample_aspect_ratio = aspect
        for name, value in (tags or {}).items():
            setattr(context, name, value)
        if rotation:
            stream.set_display_rotation(-rotation)
        if timecode:
            stream.metadata["timecode"] = timecode
        out.metadata.update(metadata or {})
        speaker = out.add_stream("aac", rate=48000, layout="stereo") if sound else None
        for n in range(frames):
            picture = av.VideoFrame.from_ndarray(draw(n, *size), format="rgb24").reformat(format=pixel_format)
            picture.pts, picture.time_base = (pts(n) if pts else n), time_base
            for packet in stream.encode(tagged.passed(picture) if tagged else picture):
                out.mux(packet)
        for packet in stream.encode(None):
            out.mux(packet)
        if speaker is not None:
            total = int(frames / rate * 48000)
            wave = (np.sin(np.arange(total) * 0.05) * 0.3).astype(np.float32)
            for begin in range(0, total, 1024):
                part = np.stack([wave[begin : begin + 1024]] * 2)
                block = av.AudioFrame.from_ndarray(np.ascontiguousarray(part), format="fltp", layout="stereo")
                block.sample_rate, block.pts, block.time_base = 48000, begin, Fraction(1, 48000)
                out.mux(speaker.encode(block))
            out.mux(speaker.encode(None))
    return path


def frame_of(
    pixel_format: str,
    width: int,
    height: int,
    planes: list[np.ndarray] | None = None,
    *,
    rotation: int = 0,
    number: int = 0,
) -> Frame:
    """A frame of no clip, of these samples; of none, each by lot."""
    layout = plane_layout(pixel_format)
    info = ClipInfo(
        Path(),
        "",
        "",
        width,
        height,
        rotation,
        pixel_format,
        layout.depth,
        Fraction(1),
        Fraction(25),
        Fraction(1, 25),
        0,
        0.0,
        1,
        2,
        2,
        2,
        2,
        "",
        (),
        0,
    )
    frame = Frame.of(FrameFacts(number, pixel_format, width, height, 0, Fraction(1, 25), (2, 2, 2, 2), False), info)
    rng = np.random.default_rng(1)
    for n, plane in enumerate(frame.planes()):
        plane[:] = rng.integers(0, 1 << layout.depth, plane.shape) if planes is None else planes[n]
    return frame


def frame_of_rgb(rgb: np.ndarray, number: int = 0) -> Frame:
    """A frame of no clip, of these colours, uint8 (rows, columns, 3)."""
    return frame_of("gbrp", rgb.shape[1], rgb.shape[0], [rgb[..., 1], rgb[..., 2], rgb[..., 0]], number=number)


def damage_frame(path: Path, number: int) -> None:
    """Change bytes in the middle of the packet of a frame."""
    with av.open(str(path)) as container:
        packet = [p for p in container.demux(video=0) if p.size][number]
        place = packet.pos + packet.size // 2
    data = bytearray(path.read_bytes())
    data[place : place + 8] = bytes(b ^ 0x55 for b in data[place : place + 8])
    path.write_bytes(data)


def head_path(
    first: int,
    count: int,
    cx=80.0,
    cy=48.0,
    width=30.0,
    height=40.0,
    *,
    step=(0.0, 0.0),
    confidence=0.9,
    angle=0.0,
    origin=0,
) -> HeadPath:
    """A head moving evenly."""
    n = np.arange(count)
    full = np.ones(count)
    return HeadPath(
        first,
        cx + n * step[0],
        cy + n * step[1],
        width * full,
        height * full,
        angle * full,
        confidence * full,
        np.full(count, origin),
    )


def project_on(clip: Path, *paths: HeadPath, scanned=True) -> Project:
    """A project with one clip and a subject for each path, each on a track of a scan; not scanned: the tracks are there
    without it."""
    return with_people(add_clip(Project(), *open_clip(clip)), *paths, scanned=scanned)


def with_people(project: Project, *paths: HeadPath, scanned=True) -> Project:
    """A subject for each path in the first clip."""
    tracks = tuple(Track(f"t{n}", "c1", p, FromScan("n1")) for n, p in enumerate(paths, 1))
    people = tuple(Person(n, (f"t{n}",), p.first, (0.0, 0.0, 1.0, 1.0)) for n, p in enumerate(paths, 1))
    subjects = tuple(
        Subject(f"s{n}", f"Person {n}", sightings=(Sighting(f"g{n}", "c1", p.first, p.last, (f"t{n}",)),))
        for n, p in enumerate(paths, 1)
    )
    scan = Scan("n1", "c1", 1, project.clip("c1").frames, people)
    evidence = project.evidence.with_scan(scan, tracks) if scanned else project.evidence.with_tracks(tracks)
    n = len(paths)
    return replace(project, evidence=evidence, issued=Issued(1, 1, n, n, n)).deciding(subjects=subjects)


def seen(project: Project, **changes) -> Project:
    """The project with what its scan of the first clip saw changed: faces, cuts, people, reached."""
    scan = replace(project.scan_of("c1"), **changes)
    return replace(project, evidence=project.evidence.with_scan(scan, ()))


def changed_subject(project: Project, key: str, **changes) -> Project:
    return project.with_subject(replace(project.subject(key), **changes))


def changed_sighting(project: Project, key: str, **changes) -> Project:
    """The project with the first sighting of a subject changed."""
    subject = project.subject(key)
    return changed_subject(project, key, sightings=(replace(subject.sightings[0], **changes), *subject.sightings[1:]))


def covered(project: Project, clip: str, frame):
    """A frame with its covers."""
    return with_layers(frame, layers(project, clip, frame.number))


def opened(path: Path):
    """What add_clip wants of a file."""
    return open_clip(path)
