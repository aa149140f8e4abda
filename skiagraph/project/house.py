"""House styles: everything about covers that a newsroom wants alike, and small files to share them by."""

from __future__ import annotations

import contextlib
import json
import os
import re
import shutil
import tempfile
from collections.abc import Callable, Iterator
from importlib.resources import files
from pathlib import Path
from typing import Annotated, TypeVar

import msgspec
import platformdirs

import skiagraph.project.rules  # noqa: F401  every rule is known from here on
from skiagraph.cover.cover import Style, default_style
from skiagraph.errors import SkiagraphError
from skiagraph.project.rule import Rule
from skiagraph.values import Value, described, read, replace, schema_of, written

T = TypeVar("T")
FORMAT, VERSION, SUFFIX = "skiagraph-house-style", 1, ".housestyle.json"
MOST_BYTES = 1 << 20
Seconds = Annotated[float, msgspec.Meta(ge=0, le=10)]
HouseName = Annotated[str, msgspec.Meta(max_length=100)]


class House(Value, frozen=True):
    """What a house wants beside the cover itself. by_kind: another cover for subjects of a kind (person, thing), by its
    tag; lead_s, tail_s: seconds that a cover is kept before and after each sighting whose end nobody set, within the
    shot; rules: what every cover has to keep to."""

    name: HouseName = ""
    note: Annotated[str, msgspec.Meta(max_length=2000)] = ""
    by_kind: dict[Annotated[str, msgspec.Meta(max_length=40)], Style] = {}
    lead_s: Annotated[
        Seconds,
        described(
            "Lead",
            "How long before each sighting whose begin nobody set a cover is there already, within the shot.",
            low=0,
            high=3,
            step=0.04,
            unit=" s",
            decimals=2,
        ),
    ] = 0.0
    tail_s: Annotated[
        Seconds,
        described(
            "Tail",
            "How long after each sighting whose end nobody set a cover is kept, within the shot.",
            low=0,
            high=3,
            step=0.04,
            unit=" s",
            decimals=2,
        ),
    ] = 0.0
    rules: Annotated[tuple[Rule, ...], msgspec.Meta(max_length=40)] = ()


class HouseStyle(Value, frozen=True):
    """A house style as it is shared: the file is this, in JSON, with the name and number of its format."""

    style: Style = msgspec.field(default_factory=default_style)
    house: House = House()

    @property
    def name(self) -> str:
        return self.house.name


class CannotReadHouseStyle(SkiagraphError):
    """A house style that cannot be read or written. path: the file."""


def house_schema() -> dict:
    """The JSON Schema of a house style, as docs/house-style.schema.json holds it."""
    return schema_of(HouseStyle)


def read_house_style(path: Path | str) -> HouseStyle:
    """A house style from its file; pictures of its covers are found beside it. Raises CannotReadHouseStyle."""
    path = Path(path).absolute()
    try:
        if path.stat().st_size > MOST_BYTES:
            raise ValueError("it is far too large")
        style = _decoded(path.read_bytes())
    except OSError as error:
        raise CannotReadHouseStyle(
            f"The house style {path.name} cannot be read ({error.strerror}); check its place.", path=path
        ) from error
    except (msgspec.ValidationError, msgspec.DecodeError, ValueError, TypeError, KeyError) as error:
        raise CannotReadHouseStyle(
            f"{path.name} is no house style, or it is damaged ({error}); ask for it again.", path=path
        ) from error
    return _with_pictures(style, lambda file: str(path.parent / file))


def _decoded(raw: bytes) -> HouseStyle:
    plain = msgspec.json.decode(raw)
    if not isinstance(plain, dict) or plain.get("format") != FORMAT:
        raise ValueError("it does not say that it is one")
    if plain.get("version") != VERSION:
        raise ValueError(f"it is of format {plain.get('version')}, and this Skiagraph knows {VERSION}")
    return read({key: value for key, value in plain.items() if key not in ("format", "version")}, HouseStyle)


