"""Bringing the document of an older format up to the next version: plain values in, plain values out, and the same
covers."""

from __future__ import annotations

import re
from collections.abc import Callable
from typing import Any

import numpy as np

from skiagraph.project.columns import _faces_out, _path_out
from skiagraph.shape.change import NEUTRAL
from skiagraph.track.path import ORIGIN_NAMES, PLACED, Path
from skiagraph.track.results import FaceTable

# In version 1 a correction that did not hold faded over so many frames on each side, in straight lines.
FADE = 8
# Version 1 made no axis smaller than this share of what it was.
LEAST = 0.05


def from_1(old: dict[str, Any]) -> dict[str, Any]:
    """Version 2: evidence apart from decisions. Corrections become repairs, or keyframes where one of them held."""
    return _FromOne(old).document()


def from_2(old: dict[str, Any]) -> dict[str, Any]:
    """Version 3 knows more: planes in perspective, curves, keyed points, what is in front, markers.

    What version 2 says means the same in it.
    """
    return {**old, "version": 3}


def from_3(old: dict[str, Any]) -> dict[str, Any]:
    """Version 4 knows more covers, house styles, versions, the reverse and labels; and covers that say nothing of their
    strength are stronger in it, so that it is said."""
    decisions = old["decisions"]
    subjects = [{**s, "style": _said(s["style"])} if s.get("style") else s for s in decisions.get("subjects", ())]
    return {
        **old,
        "version": 4,
        "decisions": {
            **decisions,
            "subjects": subjects,
            "style": _said(decisions.get("style", {"covers": [{"kind": "blur", "size": 0.24}]})),
        },
    }


# What covers were by themselves up to version 3.
_BEFORE_4 = {"blur": {"size": 0.16, "even": 0.0}, "mosaic": {"blocks": 7, "even": 0.0}}


def _said(style: dict[str, Any]) -> dict[str, Any]:
    covers = [{**_BEFORE_4.get(c.get("kind"), {}), **c} for c in style["covers"]]
    return {**style, "covers": covers}


def from_4(old: dict[str, Any]) -> dict[str, Any]:
    """Version 5 keeps where a scan asked whether somebody is the same person on both sides; earlier scans did not
    ask."""
    return {**old, "version": 5}


def from_5(old: dict[str, Any]) -> dict[str, Any]:
    """Version 6 knows what was looked at, who decided, and strict searches.

    What version 5 says means the same in it.
    """
    return {**old, "version": 6}


def from_6(old: dict[str, Any]) -> dict[str, Any]:
    """Version 7 knows the programme that clips are for, and scans of several parts.

    What version 6 says means the same in it.
    """
    return {**old, "version": 7}


def from_7(old: dict[str, Any]) -> dict[str, Any]:
    """Version 8 knows voices. What version 7 says means the same in it."""
    return {**old, "version": 8}


def from_8(old: dict[str, Any]) -> dict[str, Any]:
    """Version 9 knows which face was accepted, where several belong to nobody in the same frames.

    What was accepted before says nothing of any one face, so that such findings are open again.
    """
    return {**old, "version": 9}


UPGRADES: dict[int, Callable[[dict[str, Any]], dict[str, Any]]] = {
    1: from_1,
    2: from_2,
    3: from_3,
    4: from_4,
    5: from_5,
    6: from_6,
    7: from_7,
    8: from_8,
}


