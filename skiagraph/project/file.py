"""The project file: one JSON document, strict at this edge. Described in docs/project-format.md.

The document is the model itself. A file of an older version is upgraded step by step when it is read; one of a newer
version is refused.
"""

from __future__ import annotations

import contextlib
import fcntl
import hashlib
import os
import re
import stat
import tempfile
from pathlib import Path as FilePath
from typing import Literal

import msgspec

from skiagraph import __version__
from skiagraph.errors import CannotOpenProject, CannotSaveProject
from skiagraph.project import columns  # noqa: F401  how tables are read and written
from skiagraph.project.evidence import Cut
from skiagraph.project.looked import looked_at
from skiagraph.project.model import Clip, Decisions, Evidence, Issued, Listening, Project, Scan, Sweep, Track, replace
from skiagraph.project.upgrades import UPGRADES
from skiagraph.remembering import Remembered
from skiagraph.values import Value, decoder, read, schema_of, written

FORMAT, VERSION, SUFFIX = "skiagraph-project", 9, ".skiagraph"
# A project of hours with hundreds of people is some ten megabytes; what is larger than this is none.
MOST_BYTES = 1 << 30
# Evidence does not change, so what it looks like in the file is kept.
_WRITTEN = Remembered(256 << 20, size=len)


class Document(Value, frozen=True):
    """What the file holds: a project, and what it is."""

    format: Literal["skiagraph-project"]
    version: Literal[9]
    files: tuple[Clip, ...]
    evidence: Evidence
    decisions: Decisions
    issued: Issued
    written_by: str = ""


def schema() -> dict:
    """The JSON Schema of the document, as docs/project-format.schema.json holds it."""
    return schema_of(Document)


def load(path: FilePath | str) -> Project:
    """Read and check a project file. Raises CannotOpenProject with what is wrong and where."""
    return load_with_digest(path)[0]


def load_with_digest(path: FilePath | str) -> tuple[Project, str]:
    """A project file, and the digest of the bytes that were read. Raises CannotOpenProject."""
    path = FilePath(path).absolute()
    raw = _bytes(path)
    try:
        document = _document(raw, path)
        return _checked(document, path.parent), digest_of(raw)
    except (
        msgspec.ValidationError,
        msgspec.DecodeError,
        KeyError,
        TypeError,
        ValueError,
        AttributeError,
        IndexError,
    ) as error:
        raise CannotOpenProject(f"{path.name} is damaged ({error}); open a copy of it.", path=path) from error


def _bytes(path: FilePath) -> bytes:
    try:
        found = path.stat()
        if stat.S_ISREG(found.st_mode) and found.st_size <= MOST_BYTES:
            return path.read_bytes()
    except FileNotFoundError as error:
        raise CannotOpenProject(f"There is no project {path}; check the name.", path=path) from error
    except OSError as error:
        raise CannotOpenProject(
            f"{path.name} cannot be read ({error.strerror}); check that you may read it.", path=path
        ) from error
    raise CannotOpenProject(f"{path.name} is not a Skiagraph project; choose a file that ends in {SUFFIX}.", path=path)


class _RawEvidence(Value, frozen=True):
    scans: tuple[msgspec.Raw, ...] = ()
    tracks: tuple[msgspec.Raw, ...] = ()
    sweeps: tuple[msgspec.Raw, ...] = ()
    listenings: tuple[msgspec.Raw, ...] = ()


class _Parts(Value, frozen=True):
    """The document with what may be large left as it was written."""

    format: str
    version: int
    files: msgspec.Raw
    evidence: _RawEvidence
    decisions: msgspec.Raw
    issued: msgspec.Raw
    written_by: str = ""


def _with_written(parts: _Parts) -> Document:
    """The document; how its evidence was written is kept, so that saving writes it again without making it anew."""
    rest = {"files": tuple[Clip, ...], "decisions": Decisions, "issued": Issued}
    evidence = Evidence(
        **{
            name: tuple(_remembered(decoder(kind), part) for part in getattr(parts.evidence, name))
            for name, kind in (("scans", Scan), ("tracks", Track), ("sweeps", Sweep), ("listenings", Listening))
        }
    )
    return Document(
        FORMAT,
        VERSION,
        evidence=evidence,
        written_by=parts.written_by,
        **{name: decoder(kind).decode(getattr(parts, name)) for name, kind in rest.items()},
    )


def _remembered(reader: msgspec.json.Decoder, part: msgspec.Raw):
    value, text = reader.decode(part), bytes(part)
    _WRITTEN.get((value,), "json", lambda: text)
    return value


class _Head(msgspec.Struct):
    format: str = ""
    version: int = 0


