"""Values: the immutable structs a project is made of, and families of kinds of which each lives in a file of its own.

A struct is the model and the file's document at once. A family is an open, tagged union: a new kind subclasses its base
and registers itself once, after which drawing, saving, checking and the window know it without being told. Nothing here
knows what the kinds mean.
"""

from __future__ import annotations

import importlib
import pkgutil
import re
from collections.abc import Callable, Iterator
from typing import Any, ClassVar

import msgspec
from msgspec.structs import replace

__all__ = ["Family", "Value", "between", "load_kinds", "parameters", "read", "reads", "replace", "schema_of", "written"]


class Value(msgspec.Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True, weakref=True):
    """Base of every struct of a project: frozen, compared by content, strict about unknown fields when read."""


class Family:
    """Base of the bases: a class that subclasses Family directly is a family; what subclasses that is a kind of it.

    A kind is declared as `@Cover.register class Blur(Cover, Value, frozen=True, tag_field="kind", tag="blur")`.
    """

    __slots__ = ()
    kinds: ClassVar[dict[str, type]]

    def __init_subclass__(cls, **options: Any) -> None:
        super().__init_subclass__()
        if Family in cls.__bases__:
            cls.kinds = {}

    @classmethod
    def register(cls, kind: type) -> type:
        """Make a kind known; used as a decorator on the kind. Raises ValueError for a struct without a tag."""
        tag = kind.__struct_config__.tag
        if not tag:
            raise ValueError(f"{kind.__name__} has no tag")
        cls.kinds[tag] = kind
        return kind

    @classmethod
    def __class_getitem__(cls, tag: str) -> type:
        return cls.kinds[tag]

    @property
    def kind(self) -> str:
        """The tag, as in the file."""
        return self.__struct_config__.tag


def load_kinds(package: str, path: list[str]) -> None:
    """Import every module of a package, so that a new file in it is enough to make a new kind known."""
    for module in pkgutil.iter_modules(path):
        importlib.import_module(f"{package}.{module.name}")


class Parameter(msgspec.Struct, frozen=True):
    """One parameter of a kind, as it describes itself.

    title, unit, tip: for people; low, high, step: in units shown; scale: units shown for one of the value's; default:
    of the value. form: "number", "colour", "choice" of one of `options` (value and word each), "covers" (tags of some
    of them), "text" or "file". rare: seldom needed, so that it may be folded away; decimals: that are shown.
    """

    name: str
    title: str
    unit: str
    tip: str
    low: float
    high: float
    step: float
    scale: float
    default: Any
    form: str = "number"
    options: tuple[tuple[str, str], ...] = ()
    rare: bool = False
    decimals: int = 0


def described(
    title: str,
    tip: str,
    *,
    low: float = 0,
    high: float = 0,
    unit: str = "",
    step: float = 1,
    scale: float = 1,
    form: str = "number",
    options: dict[str, str] | None = None,
    rare: bool = False,
    decimals: int = 0,
) -> msgspec.Meta:
    """Annotation of a parameter: what it is called, its unit, what more of it does, and its range in units shown; as
    `Parameter` says. The file's range is wider only by what `Annotated` says besides."""
    return msgspec.Meta(
        title=title,
        description=tip,
        extra={
            "unit": unit,
            "low": low,
            "high": high,
            "step": step,
            "scale": scale,
            "form": form,
            "options": tuple((options or {}).items()),
            "rare": rare,
            "decimals": decimals,
        },
    )


def parameters(kind: type) -> tuple[Parameter, ...]:
    """The parameters of a kind in order, from their annotations; fields that do not describe themselves are left
    out."""
    found = []
    for field in msgspec.inspect.type_info(kind).fields if isinstance(kind, type) else ():
        meta, inner = None, field.type
        while isinstance(inner, msgspec.inspect.Metadata):
            meta = meta or (inner if inner.extra and "form" in inner.extra else None)
            inner = inner.type
        if meta is not None:
            told, schema = meta.extra, meta.extra_json_schema or {}
            found.append(
                Parameter(
                    field.name,
                    schema.get("title", field.name),
                    told["unit"],
                    schema.get("description", ""),
                    told["low"],
                    told["high"],
                    told["step"],
                    told["scale"],
                    field.default,
                    told["form"],
                    told["options"],
                    told["rare"],
                    told["decimals"],
                )
            )
    return tuple(found)