class _FromOne:
    def __init__(self, old: dict[str, Any]):
        self.old = old
        self.tracks: list[dict] = []
        self.sightings = 0
        self.people: dict[str, list[dict]] = {}

    def document(self) -> dict[str, Any]:
        old = self.old
        subjects = [self._subject(s, n) for n, s in enumerate(old["subjects"])]
        there = {s["key"] for s in subjects}
        clips = [c["key"] for c in old["clips"]]
        accepted = [
            {**a, "looked": ""}
            for a in old.get("accepted", ())
            if a["clip"] in clips and (not a["subject"] or a["subject"] in there)
        ]
        likenesses = [
            n for n in old.get("likenesses", ()) if {n["one"], n["other"]} <= there and n["one"] != n["other"]
        ]
        spoken_of = [
            *there,
            *(a["subject"] for a in old.get("accepted", ())),
            *(n[k] for n in old.get("likenesses", ()) for k in ("one", "other")),
        ]
        scans = [self._scan(c) for c in old["clips"] if c.get("scanned_every", 0) > 0]
        issued = {
            "clips": _highest(clips),
            "scans": len(clips),
            "tracks": len(self.tracks),
            "subjects": _highest(spoken_of),
            "sightings": self.sightings,
        }
        return {
            "format": old["format"],
            "version": 2,
            "written_by": old.get("written_by", ""),
            "files": [self._clip(c) for c in old["clips"]],
            "evidence": {"scans": scans, "tracks": self.tracks},
            "decisions": {
                "clips": clips,
                "subjects": subjects,
                "style": _style(old["style"]),
                "accepted": accepted,
                "likenesses": likenesses,
            },
            "issued": issued,
        }

    def _clip(self, clip: dict) -> dict:
        ends = [g["last"] + 1 for s in self.old["subjects"] for g in s["sightings"] if g["clip"] == clip["key"]]
        return {
            "key": clip["key"],
            "path": clip["path"],
            "size": clip["size"],
            "fingerprint": "ends:" + clip["sha256"],
            "width": clip["width"],
            "height": clip["height"],
            "rate": clip["rate"],
            "frames": clip["frames"],
            "length": max([clip["frames"], *ends]),
            "damage": clip.get("damage", ""),
        }

    def _scan_key(self, clip: str) -> str:
        return f"n{[c['key'] for c in self.old['clips']].index(clip) + 1}"

    def _scan(self, clip: dict) -> dict:
        faces = clip.get("faces")
        table = FaceTable.none()
        if faces:
            columns = [np.array(faces[name], np.int64) for name in ("frame", "x0", "y0", "x1", "y1", "score")]
            if len({len(c) for c in columns}) != 1:
                raise ValueError(f"the faces of clip {clip['key']} have columns of different length")
            table = FaceTable(
                columns[0].astype(np.int32),
                np.stack(columns[1:5], axis=1).astype(np.int16),
                columns[5].astype(np.uint8),
            )
        return {
            "key": self._scan_key(clip["key"]),
            "clip": clip["key"],
            "every": clip["scanned_every"],
            "reached": clip["frames"],
            "people": self.people.get(clip["key"], []),
            "faces": _faces_out(table),
            "cuts": clip.get("cuts", []),
        }

    def _every(self, clip: str) -> int:
        return max(1, next(c.get("scanned_every", 1) for c in self.old["clips"] if c["key"] == clip))

    def _subject(self, subject: dict, number: int) -> dict:
        sightings = [self._sighting(g) for g in subject["sightings"]]
        portrait = subject.get("portrait")
        for clip in dict.fromkeys(g["clip"] for g in sightings):
            tracks = [key for g in sightings if g["clip"] == clip for key in g["tracks"]]
            if tracks:
                here = (
                    portrait
                    if portrait and portrait["clip"] == clip
                    else {
                        "frame": next(g["first"] for g in sightings if g["clip"] == clip),
                        "box": [0.0, 0.0, 1.0, 1.0],
                    }
                )
                self.people.setdefault(clip, []).append(
                    {
                        "key": number,
                        "tracks": tracks,
                        "best_frame": here["frame"],
                        "best_box": here["box"],
                        "doubtful": subject.get("doubtful", False),
                        "sure": subject.get("sure", 1.0),
                    }
                )
        kept = {
            name: subject[name]
            for name in ("key", "decision", "portrait_chosen", "doubtful", "dismissed", "sure")
            if name in subject
        }
        return {
            **kept,
            "name": subject["name"] or "Person",
            "named": subject["name"].split(" ")[0] not in ("Person", "Doubtful"),
            "sightings": sightings,
            "style": _style(subject["style"]) if subject.get("style") else None,
            "portrait": portrait,
        }

    def _sighting(self, sighting: dict) -> dict:
        self.sightings += 1
        p = sighting["path"]
        rows = np.stack(
            [np.array(p[name], float) for name in ("cx", "cy", "width", "height", "angle", "confidence")], axis=1
        )
        path = Path.from_rows(p["first"], rows, np.array([ORIGIN_NAMES.index(o) for o in p["origin"]], np.uint8))
        trimmed = sighting.get("trimmed", False)
        made: dict[str, Any] = {
            "key": f"g{self.sightings}",
            "clip": sighting["clip"],
            "first": sighting["first"],
            "last": sighting["last"],
            "tracks": [],
            "whole": _change(_offset({"offset": sighting.get("offset", {})})),
            "begin_set": trimmed,
            "end_set": trimmed,
            **_corrections(sighting.get("corrections", [])),
        }
        if sighting.get("placed") and len(path) == 1 and path.origin[0] == PLACED:
            return {
                **made,
                "base": {
                    "kind": "similarity",
                    **{n: float(v) for n, v in zip(("cx", "cy", "width", "height", "angle"), rows[0])},
                },
            }
        key = f"t{len(self.tracks) + 1}"
        self.tracks.append(
            {
                "key": key,
                "clip": sighting["clip"],
                "path": _path_out(path),
                "of": {"kind": "head"},
                "source": {
                    "kind": "scan",
                    "scan": self._scan_key(sighting["clip"]),
                    "every": self._every(sighting["clip"]),
                },
            }
        )
        if sighting.get("placed"):
            made["begin_set"] = made["end_set"] = True
        return {**made, "tracks": [key]}


