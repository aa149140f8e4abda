"""The exact truth of the demo clips: where every head is, and which pixels show whose face."""

from __future__ import annotations

import json
from collections.abc import Iterator
from dataclasses import asdict, dataclass
from pathlib import Path

import numpy as np

from skiagraph.demo.scene import HeadTruth
from skiagraph.media.index import open_clip
from skiagraph.media.reader import FrameReader


@dataclass(frozen=True, slots=True)
class ClipTruth:
    """heads: for every frame, the heads in it; actors: keys in the order of their numbers in the identity film (from
    1)."""

    width: int
    height: int
    actors: tuple[str, ...]
    names: tuple[str, ...]
    agreed: tuple[str, ...]
    heads: tuple[tuple[HeadTruth, ...], ...]
    film: Path

    def number(self, actor: str) -> int:
        """Value of the actor's face in the identity film; the rest of the head is scene.HEAD_OFFSET more."""
        return self.actors.index(actor) + 1

    def frames(self) -> Iterator[tuple[np.ndarray, tuple[HeadTruth, ...]]]:
        """Identity picture, uint8 (height, width), and heads of each frame."""
        info, index = open_clip(self.film)
        with FrameReader(info, index) as reader:
            for frame, heads in zip(reader.frames(), self.heads):
                yield frame.planes()[0], heads


def load_truth(path: Path | str) -> ClipTruth:
    """Read NAME.truth.json; the identity film NAME.truth.mkv lies beside it."""
    path = Path(path)
    document = json.loads(path.read_text())
    heads = tuple(
        tuple(HeadTruth(**dict(zip(document["columns"], row))) for row in frame) for frame in document["frames"]
    )
    return ClipTruth(
        document["width"],
        document["height"],
        tuple(document["actors"]),
        tuple(document["names"]),
        tuple(document["agreed"]),
        heads,
        path.with_suffix(".mkv"),
    )


def save_truth(path: Path | str, size: tuple[int, int], actors, heads: list[list[HeadTruth]]) -> None:
    """Write the truth of a drawn film as JSON: columns once, then one row for each head of each frame."""
    columns = list(HeadTruth.__slots__)
    document = {
        "width": size[0],
        "height": size[1],
        "actors": [a.key for a in actors],
        "names": [a.name for a in actors],
        "agreed": [a.key for a in actors if a.agreed],
        "columns": columns,
        "frames": [[list(asdict(head).values()) for head in frame] for frame in heads],
    }
    Path(path).write_text(json.dumps(document, separators=(",", ":")) + "\n")