def between(one: Any, other: Any, share: float) -> Any:
    """A kind between two of the same kind, share 0..1 of the way: numbers and colours go over, and of everything else
    the first holds."""
    changed = {}
    for parameter in parameters(type(one)):
        a, b = getattr(one, parameter.name), getattr(other, parameter.name)
        if parameter.form == "number":
            changed[parameter.name] = type(a)(a + (b - a) * share)
        elif parameter.form == "colour":
            changed[parameter.name] = tuple(round(x + (y - x) * share) for x, y in zip(a, b))
    return replace(one, **changed)


# Types that msgspec does not know by itself: how each is read, written and described.
_READERS: dict[type, Callable[[Any], Any]] = {}
_WRITERS: dict[type, Callable[[Any], Any]] = {}
_SCHEMAS: dict[type, dict] = {}


def reads(type_: type, reader: Callable[[Any], Any], writer: Callable[[Any], Any], schema: dict) -> None:
    """Teach reading and writing of a type that is no struct: to and from plain values."""
    _READERS[type_], _WRITERS[type_], _SCHEMAS[type_] = reader, writer, schema


def read(plain: Any, type_: type) -> Any:
    """A value of a type from plain values. Raises msgspec.ValidationError with what is wrong and where."""
    return msgspec.convert(plain, type_, dec_hook=_dec_hook)


def decoder(type_: type) -> msgspec.json.Decoder:
    return msgspec.json.Decoder(type_, dec_hook=_dec_hook)


def written(value: Any) -> bytes:
    """A value as JSON."""
    return msgspec.json.encode(value, enc_hook=_enc_hook)


def schema_of(type_: type) -> dict:
    """The JSON Schema of a type, with every kind that is known now.

    Descriptions are the docstrings, one line for each paragraph however the source is wrapped.
    """
    return _in_whole_paragraphs(msgspec.json.schema(type_, schema_hook=_schema_hook))


def _in_whole_paragraphs(schema: Any) -> Any:
    if isinstance(schema, list):
        return [_in_whole_paragraphs(part) for part in schema]
    if not isinstance(schema, dict):
        return schema
    told = {name: _in_whole_paragraphs(part) for name, part in schema.items()}
    if isinstance(told.get("description"), str):
        told["description"] = "\n\n".join(" ".join(part.split()) for part in re.split(r"\n\s*\n", told["description"]))
    return told


def _families(type_: Any) -> Iterator[type]:
    if isinstance(type_, type) and issubclass(type_, Family) and Family in type_.__bases__:
        yield type_


def _dec_hook(type_: Any, plain: Any) -> Any:
    for family in _families(type_):
        if not isinstance(plain, dict):
            raise ValueError(f"a {family.__name__.lower()} is an object with a kind")
        tag = plain.get("kind")
        if tag not in family.kinds:
            raise ValueError(
                f"{tag!r} is no {family.__name__.lower()} that is known here; known are"
                f" {', '.join(sorted(family.kinds))}"
            )
        return msgspec.convert(plain, family.kinds[tag], dec_hook=_dec_hook)
    if type_ in _READERS:
        return _READERS[type_](plain)
    raise NotImplementedError(f"no way to read {type_}")


def _enc_hook(value: Any) -> Any:
    for type_, writer in _WRITERS.items():
        if isinstance(value, type_):
            return writer(value)
    raise NotImplementedError(f"no way to write {type(value)}")


def _schema_hook(type_: Any) -> dict:
    for family in _families(type_):
        kinds = [msgspec.json.schema(kind, schema_hook=_schema_hook) for _, kind in sorted(family.kinds.items())]
        return {"anyOf": [_inlined(schema) for schema in kinds]}
    if type_ in _SCHEMAS:
        return _SCHEMAS[type_]
    raise NotImplementedError(f"no schema for {type_}")


def _inlined(schema: dict) -> dict:
    """A schema without references of its own, so that it can stand inside another."""
    definitions = schema.get("$defs", {})

    def resolved(part: Any) -> Any:
        if isinstance(part, dict):
            if "$ref" in part:
                return resolved(definitions[part["$ref"].rsplit("/", 1)[-1]])
            return {key: resolved(value) for key, value in part.items() if key != "$defs"}
        return [resolved(value) for value in part] if isinstance(part, list) else part

    return resolved(schema)
