"""The project file: one JSON document, strict at this edge. Described in docs/project-format.md.

A file of an older version is upgraded step by step when it is read; one of a newer version is refused.
"""

from __future__ import annotations

import json
import os
import tempfile
from collections.abc import Callable
from fractions import Fraction
from pathlib import Path as FilePath
from typing import Annotated, Literal

import msgspec
import numpy as np

from skiagraph import __version__
from skiagraph.errors import CannotOpenProject, CannotSaveProject
from skiagraph.project.model import (Acceptance, Answer, Clip, Correction, CoverKind, CoverStyle, Decision, Likeness, Offset, Portrait, Project,
                                     Sighting, Subject)
from skiagraph.track.path import ORIGIN_NAMES, Path
from skiagraph.track.results import FaceTable

FORMAT, VERSION, SUFFIX = "skiagraph-project", 1, ".skiagraph"

# Upgrades from a version to the next, applied in order to the parsed document. None yet: this is the first version.
UPGRADES: dict[int, Callable[[dict], dict]] = {}

Positive = Annotated[int, msgspec.Meta(gt=0)]
Count = Annotated[int, msgspec.Meta(ge=0)]
Share = Annotated[float, msgspec.Meta(ge=0, le=1)]
Size = Annotated[float, msgspec.Meta(gt=0)]


class _Strict(msgspec.Struct, forbid_unknown_fields=True):
    pass


class StyleDoc(_Strict):
    kind: Literal["blur", "mosaic", "solid"]
    blocks: Annotated[int, msgspec.Meta(ge=1, le=64)]
    blur: Annotated[float, msgspec.Meta(gt=0, le=2)]
    colour: tuple[Annotated[int, msgspec.Meta(ge=0, le=255)], Annotated[int, msgspec.Meta(ge=0, le=255)], Annotated[int, msgspec.Meta(ge=0, le=255)]]
    margin: Annotated[float, msgspec.Meta(ge=0, le=3)]
    feather: Annotated[float, msgspec.Meta(ge=0, le=3)]


class FacesDoc(_Strict):
    frame: list[Count]
    x0: list[int]
    y0: list[int]
    x1: list[int]
    y1: list[int]
    score: list[Annotated[int, msgspec.Meta(ge=0, le=100)]]


class ClipDoc(_Strict):
    key: str
    path: str
    size: Count
    sha256: str
    width: Positive
    height: Positive
    rate: tuple[Positive, Positive]
    frames: Positive
    scanned_every: Count = 0
    cuts: list[Count] = []
    faces: FacesDoc | None = None
    damage: str = ""


class PathDoc(_Strict):
    first: Count
    cx: list[float]
    cy: list[float]
    width: list[Size]
    height: list[Size]
    angle: list[float]
    confidence: list[Share]
    origin: list[Literal["found", "followed", "bridged", "placed"]]


class OffsetDoc(_Strict):
    dx: float = 0.0
    dy: float = 0.0
    width: Size = 1.0
    height: Size = 1.0
    turn: float = 0.0


class CorrectionDoc(_Strict):
    frame: Count
    offset: OffsetDoc
    holds: bool = False


class SightingDoc(_Strict):
    clip: str
    first: Count
    last: Count
    path: PathDoc
    offset: OffsetDoc = msgspec.field(default_factory=OffsetDoc)
    corrections: list[CorrectionDoc] = []
    placed: bool = False
    trimmed: bool = False


class PortraitDoc(_Strict):
    clip: str
    frame: Count
    box: tuple[float, float, float, float]


class SubjectDoc(_Strict):
    key: str
    name: str
    decision: Literal["cover", "show", "undecided"]
    sightings: list[SightingDoc]
    style: StyleDoc | None = None
    portrait: PortraitDoc | None = None
    portrait_chosen: bool = False
    doubtful: bool = False
    dismissed: bool = False
    sure: Share = 1.0


class LikenessDoc(_Strict):
    one: str
    other: str
    probability: Share
    answer: Literal["open", "later", "no"]


class AcceptanceDoc(_Strict):
    clip: str
    subject: str
    reason: str
    first: Count
    last: Count
    by: str
    note: str


class ProjectDoc(_Strict):
    format: Literal["skiagraph-project"]
    version: int
    style: StyleDoc
    clips: list[ClipDoc]
    subjects: list[SubjectDoc]
    written_by: str = ""
    accepted: list[AcceptanceDoc] = []
    likenesses: list[LikenessDoc] = []


def schema() -> dict:
    """The JSON Schema of the document, as docs/project-format.schema.json holds it."""
    return msgspec.json.schema(ProjectDoc)