def _document(raw: bytes, path: FilePath) -> Document:
    """The document, upgraded where it is older."""
    try:
        head = msgspec.json.decode(raw, type=_Head)
    except msgspec.DecodeError as error:
        if raw.lstrip()[:1] == b"{" and not isinstance(error, msgspec.ValidationError):
            raise CannotOpenProject(
                f"{path.name} is not a Skiagraph project, or it is damaged ({error}); open a copy of it.", path=path
            ) from error
        head = _Head()
    if head.format != FORMAT:
        raise CannotOpenProject(
            f"{path.name} is not a Skiagraph project; choose a file that ends in {SUFFIX}.", path=path
        )
    if head.version > VERSION:
        raise CannotOpenProject(
            f"{path.name} was written by a newer Skiagraph (format {head.version}, this one knows {VERSION}); update"
            " Skiagraph.",
            path=path,
        )
    if head.version == VERSION:
        return _with_written(msgspec.json.decode(raw, type=_Parts))
    plain = msgspec.json.decode(raw)
    while plain["version"] < VERSION:
        plain = UPGRADES[plain["version"]](plain)
    return read(plain, Document)


def _checked(document: Document, folder: FilePath) -> Project:
    """The project of a document whose parts fit each other. Raises ValueError with what does not."""
    files = tuple(replace(clip, path=FilePath(os.path.normpath(folder / clip.path))) for clip in document.files)
    evidence, decisions = document.evidence, document.decisions
    clips, tracks = {clip.key: clip for clip in files}, evidence.by_key()
    subjects = {s.key: s for s in decisions.subjects}
    for what, known, given in (
        ("clips", clips, files),
        ("subjects", subjects, decisions.subjects),
        ("tracks", tracks, evidence.tracks),
        ("clips in order", set(decisions.clips), decisions.clips),
        ("scans of one clip", {s.clip for s in evidence.scans}, evidence.scans),
        ("strict searches of one clip", {s.clip for s in evidence.sweeps}, evidence.sweeps),
        ("listenings to one clip", {s.clip for s in evidence.listenings}, evidence.listenings),
        ("ranges of sound", {v.key for v in decisions.voices}, decisions.voices),
    ):
        if len(known) != len(given):
            raise ValueError(f"two {what} have the same key")
    for key in (
        *decisions.clips,
        *(t.clip for t in evidence.tracks),
        *(s.clip for s in evidence.scans),
        *(s.clip for s in evidence.sweeps),
        *(s.clip for s in evidence.listenings),
        *(v.clip for v in decisions.voices),
    ):
        if key not in clips:
            raise ValueError(f"clip {key} is spoken of, which is not in the project")
    for track in evidence.tracks:
        if track.path.last >= clips[track.clip].length:
            raise ValueError(
                f"track {track.key} in clip {track.clip} ends at {track.path.last}, outside its"
                f" {clips[track.clip].length} frames"
            )
    for scan in evidence.scans:
        for key in (k for person in scan.people for k in person.tracks):
            if key not in tracks:
                raise ValueError(f"scan {scan.key} speaks of track {key}, which is not in the project")
        if any(
            not join.first <= join.last < clips[scan.clip].length for person in scan.people for join in person.joins
        ):
            raise ValueError(f"scan {scan.key} speaks of frames that clip {scan.clip} does not have")
    if decisions.versions and decisions.version not in {v.name for v in decisions.versions}:
        raise ValueError(f"it says that version “{decisions.version}” is worked on, which it does not have")
    for rest in decisions.rests:
        if rest.clip not in clips:
            raise ValueError(f"it covers the rest of clip {rest.clip}, which is not in the project")
    for voice in decisions.voices:
        if not voice.begins_s < voice.ends_s:
            raise ValueError(f"range {voice.key} of the sound of clip {voice.clip} ends before it begins")
    for subject in decisions.subjects:
        for sighting in subject.sightings:
            _check_sighting(sighting, clips, tracks)
    project = Project(files, evidence, decisions, document.issued.with_all_of(_seen_ids(files, evidence, decisions)))
    likenesses = tuple(n for n in decisions.likenesses if {n.one, n.other} <= set(subjects) and n.one != n.other)
    accepted = tuple(
        (
            a
            if a.looked or a.clip not in decisions.clips
            else replace(
                a, looked=looked_at(project, a.clip, a.subject, a.first, min(a.last, clips[a.clip].length - 1))
            )
        )
        for a in decisions.accepted
    )
    if accepted != decisions.accepted or likenesses != decisions.likenesses:
        project = project.deciding(accepted=accepted, likenesses=likenesses)
    return project


