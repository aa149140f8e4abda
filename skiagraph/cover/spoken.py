"""Covers in words, made from how they describe themselves: “mosaic:blocks=4,rounded=50 + blur:size=8”, and what there
is to say."""

from __future__ import annotations

from collections.abc import Iterator

import msgspec

from skiagraph.cover.cover import Cover, Style
from skiagraph.errors import SkiagraphError
from skiagraph.values import Family, Parameter, parameters, read


class BadCover(SkiagraphError):
    """Words that are no cover."""


def covers_of(text: str) -> tuple[Cover, ...]:
    """Covers from words: kinds with their parameters in the units shown, one over the other where a plus stands between
    them. Raises BadCover."""
    return tuple(said_of(part.strip(), Cover, "cover") for part in text.split("+"))


def said_of(text: str, family: type[Family], word: str):
    """One of a family from words, its parameters in the units shown. word: what such a one is called.

    Raises BadCover.
    """
    tag, _, given = text.partition(":")
    if tag.strip() not in family.kinds:
        raise BadCover(f"“{tag.strip()}” is no {word}; there are {', '.join(sorted(family.kinds))}.")
    kind = family.kinds[tag.strip()]
    known = {p.name: p for p in parameters(kind)}
    plain: dict = {"kind": tag.strip()}
    for part in filter(None, (p.strip() for p in _apart(given))):
        name, sign, value = part.partition("=")
        if not sign or name.strip() not in known:
            raise BadCover(
                f"“{part}” says nothing of a {kind.word.lower()}; write"
                f" {', '.join(_example(p) for p in known.values()) or 'it alone, it has nothing to say'}."
            )
        plain[name.strip()] = _value(known[name.strip()], value.strip(), kind)
    try:
        return read(plain, family)
    except (msgspec.ValidationError, ValueError) as error:
        raise BadCover(f"“{text}” is no {word} ({error}).") from error


def _apart(text: str) -> Iterator[str]:
    """Parts between commas; a text keeps its commas where no name follows them."""
    now = ""
    for part in text.split(","):
        if now and "=" not in part:
            now += "," + part
            continue
        if now:
            yield now
        now = part
    yield now


def _value(parameter: Parameter, text: str, kind: type) -> object:
    if parameter.form == "colour":
        try:
            digits = text.removeprefix("#")
            return [int(digits[n : n + 2], 16) for n in (0, 2, 4)] if len(digits) == 6 else _no()
        except ValueError:
            raise BadCover(f"“{text}” is no colour; write it as #1917A6.") from None
    if parameter.form == "choice":
        if text not in dict(parameter.options):
            raise BadCover(
                f"{parameter.name} of a {kind.word.lower()} is {' or '.join(dict(parameter.options))}, not “{text}”."
            )
        return text
    if parameter.form == "covers":
        return text.split("/")
    if parameter.form in ("text", "file"):
        return text
    try:
        number = float(text.removesuffix("%")) / parameter.scale
    except ValueError:
        raise BadCover(
            f"{parameter.name} of a {kind.word.lower()} is a"
            f" number{f' in{parameter.unit}' if parameter.unit.strip() else ''}, not “{text}”."
        ) from None
    return round(number) if isinstance(parameter.default, int) else number


def _no():
    raise ValueError


def _example(parameter: Parameter) -> str:
    return f"{parameter.name}={shown(parameter, parameter.default)}"


def shown(parameter: Parameter, value) -> str:
    """A value in the words that covers_of reads."""
    if parameter.form == "colour":
        return "#" + "".join(f"{part:02x}" for part in value)
    if parameter.form == "covers":
        return "/".join(value)
    if parameter.form == "number":
        return f"{value * parameter.scale:g}"
    return str(value)


def in_words(style: Style) -> str:
    """The covers of a style as covers_of reads them; what is as by itself is left out."""
    parts = []
    for cover in style.covers:
        said = [
            f"{p.name}={shown(p, getattr(cover, p.name))}"
            for p in parameters(type(cover))
            if getattr(cover, p.name) != p.default
        ]
        parts.append(cover.kind + (":" + ",".join(said) if said else ""))
    return " + ".join(parts)


def told(kind: type) -> list[str]:
    """What a kind has to say of itself, in lines."""
    lines = [f"{kind.__struct_config__.tag}: {kind.tip}."]
    for p in parameters(kind):
        values = (
            " or ".join(dict(p.options))
            if p.form == "choice"
            else f"{p.low:g} to {p.high:g}{p.unit}"
            if p.form == "number"
            else p.form
        )
        lines.append(f"  {p.name} ({values}; {shown(p, p.default) or 'none'}): {p.tip}")
    return lines