def load(path: FilePath | str) -> Project:
    """Read and check a project file. Raises CannotOpenProject with what is wrong and where."""
    path = FilePath(path).absolute()
    try:
        raw = path.read_bytes()
    except FileNotFoundError as error:
        raise CannotOpenProject(f"There is no project {path}; check the name.", path=path) from error
    except OSError as error:
        raise CannotOpenProject(f"{path.name} cannot be read ({error.strerror}); check that you may read it.", path=path) from error
    try:
        document = json.loads(raw)
    except ValueError as error:
        raise CannotOpenProject(f"{path.name} is not a Skiagraph project, or it is damaged ({error}); open a copy of it.", path=path) from error
    if not isinstance(document, dict) or document.get("format") != FORMAT:
        raise CannotOpenProject(f"{path.name} is not a Skiagraph project; choose a file that ends in {SUFFIX}.", path=path)
    version = document.get("version")
    if isinstance(version, int) and version > VERSION:
        raise CannotOpenProject(f"{path.name} was written by a newer Skiagraph (format {version}, this one knows {VERSION}); update Skiagraph.", path=path)
    try:
        while document["version"] < VERSION:
            document = UPGRADES[document["version"]](document)
        return _to_project(msgspec.convert(document, ProjectDoc), path.parent)
    except (msgspec.ValidationError, KeyError, TypeError, ValueError) as error:
        raise CannotOpenProject(f"{path.name} is damaged ({error}); open a copy of it.", path=path) from error


def dump(project: Project, folder: FilePath) -> bytes:
    """The document as UTF-8 JSON, with clips referred to relative to folder where that is possible."""
    return msgspec.json.encode(_to_document(project, folder)) + b"\n"


def save(project: Project, path: FilePath | str) -> None:
    """Write the project atomically: to a temporary name beside it, flushed, renamed. Raises CannotSaveProject."""
    path = FilePath(path).absolute()
    name = None
    try:
        handle, name = tempfile.mkstemp(dir=path.parent, prefix=f".{path.stem}.", suffix=".part")
        with os.fdopen(handle, "wb") as file:
            file.write(dump(project, path.parent))
            file.flush()
            os.fsync(file.fileno())
        os.chmod(name, 0o644)
        os.replace(name, path)
    except OSError as error:
        if name:
            FilePath(name).unlink(missing_ok=True)
        raise CannotSaveProject(f"{path.name} cannot be saved in {path.parent} ({error.strerror}); free some space or choose another place.",
                                path=path) from error


def _relative(path: FilePath, folder: FilePath) -> str:
    try:
        return FilePath(os.path.relpath(path, folder)).as_posix()
    except ValueError:
        return path.as_posix()


def _rounded(array, digits) -> list[float]:
    return np.round(np.asarray(array, float), digits).tolist()


def _to_document(project: Project, folder: FilePath) -> ProjectDoc:
    return ProjectDoc(format=FORMAT, version=VERSION, written_by=f"Skiagraph {__version__}", style=_style_doc(project.style),
                      clips=[_clip_doc(c, folder) for c in project.clips], subjects=[_subject_doc(s) for s in project.subjects],
                      accepted=[AcceptanceDoc(**{n: getattr(a, n) for n in a.__slots__}) for a in project.accepted],
                      likenesses=[LikenessDoc(n.one, n.other, round(n.probability, 3), n.answer.value) for n in project.likenesses])


def _style_doc(style: CoverStyle) -> StyleDoc:
    return StyleDoc(kind=style.kind.value, blocks=style.blocks, blur=style.blur, colour=style.colour, margin=style.margin, feather=style.feather)


def _clip_doc(clip: Clip, folder: FilePath) -> ClipDoc:
    faces = None
    if len(clip.faces):
        columns = clip.faces.boxes.T.tolist()
        faces = FacesDoc(frame=clip.faces.frames.tolist(), x0=columns[0], y0=columns[1], x1=columns[2], y1=columns[3], score=clip.faces.scores.tolist())
    return ClipDoc(key=clip.key, path=_relative(clip.path, folder), size=clip.size, sha256=clip.fingerprint, width=clip.width, height=clip.height,
                   rate=(clip.rate.numerator, clip.rate.denominator), frames=clip.frames, scanned_every=clip.every, cuts=list(clip.cuts),
                   faces=faces, damage=clip.damage)


def _subject_doc(subject: Subject) -> SubjectDoc:
    portrait = subject.portrait
    return SubjectDoc(key=subject.key, name=subject.name, decision=subject.decision.value, portrait_chosen=subject.portrait_chosen,
                      doubtful=subject.doubtful, dismissed=subject.dismissed, sure=round(subject.sure, 3),
                      style=_style_doc(subject.style) if subject.style else None,
                      portrait=PortraitDoc(clip=portrait.clip, frame=portrait.frame, box=tuple(round(v, 1) for v in portrait.box)) if portrait else None,
                      sightings=[_sighting_doc(s) for s in subject.sightings])