def _style(style: dict) -> dict:
    cover = {
        "mosaic": {"kind": "mosaic", "blocks": style["blocks"]},
        "blur": {"kind": "blur", "size": style["blur"]},
        "solid": {"kind": "solid", "colour": style["colour"]},
    }[style["kind"]]
    return {"covers": [cover], "margin": style["margin"], "feather": style["feather"]}


def _corrections(corrections: list[dict]) -> dict[str, list[dict]]:
    """Repairs where none of them holds; else the corners of the straight lines that version 1 went along, as
    keyframes."""
    ordered = sorted(corrections, key=lambda c: c["frame"])
    if not any(c.get("holds") for c in ordered):
        return {
            "repairs": [
                {"frame": c["frame"], "change": _change(_offset(c)), "before": FADE, "after": FADE, "ease": "straight"}
                for c in ordered
            ]
        }
    corners: list[tuple[int, np.ndarray]] = []
    for n, c in enumerate(ordered):
        before, after = ordered[n - 1] if n else None, ordered[n + 1] if n + 1 < len(ordered) else None
        room = c["frame"] - before["frame"] if before else 0
        if before is None or (not before.get("holds") and room > 2 * FADE):
            corners.append((c["frame"] - FADE, NEUTRAL[:5]))
        elif before.get("holds") and room > FADE:
            corners.append((c["frame"] - FADE, _offset(before)))
        corners.append((c["frame"], _offset(c)))
        if not c.get("holds") and (after is None or after["frame"] - c["frame"] > 2 * FADE):
            corners.append((c["frame"] + FADE, NEUTRAL[:5]))
    times, values = np.array([t for t, _ in corners], float), np.array([v for _, v in corners])
    # A line that begins before the clip does is cut at its first frame.
    frames = sorted({max(0, int(t)) for t in times})
    at = np.stack([np.interp(frames, times, values[:, column]) for column in range(5)], axis=1)
    return {"keyframes": [{"frame": f, "change": _change(row), "to_next": "straight"} for f, row in zip(frames, at)]}


def _change(row: np.ndarray) -> dict:
    return {name: float(value) for name, value in zip(("dx", "dy", "width", "height", "turn"), row)}


def _offset(correction: dict) -> np.ndarray:
    offset = correction["offset"]
    return np.array(
        [
            offset.get("dx", 0.0),
            offset.get("dy", 0.0),
            max(LEAST, offset.get("width", 1.0)),
            max(LEAST, offset.get("height", 1.0)),
            offset.get("turn", 0.0),
        ]
    )


def _highest(keys) -> int:
    return max((int(m[0]) for key in keys if (m := re.search(r"\d+$", key))), default=0)
