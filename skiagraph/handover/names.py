"""How files that leave are called: by a pattern of what is known of them."""

from __future__ import annotations

import re
import string
from datetime import date

from skiagraph.errors import SkiagraphError

DEFAULT_PATTERN = "{clip}"
FIELDS = {
    "clip": "name of the clip's file, without its ending",
    "version": "name of the version",
    "date": "of today, as 2026-11-27",
    "preset": "name of the preset",
    "timecode": "of the first frame, as 10-00-00-00",
}
# Letters of a name, so that what is put behind it and its ending fit into what file systems allow.
MOST = 120


def check_pattern(pattern: str) -> None:
    """Raises SkiagraphError with what is wrong with a pattern."""
    try:
        used = [name for _, name, _, _ in string.Formatter().parse(pattern) if name is not None]
    except ValueError:
        raise SkiagraphError(f"“{pattern}” has a brace too many or too few; write fields as {{clip}}.") from None
    unknown = [name for name in used if name not in FIELDS]
    if unknown:
        raise SkiagraphError(
            f"There is no field {{{unknown[0]}}} for names; there are {', '.join(f'{{{name}}}' for name in FIELDS)}."
        )
    if not pattern.strip() or "/" in pattern:
        raise SkiagraphError(
            "A pattern for names holds at least a letter or a field, and no slash; the folder is chosen apart."
        )


def stem_of(
    pattern: str, *, clip: str, version: str = "", preset: str = "", timecode: str = "", day: date | None = None
) -> str:
    """A file's name without mark and ending.

    A version that the pattern does not name is put at its end, so that no two share a name. Raises SkiagraphError.
    """
    check_pattern(pattern)
    known = {
        "clip": clip[:MOST],
        "version": plain(version),
        "date": (day or date.today()).isoformat(),
        "preset": plain(preset),
        "timecode": re.sub(r"\D+", "-", timecode),
    }
    text = pattern.format(**known)
    if version and "{version}" not in pattern:
        text += f"-{plain(version)}"
    text = re.sub(r"[\x00-\x1f/]+", "-", text).strip()
    # A fixed word for all is no name for two; and a hidden file is lost.
    return text.lstrip(".")[:MOST] or clip[:MOST]


def plain(text: str) -> str:
    """Words as they may stand in a name."""
    return re.sub(r"[^\w]+", "-", text).strip("-")[:60]
