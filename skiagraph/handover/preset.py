"""Presets: in what shape clips leave, by a name. Some ship; each user keeps others in small JSON files."""

from __future__ import annotations

import json
from collections.abc import Sequence
from importlib.resources import files
from pathlib import Path
from typing import Annotated

import msgspec
import platformdirs

from skiagraph.errors import CannotWriteMedia, SkiagraphError
from skiagraph.handover.names import plain
from skiagraph.handover.writer import Writer
from skiagraph.handover.writers.film import CoveredFilm
from skiagraph.handover.writers.pictures import CoveredPictures, form_named
from skiagraph.media.formats import FORMATS, GRADES, format_named
from skiagraph.media.picture_files import PICTURE_FORMS
from skiagraph.media.sizes import size_named
from skiagraph.media.soundtrack import WAYS
from skiagraph.project.house import kept_in
from skiagraph.review.written import write_whole
from skiagraph.values import Value, read, written

FORMAT, VERSION, SUFFIX, MOST_BYTES = "skiagraph-preset", 1, ".preset.json", 1 << 16
_RATE = "every frame of the source, at its time"
# The one that is chosen where nobody chose.
FIRST = "Near the source"


class Preset(Value, frozen=True):
    """film: the writer of the film; note: what it is for."""

    name: Annotated[str, msgspec.Meta(min_length=1, max_length=100)]
    film: Writer = msgspec.field(default_factory=CoveredFilm)
    note: Annotated[str, msgspec.Meta(max_length=2000)] = ""

    @property
    def shape(self) -> str:
        """What holds the film: a key of media.formats or of media.picture_files."""
        return self.film.format if isinstance(self.film, CoveredFilm) else self.film.form


# What a film may be kept in: key and label.
SHAPES: dict[str, str] = {
    **{key: export.label for key, export in FORMATS.items()},
    **{key: f"{form.label} pictures" for key, form in PICTURE_FORMS.items()},
}


def film_in(shape: str, *, grade: str = "near", size: str = "source", sound: str = "as-shot") -> Writer:
    """The writer of films in a shape of SHAPES. Raises CannotWriteMedia for what is none."""
    if grade not in GRADES or sound not in WAYS:
        raise CannotWriteMedia(
            f"“{grade if grade not in GRADES else sound}” is neither a quality nor a way of sound; choose of"
            f" {', '.join(GRADES)} and of {', '.join(WAYS)}."
        )
    if shape in PICTURE_FORMS:
        return CoveredPictures(shape, size_named(size).key, sound=sound)
    return CoveredFilm(format_named(shape).key, grade=grade, size=size_named(size).key, sound=sound)


def told(film: Writer) -> list[tuple[str, str]]:
    """What a film will be like, as pairs of a word and what it is."""
    size = size_named(film.size).label
    if isinstance(film, CoveredPictures):
        return [
            ("Size", size),
            ("Rate", _RATE),
            ("Kept as", f"{form_named(film.form).label} pictures, 8 or 16 bits by the source, RGB"),
            ("Sound", f"{WAYS[film.sound]}, in a file among them"),
        ]
    codec = film.export.codec
    depth = f"up to {_most_bits(codec.pixel_formats)} bits" if codec.pixel_formats else "as deep as the source"
    colour = (
        "4:4:4"
        if any("444" in f or not codec.pixel_formats for f in codec.pixel_formats or ("444",))
        else "4:2:2"
        if any("422" in f for f in codec.pixel_formats)
        else "4:2:0"
    )
    quality = "without loss" if codec.lossless else GRADES[film.grade].lower() if codec.grades else "set by the codec"
    sound = (
        WAYS[film.sound]
        if not film.export.container.sound or film.sound == "none"
        else f"PCM, {film.export.container.sound_rate // 1000} kHz"
    )
    return [
        ("Size", size),
        ("Rate", _RATE),
        ("Codec", f"{codec.label}, {depth}, colour up to {colour}"),
        ("Kept in", film.export.container.label),
        ("Quality", quality),
        ("Sound", sound),
    ]


