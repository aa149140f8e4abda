"""Numbers of the report in words, the same in all its forms."""

from __future__ import annotations

from skiagraph.review.report.facts import ClipFacts, PersonFacts


def bytes_told(count: int) -> str:
    """Bytes as people read them, with the exact number."""
    for unit, size in (("GB", 10**9), ("MB", 10**6), ("kB", 10**3)):
        if count >= size:
            return f"{count / size:.1f} {unit} ({count:,} bytes)"
    return f"{count} bytes"


def seconds_told(seconds: float) -> str:
    """Seconds as people read them."""
    if seconds < 60:
        return f"{seconds:.1f} s"
    return f"{int(seconds // 60)} min {int(seconds % 60):02d} s"


def bars(clip: ClipFacts, person: PersonFacts) -> list[tuple[float, float]]:
    """When somebody is in the picture: begin and length of each sighting, shares of the clip."""
    return [(first / clip.frames, max(0.002, (last + 1 - first) / clip.frames)) for first, last in person.spans]


def strength_told(person: PersonFacts) -> str:
    """How strong a cover is."""
    if person.detail is None:
        return ""
    left = f"{person.detail:.1f} cycles of detail across the face" if person.detail else "no detail of the face left"
    return f"{left}: {person.safety}"