def _sighting_doc(sighting: Sighting) -> SightingDoc:
    path = sighting.path
    return SightingDoc(
        clip=sighting.clip, first=sighting.first, last=sighting.last, placed=sighting.placed, trimmed=sighting.trimmed,
        offset=_offset_doc(sighting.offset),
        corrections=[CorrectionDoc(frame=c.frame, offset=_offset_doc(c.offset), holds=c.holds) for c in sighting.corrections],
        path=PathDoc(first=path.first, cx=_rounded(path.cx, 2), cy=_rounded(path.cy, 2), width=_rounded(path.width, 2), height=_rounded(path.height, 2),
                     angle=_rounded(path.angle, 1), confidence=_rounded(np.clip(path.confidence, 0, 1), 3), origin=[ORIGIN_NAMES[o] for o in path.origin]))


def _offset_doc(offset: Offset) -> OffsetDoc:
    return OffsetDoc(**{name: getattr(offset, name) for name in Offset.__slots__})


def _to_project(document: ProjectDoc, folder: FilePath) -> Project:
    clips = tuple(_clip(c, folder) for c in document.clips)
    keys = {c.key: c for c in clips}
    if len(keys) != len(clips) or len({s.key for s in document.subjects}) != len(document.subjects):
        raise ValueError("two clips or two subjects have the same key")
    subjects = tuple(_subject(s, keys) for s in document.subjects)
    there = {s.key for s in subjects}
    likenesses = tuple(Likeness(n.one, n.other, n.probability, Answer(n.answer)) for n in document.likenesses if {n.one, n.other} <= there and n.one != n.other)
    return Project(clips, subjects, _style(document.style), tuple(Acceptance(**msgspec.structs.asdict(a)) for a in document.accepted), likenesses)


def _style(doc: StyleDoc) -> CoverStyle:
    return CoverStyle(CoverKind(doc.kind), doc.blocks, doc.blur, tuple(doc.colour), doc.margin, doc.feather)


def _clip(doc: ClipDoc, folder: FilePath) -> Clip:
    faces = FaceTable.none()
    if doc.faces:
        columns = (doc.faces.x0, doc.faces.y0, doc.faces.x1, doc.faces.y1)
        if len({len(c) for c in (*columns, doc.faces.frame, doc.faces.score)}) != 1:
            raise ValueError(f"the faces of clip {doc.key} have columns of different length")
        faces = FaceTable(np.array(doc.faces.frame, np.int32), np.array(columns, np.int16).T.copy(), np.array(doc.faces.score, np.uint8))
    path = FilePath(os.path.normpath(folder / doc.path))
    return Clip(doc.key, path, doc.size, doc.sha256, doc.width, doc.height, Fraction(*doc.rate), doc.frames, doc.scanned_every, faces,
                tuple(doc.cuts), doc.damage)


def _subject(doc: SubjectDoc, clips: dict[str, Clip]) -> Subject:
    portrait = Portrait(doc.portrait.clip, doc.portrait.frame, tuple(doc.portrait.box)) if doc.portrait else None
    return Subject(doc.key, doc.name, Decision(doc.decision), tuple(_sighting(s, clips) for s in doc.sightings),
                   _style(doc.style) if doc.style else None, portrait, doc.portrait_chosen, doc.doubtful, doc.dismissed, doc.sure)


def _sighting(doc: SightingDoc, clips: dict[str, Clip]) -> Sighting:
    if doc.clip not in clips:
        raise ValueError(f"a sighting refers to clip {doc.clip}, which is not in the project")
    if not doc.first <= doc.last < clips[doc.clip].frames:
        raise ValueError(f"a sighting in clip {doc.clip} runs from {doc.first} to {doc.last}, outside its {clips[doc.clip].frames} frames")
    p = doc.path
    path = Path(p.first, p.cx, p.cy, p.width, p.height, p.angle, p.confidence, np.array([ORIGIN_NAMES.index(o) for o in p.origin], np.uint8))
    corrections = tuple(Correction(c.frame, _offset(c.offset), c.holds) for c in sorted(doc.corrections, key=lambda c: c.frame))
    return Sighting(doc.clip, path, doc.first, doc.last, _offset(doc.offset), corrections, doc.placed, doc.trimmed)


def _offset(doc: OffsetDoc) -> Offset:
    return Offset(**msgspec.structs.asdict(doc))
