"""Tables of the project file, compact: each column as whole numbers, as differences from row to row, deflated, in
base64.

A path of an hour is some hundred kilobytes so, and is read at once. Described in docs/project-format.md.
"""

from __future__ import annotations

import base64
import zlib
from typing import Any

import numpy as np

from skiagraph.shape.place import MOST_TILT
from skiagraph.track.masks import SIDE, Masks
from skiagraph.track.path import CONFIDENCE_STEPS, DEGREE_STEPS, PX_STEPS, TILT_STEPS, Path
from skiagraph.track.results import FaceTable
from skiagraph.values import reads

# More rows than any clip has frames, or faces, are refused.
MOST_ROWS = 50_000_000
_PATH_COLUMNS = {"similarity": 7, "perspective": 10}
_STEPS = np.array([PX_STEPS] * 4 + [DEGREE_STEPS, CONFIDENCE_STEPS], np.float64)


def packed(columns: list[np.ndarray]) -> str:
    """Columns of whole numbers as text: int32 differences, one column after the other, deflated."""
    return base64.b64encode(
        zlib.compress(
            b"".join(np.diff(c.astype(np.int32), prepend=np.int32(0)).astype("<i4").tobytes() for c in columns), 1
        )
    ).decode()


def unpacked(text: Any, rows: int, columns: int) -> list[np.ndarray]:
    """The columns again, int64 (rows,). Raises ValueError when it is not such a text."""
    if not isinstance(text, str):
        raise ValueError("the data of a table is not a text")
    wanted = 4 * rows * columns
    try:
        inflater = zlib.decompressobj()
        data = inflater.decompress(base64.b64decode(text, validate=True), wanted + 1)
    except (ValueError, zlib.error) as error:
        raise ValueError(f"the data of a table cannot be read ({error})") from error
    if len(data) != wanted:
        raise ValueError(f"a table of {rows} rows holds {len(data)} bytes, expected {wanted}")
    return list(np.cumsum(np.frombuffer(data, "<i4").reshape(columns, rows), axis=1, dtype=np.int64))


def _whole(plain: dict, name: str, most: int, least: int = 0) -> int:
    value = plain.get(name)
    if type(value) is not int or not least <= value <= most:
        raise ValueError(f"{name} of a table is {value!r}, expected a whole number from {least} to {most}")
    return value


def _only(plain: Any, names: set[str]) -> None:
    if not isinstance(plain, dict) or set(plain) != names:
        raise ValueError(f"a table has the fields {', '.join(sorted(names))}")


def _path_out(path: Path) -> dict:
    columns = np.round(path.rows().astype(np.float64) * _STEPS).astype(np.int64)
    lean = [] if path.lean is None else list(np.round(path.lean.astype(np.float64) * TILT_STEPS).astype(np.int64).T)
    return {
        "kind": "perspective" if lean else "similarity",
        "first": path.first,
        "rows": len(path),
        "data": packed([*columns.T, path.origin, *lean]),
    }


def _path_in(plain: Any) -> Path:
    _only(plain, {"kind", "first", "rows", "data"})
    if plain["kind"] not in _PATH_COLUMNS:
        raise ValueError(f"{plain['kind']!r} is no kind of path that is known here")
    rows = _whole(plain, "rows", MOST_ROWS, 1)
    columns = unpacked(plain["data"], rows, _PATH_COLUMNS[plain["kind"]])
    table = np.stack(columns[:6], axis=1) / _STEPS
    if (
        np.abs(table[:, :5]).max() > 1e6
        or table[:, 2:4].min() <= 0
        or table[:, 5].min() < 0
        or table[:, 5].max() > 1
        or columns[6].min() < 0
        or columns[6].max() > 3
    ):
        raise ValueError("a path has a row that lies outside of what can be")
    lean = np.stack(columns[7:], axis=1) / TILT_STEPS if len(columns) > 7 else None
    if lean is not None and (
        np.abs(lean[:, 0]).max() > 20 or np.abs(lean[:, 1:]).sum(axis=1).max() > MOST_TILT + 2 / TILT_STEPS
    ):
        raise ValueError("a path has a row that leans more than a plane can")
    return Path.from_rows(_whole(plain, "first", 10_000_000), table, columns[6], lean)


def _masks_out(masks: Masks) -> dict:
    # Most of a mask is as in the frame before.
    changed = masks.bits.copy()
    changed[1:] ^= masks.bits[:-1]
    return {
        "first": masks.first,
        "rows": len(masks),
        "data": base64.b64encode(zlib.compress(changed.tobytes(), 6)).decode(),
    }


def _masks_in(plain: Any) -> Masks:
    _only(plain, {"first", "rows", "data"})
    rows, wide = _whole(plain, "rows", MOST_ROWS, 1), SIDE * SIDE // 8
    if not isinstance(plain["data"], str):
        raise ValueError("the data of masks is not a text")
    try:
        data = zlib.decompressobj().decompress(base64.b64decode(plain["data"], validate=True), rows * wide + 1)
    except (ValueError, zlib.error) as error:
        raise ValueError(f"the data of masks cannot be read ({error})") from error
    if len(data) != rows * wide:
        raise ValueError(f"masks of {rows} frames hold {len(data)} bytes, expected {rows * wide}")
    return Masks(
        _whole(plain, "first", 10_000_000),
        np.bitwise_xor.accumulate(np.frombuffer(data, np.uint8).reshape(rows, wide), axis=0),
    )


def _faces_out(faces: FaceTable) -> dict:
    return {"rows": len(faces), "data": packed([faces.frames, *faces.boxes.T, faces.scores])}


def _faces_in(plain: Any) -> FaceTable:
    _only(plain, {"rows", "data"})
    columns = unpacked(plain["data"], _whole(plain, "rows", MOST_ROWS), 6)
    frames, boxes, scores = columns[0], np.stack(columns[1:5], axis=1), columns[5]
    if len(frames) and (
        (np.diff(frames) < 0).any()
        or frames[0] < 0
        or frames[-1] > 10_000_000
        or np.abs(boxes).max() > 32767
        or scores.min() < 0
        or scores.max() > 100
    ):
        raise ValueError("the faces of a scan are not in order, or lie outside of what can be")
    return FaceTable(frames.astype(np.int32), boxes.astype(np.int16), scores.astype(np.uint8))


_TABLE = {"rows": {"type": "integer", "minimum": 0}, "data": {"type": "string", "contentEncoding": "base64"}}
reads(
    Path,
    _path_in,
    _path_out,
    {
        "type": "object",
        "additionalProperties": False,
        "required": ["kind", "first", "rows", "data"],
        "properties": {
            "kind": {"enum": ["similarity", "perspective"]},
            "first": {"type": "integer", "minimum": 0},
            **_TABLE,
        },
    },
)
reads(
    Masks,
    _masks_in,
    _masks_out,
    {
        "type": "object",
        "additionalProperties": False,
        "required": ["first", "rows", "data"],
        "properties": {"first": {"type": "integer", "minimum": 0}, **_TABLE},
    },
)
reads(
    FaceTable,
    _faces_in,
    _faces_out,
    {"type": "object", "additionalProperties": False, "required": ["rows", "data"], "properties": _TABLE},
)