def write_house_style(style: HouseStyle, path: Path | str) -> None:
    """Write a house style to a file that can be shared, with the pictures of its covers beside it.

    Raises CannotReadHouseStyle.
    """
    path, copied = Path(path).absolute(), {}
    folder = path.parent / f"{path.name.removesuffix(SUFFIX)}-pictures"

    def beside(file: str) -> str:
        name = Path(file).name
        if copied.setdefault(name, file) != file:
            name = f"{len(copied)}-{name}"
            copied[name] = file
        return f"{folder.name}/{name}"

    try:
        path.parent.mkdir(parents=True, exist_ok=True)
        relative = _with_pictures(style, beside)
        for name, file in copied.items():
            folder.mkdir(exist_ok=True)
            if not (folder / name).exists() or not (folder / name).samefile(file):
                shutil.copyfile(file, folder / name)
        handle, made = tempfile.mkstemp(dir=path.parent, prefix=f".{path.name}.", suffix=".part")
        with os.fdopen(handle, "wb") as file:
            file.write(
                json.dumps(
                    {"format": FORMAT, "version": VERSION, **json.loads(written(relative))},
                    indent=2,
                    ensure_ascii=False,
                ).encode()
                + b"\n"
            )
        os.chmod(made, 0o644)
        os.replace(made, path)
    except OSError as error:
        raise CannotReadHouseStyle(
            f"The house style {path.name} cannot be written ({error.strerror}); choose another place.", path=path
        ) from error


def _with_pictures(style: HouseStyle, renamed) -> HouseStyle:
    """The same with the files of its pictures under other names."""

    def of(one: Style) -> Style:
        return replace(
            one, covers=tuple(replace(c, file=renamed(c.file)) if getattr(c, "file", "") else c for c in one.covers)
        )

    return replace(
        style,
        style=of(style.style),
        house=replace(style.house, by_kind={kind: of(one) for kind, one in style.house.by_kind.items()}),
    )


# Those that are at hand


def own_folder() -> Path:
    """Where house styles of this user are kept."""
    return Path(platformdirs.user_config_dir("skiagraph")) / "house-styles"


def shipped_house_styles() -> list[HouseStyle]:
    """Those that come with the application."""
    folder = files("skiagraph.assets").joinpath("house-styles")
    return sorted(
        (_decoded(entry.read_bytes()) for entry in folder.iterdir() if entry.name.endswith(SUFFIX)),
        key=lambda s: s.name,
    )


def house_styles() -> list[HouseStyle]:
    """Those that ship, and those of this user, of which one of the same name counts.

    A file that cannot be read is left out.
    """
    found = {style.name: style for style in (*shipped_house_styles(), *kept_in(own_folder(), SUFFIX, read_house_style))}
    return [found[name] for name in sorted(found)]


def kept_in(folder: Path, suffix: str, read_one: Callable[[Path], T]) -> Iterator[T]:
    """What a user keeps in files of a folder, by name. A file that cannot be read is left out."""
    try:
        paths = sorted(folder.glob(f"*{suffix}"))
    except OSError:
        paths = []
    for path in paths:
        with contextlib.suppress(SkiagraphError):
            yield read_one(path)


def house_style_named(name: str) -> HouseStyle:
    """One at hand by its name, in any case, or from a file. Raises CannotReadHouseStyle."""
    if name.endswith(".json"):
        return read_house_style(name)
    at_hand = house_styles()
    for style in at_hand:
        if style.name.casefold() == name.casefold():
            return style
    raise CannotReadHouseStyle(
        f"There is no house style “{name}”; there are {', '.join(s.name for s in at_hand)}, or name a file that ends in"
        f" {SUFFIX}."
    )


def keep_house_style(style: HouseStyle) -> Path:
    """Keep a house style for this user; one of the same name is replaced.

    Returns its file. Raises CannotReadHouseStyle.
    """
    place = own_folder() / (re.sub(r"[^\w.-]+", "-", style.name).strip("-.")[:80] + SUFFIX)
    write_house_style(style, place)
    return place


def default_house_style() -> HouseStyle | None:
    """The one that new projects of this user begin with; None for the application's own cover."""
    try:
        name = (own_folder() / "default").read_text().strip()
    except OSError:
        return None
    return next((style for style in house_styles() if style.name == name), None)


def set_default_house_style(name: str) -> None:
    """Make one of those at hand the one that new projects begin with; an empty name takes that back.

    Raises CannotReadHouseStyle.
    """
    place = own_folder() / "default"
    try:
        if name:
            house_style_named(name)
            place.parent.mkdir(parents=True, exist_ok=True)
            place.write_text(name + "\n")
        else:
            place.unlink(missing_ok=True)
    except OSError as error:
        raise CannotReadHouseStyle(
            f"The default house style cannot be kept ({error.strerror}); check {place.parent}.", path=place
        ) from error