def _most_bits(pixel_formats: Sequence[str]) -> int:
    """Of the deepest of FFmpeg's pixel formats."""
    return max(12 if "12" in name else 10 if "10" in name else 8 for name in pixel_formats)


def own_folder() -> Path:
    """Where presets of this user are kept."""
    return Path(platformdirs.user_config_dir("skiagraph")) / "presets"


def _decoded(raw: bytes) -> Preset:
    plain_values = msgspec.json.decode(raw)
    if (
        not isinstance(plain_values, dict)
        or plain_values.get("format") != FORMAT
        or plain_values.get("version") != VERSION
    ):
        raise ValueError("it does not say that it is a preset of this version")
    preset = read({key: value for key, value in plain_values.items() if key not in ("format", "version")}, Preset)
    if not isinstance(preset.film, CoveredFilm | CoveredPictures):
        raise ValueError("what it writes is no film")
    told(preset.film)
    return preset


def read_preset(path: Path | str) -> Preset:
    """Raises SkiagraphError."""
    path = Path(path)
    try:
        if path.stat().st_size > MOST_BYTES:
            raise ValueError("it is far too large")
        return _decoded(path.read_bytes())
    except OSError as error:
        raise SkiagraphError(
            f"The preset {path.name} cannot be read ({error.strerror}); check its place.", path=path
        ) from error
    except (msgspec.ValidationError, msgspec.DecodeError, SkiagraphError, ValueError, TypeError, KeyError) as error:
        raise SkiagraphError(
            f"{path.name} is no preset, or it is damaged ({str(error).rstrip('.')}); ask for it again.", path=path
        ) from error


def shipped_presets() -> list[Preset]:
    """Those that come with the application, in their order."""
    folder = files("skiagraph.assets").joinpath("presets")
    return [
        _decoded(entry.read_bytes())
        for entry in sorted(folder.iterdir(), key=lambda e: e.name)
        if entry.name.endswith(SUFFIX)
    ]


def presets() -> list[Preset]:
    """Those that ship, in their order, and those of this user, of which one of the same name counts.

    A file that cannot be read is left out.
    """
    found = {preset.name: preset for preset in (*shipped_presets(), *kept_in(own_folder(), SUFFIX, read_preset))}
    return list(found.values())


def preset_named(name: str) -> Preset:
    """One at hand by its name, in any case, one from a file, or a shape of SHAPES as it is. Raises SkiagraphError."""
    if name.endswith(".json"):
        return read_preset(name)
    if name in SHAPES:
        return Preset(SHAPES[name], film_in(name))
    at_hand = presets()
    for preset in at_hand:
        if preset.name.casefold() == name.casefold():
            return preset
    raise SkiagraphError(
        f"There is no preset “{name}”; there are {', '.join(p.name for p in at_hand)}, a file that ends in {SUFFIX}, or"
        f" one of {', '.join(SHAPES)}."
    )


def keep_preset(preset: Preset) -> Path:
    """Keep a preset for this user; one of the same name is replaced. Returns its file. Raises SkiagraphError."""
    place = own_folder() / f"{plain(preset.name) or 'preset'}{SUFFIX}"
    try:
        place.parent.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise SkiagraphError(
            f"The preset {preset.name} cannot be kept ({error.strerror}); check {place.parent}.", path=place
        ) from error
    write_whole(
        place,
        json.dumps(
            {"format": FORMAT, "version": VERSION, **json.loads(written(preset))}, indent=1, ensure_ascii=False
        ).encode()
        + b"\n",
    )
    return place


def drop_preset(name: str) -> bool:
    """Forget a preset of this user; False where there is none of the name that may go."""
    for path in own_folder().glob(f"*{SUFFIX}"):
        try:
            if read_preset(path).name == name:
                path.unlink()
                return True
        except (SkiagraphError, OSError):
            continue
    return False