def _check_sighting(sighting, clips, tracks) -> None:
    if sighting.clip not in clips:
        raise ValueError(f"a sighting refers to clip {sighting.clip}, which is not in the project")
    length = clips[sighting.clip].length
    if not sighting.first <= sighting.last < length:
        raise ValueError(
            f"a sighting in clip {sighting.clip} runs from {sighting.first} to {sighting.last}, outside its {length}"
            " frames"
        )
    if not sighting.tracks and sighting.base is None:
        raise ValueError(f"sighting {sighting.key} rests on no track and was not placed either")
    for key in (*sighting.tracks, *((sighting.cut,) if sighting.cut else ())):
        if key not in tracks or tracks[key].clip != sighting.clip:
            raise ValueError(f"sighting {sighting.key} rests on track {key}, which is not in its clip")
    if sighting.cut:
        edge = tracks[sighting.cut]
        if not isinstance(edge.of, Cut) or (edge.of.masks.first, len(edge.of.masks)) != (
            edge.path.first,
            len(edge.path),
        ):
            raise ValueError(
                f"sighting {sighting.key} takes its edge from track {sighting.cut}, which has no mask for each of its"
                " frames"
            )
    for name, entries in (
        ("keyframes", sighting.keyframes),
        ("repairs", sighting.repairs),
        ("forms", sighting.forms),
        ("levels", sighting.levels),
    ):
        frames = [entry.frame for entry in entries]
        if frames != sorted(set(frames)):
            raise ValueError(f"the {name} of sighting {sighting.key} are not in rising order")


def _seen_ids(files, evidence, decisions) -> Issued:
    """The highest id of each kind that a document speaks of, so that none is ever given out again."""

    def highest(keys):
        return max((int(m[0]) for key in keys if (m := re.search(r"\d+$", key)) and len(m[0]) < 10), default=0)

    spoken_of = [
        *(s.key for s in decisions.subjects),
        *(a.subject for a in decisions.accepted),
        *(g.subject for g in decisions.glances),
        *(k for n in decisions.likenesses for k in (n.one, n.other)),
    ]
    return Issued(
        highest(c.key for c in files),
        highest(s.key for s in evidence.scans),
        highest(t.key for t in evidence.tracks),
        highest(spoken_of),
        highest(g.key for s in decisions.subjects for g in s.sightings),
        highest((*(v.key for one in evidence.listenings for v in one.voices), *(s.voice for s in decisions.speakers))),
        highest(v.key for v in decisions.voices),
    )


def dump(project: Project, folder: FilePath) -> bytes:
    """The document as UTF-8 JSON, with clips referred to relative to folder where that is possible."""
    project = project.without_leftovers()
    files = [replace(clip, path=FilePath(_relative(clip.path, folder))) for clip in project.files]
    evidence = {name: [_raw(part) for part in getattr(project.evidence, name)] for name in Evidence.__struct_fields__}
    return (
        written(
            {
                "format": FORMAT,
                "version": VERSION,
                "written_by": f"Skiagraph {__version__}",
                "files": files,
                "evidence": evidence,
                "decisions": project.decisions,
                "issued": project.issued,
            }
        )
        + b"\n"
    )


def _raw(part: Scan | Track | Sweep | Listening) -> msgspec.Raw:
    return msgspec.Raw(_WRITTEN.get((part,), "json", lambda: written(part)))


def _relative(path: FilePath, folder: FilePath) -> str:
    try:
        return FilePath(os.path.relpath(path, folder)).as_posix()
    except ValueError:
        return path.as_posix()


def digest_of(raw: bytes) -> str:
    return hashlib.sha256(raw).hexdigest()


def save(project: Project, path: FilePath | str) -> str:
    """Write the project atomically: to a temporary name beside it, flushed, renamed; returns the digest of what was
    written. A link is written through, and an existing file keeps its mode. Raises CannotSaveProject."""
    path = FilePath(path).absolute()
    target, name = FilePath(os.path.realpath(path)), None
    try:
        raw = dump(project, path.parent)
        _remove_leftovers(target.parent, path.stem[:100])
        handle, name = tempfile.mkstemp(dir=target.parent, prefix=f".{path.stem[:100]}.", suffix=".part")
        with os.fdopen(handle, "wb") as file:
            with contextlib.suppress(OSError):  # a disk that knows no locks
                fcntl.flock(file, fcntl.LOCK_EX | fcntl.LOCK_NB)
            file.write(raw)
            file.flush()
            os.fsync(file.fileno())
        os.chmod(name, _mode_for(target))
        os.replace(name, target)
        return digest_of(raw)
    except OSError as error:
        raise CannotSaveProject(
            f"{path.name} cannot be saved in {path.parent} ({error.strerror}); free some space or choose another"
            " place.",
            path=path,
        ) from error
    finally:
        if name:
            with contextlib.suppress(OSError):
                FilePath(name).unlink(missing_ok=True)


def _remove_leftovers(folder: FilePath, stem: str) -> None:
    """Take away what a process that died while it saved this project has left: what is being written is locked."""
    unfinished = re.compile(rf"\.{re.escape(stem)}\.[a-z0-9_]{{8}}\.part")
    with contextlib.suppress(OSError):
        for path in folder.iterdir():
            if not unfinished.fullmatch(path.name) or path.is_symlink() or not path.is_file():
                continue
            with contextlib.suppress(OSError), open(path, "rb") as file:
                fcntl.flock(file, fcntl.LOCK_EX | fcntl.LOCK_NB)
                path.unlink(missing_ok=True)


def _mode_for(target: FilePath) -> int:
    try:
        return stat.S_IMODE(target.stat().st_mode)
    except OSError:
        mask = os.umask(0)
        os.umask(mask)
        return 0o666 & ~mask
