"""A programme: what an edit list says of which parts of which clips are used."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Annotated

import msgspec

from skiagraph.project.clip import Clip, Count, Key
from skiagraph.values import Value


class Use(Value, frozen=True):
    """One place where a programme uses a clip: its first and last frame there."""

    clip: Key
    first: Count
    last: Count


class Programme(Value, frozen=True):
    """name: of the list's file; timeline: the list itself, as OpenTimelineIO's JSON; uses: in order; missing: names of
    what it uses and the project does not have; handles: frames before and after each use that are wanted too."""

    name: Annotated[str, msgspec.Meta(max_length=400)]
    timeline: str
    uses: tuple[Use, ...] = ()
    missing: tuple[str, ...] = ()
    handles: Annotated[int, msgspec.Meta(ge=0, le=100_000)] = 25

    def parts(self, clips: Iterable[Clip]) -> dict[str, list[tuple[int, int]]]:
        """First and last frames of what is used of each of some clips, with handles; what meets then is one part."""
        found: dict[str, list[tuple[int, int]]] = {}
        here, handles = {clip.key: clip for clip in clips}, self.handles
        for use in sorted((u for u in self.uses if u.clip in here), key=lambda u: (u.clip, u.first)):
            first, last = max(0, use.first - handles), min(here[use.clip].frames - 1, use.last + handles)
            parts = found.setdefault(use.clip, [])
            if parts and first <= parts[-1][1] + 1:
                parts[-1] = parts[-1][0], max(parts[-1][1], last)
            else:
                parts.append((first, last))
        return found

    def told(self) -> str:
        """What it uses, in a sentence or two."""
        clips = len({use.clip for use in self.uses})
        text = (
            f"{self.name} uses {len(self.uses)} part{'s' if len(self.uses) != 1 else ''} of {clips}"
            f" clip{'s' if clips != 1 else ''}."
        )
        if self.missing:
            names = list(dict.fromkeys(self.missing))
            text += (
                f" Not in the project: {', '.join(names[:5])}{f' and {len(names) - 5} more' if len(names) > 5 else ''}."
            )
        return text
