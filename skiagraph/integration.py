"""Telling the Linux desktop of Skiagraph: menu entry, icon, and the type of the project file, for the present user.

Source: the freedesktop.org specifications for desktop entries, icon themes and shared MIME information.
"""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
from importlib import resources
from pathlib import Path

from skiagraph.errors import SkiagraphError

# Where each file goes, below the user's data folder.
_PLACES = (
    ("desktop/skiagraph.desktop", "applications/skiagraph.desktop"),
    ("desktop/skiagraph-project.xml", "mime/packages/skiagraph-project.xml"),
    ("icons/skiagraph.svg", "icons/hicolor/scalable/apps/skiagraph.svg"),
)
# Programs that renew the desktop's own lists; where one is missing the desktop does it by itself later.
_RENEW = (("update-desktop-database", "applications"), ("update-mime-database", "mime"))


def data_home() -> Path:
    return Path(os.environ.get("XDG_DATA_HOME") or Path.home() / ".local" / "share")


def integrate(home: Path | None = None) -> list[Path]:
    """Write the files; returns them. Raises SkiagraphError when the folder may not be written."""
    home, written = home or data_home(), []
    command = (
        Path(sys.argv[0]).absolute()
        if Path(sys.argv[0]).name == "skiagraph"
        else Path(sys.executable).parent / "skiagraph"
    )
    try:
        for source, place in _PLACES:
            target = home / place
            target.parent.mkdir(parents=True, exist_ok=True)
            text = resources.files("skiagraph.assets").joinpath(source).read_text()
            target.write_text(
                text.replace("Exec=skiagraph", f'Exec="{command}"') if place.endswith(".desktop") else text
            )
            written.append(target)
    except OSError as error:
        raise SkiagraphError(
            f"The menu entry cannot be written to {home} ({error.strerror}); check that you may write there.", path=home
        ) from error
    _renew(home)
    return written


def remove(home: Path | None = None) -> None:
    """Take the files away again; what is not there is no error."""
    home = home or data_home()
    for _, place in _PLACES:
        (home / place).unlink(missing_ok=True)
    _renew(home)


def _renew(home: Path) -> None:
    for program, folder in _RENEW:
        if shutil.which(program) and (home / folder).is_dir():
            subprocess.run([program, str(home / folder)], capture_output=True, check=False)
