"""Records as the logbook keeps them: NamedTuples out to plain JSON values, and back in.

A record is read by its annotations: numbers, text, choices (Literal), other records, tuples, and
unions of these. What is missing takes its default; what is unknown is passed over, so that a
newer program may keep more.
"""

import math
from collections.abc import Mapping
from types import NoneType, UnionType
from typing import Any, Literal, TypeVar, Union, get_args, get_origin

from metier.logbook.failure import LogbookFailure

R = TypeVar("R")


class NotPlain(LogbookFailure):
    """What the logbook keeps is not such a record: which field, and what stands there."""


def to_plain(value: object) -> Any:
    """Return a record, or a part of one, as JSON keeps it."""
    if isinstance(value, tuple):
        fields = getattr(value, "_fields", None)
        if fields is None:
            return [to_plain(part) for part in value]
        return {name: to_plain(part) for name, part in zip(fields, value, strict=True)}
    return value


def from_plain(record: type[R], kept: object, where: str = "") -> R:
    """Return the record that is kept; the older form of one is a list of its fields in order.

    Raises:
        NotPlain: it is no such record; names the field.
    """
    fields: tuple[str, ...] = record._fields  # type: ignore[attr-defined]
    if isinstance(kept, list):
        kept = dict(zip(fields, kept, strict=False))
    if not isinstance(kept, Mapping):
        raise NotPlain(f"{where or record.__name__} is not a record")
    defaults: Mapping[str, object] = record._field_defaults  # type: ignore[attr-defined]
    values = {}
    for name in fields:
        if name in kept:
            at = f"{where}.{name}" if where else name
            values[name] = _part(record.__annotations__[name], kept[name], at)
        elif name not in defaults:
            raise NotPlain(f"{where}{'.' if where else ''}{name} is missing")
    return record(**values)


def _part(wanted: Any, kept: object, where: str) -> object:
    origin = get_origin(wanted)
    if origin in (Union, UnionType):
        return _one_of(get_args(wanted), kept, where)
    if origin is Literal:
        if kept in get_args(wanted):
            return kept
    elif origin is tuple:
        if isinstance(kept, list):
            return _tuple(get_args(wanted), kept, where)
    elif hasattr(wanted, "_fields"):
        return from_plain(wanted, kept, where)
    elif wanted is float:
        if isinstance(kept, int | float) and not isinstance(kept, bool) and math.isfinite(kept):
            return float(kept)
    elif isinstance(kept, wanted) and (wanted is bool or not isinstance(kept, bool)):
        return kept
    raise NotPlain(f"{where} is {str(kept)[:40]!r}")


def _one_of(choices: tuple[Any, ...], kept: object, where: str) -> object:
    if kept is None and NoneType in choices:
        return None
    others = [one for one in choices if one is not NoneType]
    for wanted in others[:-1]:
        try:
            return _part(wanted, kept, where)
        except NotPlain:
            continue
    return _part(others[-1], kept, where)


def _tuple(parts: tuple[Any, ...], kept: list[object], where: str) -> tuple[object, ...]:
    if parts[-1] is Ellipsis:
        return tuple(_part(parts[0], one, f"{where}[{n}]") for n, one in enumerate(kept))
    if len(parts) != len(kept):
        raise NotPlain(f"{where} has {len(kept)} parts")
    pairs = zip(parts, kept, strict=True)
    return tuple(_part(part, one, f"{where}[{n}]") for n, (part, one) in enumerate(pairs))
