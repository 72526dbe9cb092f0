"""Records as the logbook keeps them: NamedTuples out to plain JSON values, and back in.

A record is read by its annotations: numbers, text, choices (Literal), other records, tuples,
mappings, and unions of these. What is missing takes its default; what is unknown is passed over,
so that a newer program may keep more.
"""

import math
from collections.abc import Callable, Mapping, Sequence
from types import NoneType, UnionType
from typing import TYPE_CHECKING, Any, Generic, Literal, NamedTuple, TypeVar, Union

from metier.logbook.location import LogbookFailure, damaged

if TYPE_CHECKING:
    from metier.logbook.book import Logbook
    from metier.logbook.trials import Trial

R = TypeVar("R")
S = TypeVar("S", bound=NamedTuple)


class NotPlain(LogbookFailure):
    """What the logbook keeps is not such a record: which field, and what stands there."""


class Form(Generic[S]):
    """The record that settings are, its present version, and what brings older ones up to it.

    ``upgrade`` is given what is kept and under which version, and returns it in the present form.
    """

    def __init__(
        self,
        record: type[S],
        version: int = 1,
        upgrade: Callable[[dict[str, object], int], dict[str, object]] | None = None,
    ) -> None:
        self.record, self._version, self._upgrade = record, version, upgrade

    def of(self, book: "Logbook", trial: "Trial") -> S:
        """Return the settings of a trial.

        Raises:
            LogbookFailure: what is kept is no such record.
        """
        try:
            return self.read(trial.settings)
        except NotPlain as error:
            raise damaged(book.path, f"trial {trial.number}: {error}") from error

    def read(self, kept: Mapping[str, object]) -> S:
        """Return settings as they are kept, whatever their version.

        Raises:
            NotPlain: they are no such record, or of a newer version than this program knows.
        """
        version = kept.get("version", 1)
        if not isinstance(version, int) or not 1 <= version <= self._version:
            raise NotPlain(f"settings of version {str(version)[:20]}; this Metier is older")
        if version < self._version and self._upgrade:
            kept = self._upgrade(dict(kept), version)
        return from_plain(self.record, kept)

    def is_current(self, kept: Mapping[str, object]) -> bool:
        """Tell whether settings are kept in the present version."""
        return kept.get("version", 1) == self._version

    def keep(self, settings: S, remarks: Sequence[str]) -> dict[str, object]:
        """Return settings, and what was said of them, as they are kept."""
        said = {"remarks": list(remarks)} if remarks else {}
        return {"version": self._version, **to_plain(settings), **said}


def to_plain(value: object) -> Any:
    """Return a record, or a part of one, as JSON keeps it."""
    if isinstance(value, tuple):
        fields = getattr(value, "_fields", None)
        if fields is None:
            return [to_plain(part) for part in value]
        return {name: to_plain(part) for name, part in zip(fields, value, strict=True)}
    if isinstance(value, Mapping):
        return {name: to_plain(part) for name, part in value.items()}
    return value


def from_plain(record: type[R], kept: object, where: str = "") -> R:
    """Return the record that is kept.

    Raises:
        NotPlain: it is no such record; names the field.
    """
    fields: tuple[str, ...] = record._fields  # type: ignore[attr-defined]
    if not isinstance(kept, Mapping):
        raise NotPlain(f"{where or record.__name__} is not a record")
    defaults: Mapping[str, object] = record._field_defaults  # type: ignore[attr-defined]
    values = {}
    for name in fields:
        if name in kept:
            at = f"{where}.{name}" if where else name
            values[name] = _part(record.__annotations__[name], kept[name], at)
        elif name in defaults:
            continue
        elif NoneType in getattr(record.__annotations__[name], "__args__", ()):
            # What an older program did not say yet.
            values[name] = None
        else:
            raise NotPlain(f"{where}{'.' if where else ''}{name} is missing")
    return record(**values)


def _part(wanted: Any, kept: object, where: str) -> object:
    if isinstance(wanted, type):
        if hasattr(wanted, "_fields"):
            return from_plain(wanted, kept, where)
        if wanted is float:
            if isinstance(kept, int | float) and not isinstance(kept, bool) and math.isfinite(kept):
                return float(kept)
        elif isinstance(kept, wanted) and (wanted is bool or not isinstance(kept, bool)):
            return kept
    elif isinstance(wanted, UnionType) or wanted.__origin__ is Union:
        return _one_of(wanted.__args__, kept, where)
    elif wanted.__origin__ is Literal:
        if kept in wanted.__args__:
            return kept
    elif wanted.__origin__ is Mapping:
        if isinstance(kept, Mapping):
            part = wanted.__args__[1]
            return {name: _part(part, each, f"{where}.{name}") for name, each in kept.items()}
    elif isinstance(kept, list):
        return _tuple(wanted.__args__, kept, where)
    raise NotPlain(f"{where} is {str(kept)[:40]!r}")


def _one_of(choices: tuple[Any, ...], kept: object, where: str) -> object:
    if kept is None and NoneType in choices:
        return None
    others = [choice for choice in choices if choice is not NoneType]
    for wanted in others[:-1]:
        try:
            return _part(wanted, kept, where)
        except NotPlain:
            continue
    return _part(others[-1], kept, where)


def _tuple(parts: tuple[Any, ...], kept: list[object], where: str) -> tuple[object, ...]:
    if parts[-1] is Ellipsis:
        return tuple(_part(parts[0], item, f"{where}[{n}]") for n, item in enumerate(kept))
    if len(parts) != len(kept):
        raise NotPlain(f"{where} has {len(kept)} parts")
    pairs = zip(parts, kept, strict=True)
    return tuple(_part(part, item, f"{where}[{n}]") for n, (part, item) in enumerate(pairs))


# Of its value: a sum in another order ends in another last bit. Below the second all is nothing.
_LAST_BITS, _NOTHING = 1e-9, 1e-12


def alike(said: object, now: object) -> bool:
    """Tell whether two findings, as JSON has them, say the same: the same verdict, and the same
    numbers but for their last bits. Other words for it say nothing else, nor does what a newer
    Metier adds.

    >>> alike({"verdict": "keep", "flow": 96.61, "reason": "so"}, {"verdict": "keep",
    ...       "flow": 96.61000000000001, "reason": "thus", "grams": None})
    True
    >>> alike({"verdict": "keep", "flow": 96.61}, {"verdict": "keep", "flow": 96.62})
    False
    """
    if isinstance(said, dict) and isinstance(now, dict):
        return said.get("verdict") == now.get("verdict") and all(
            alike(part, now.get(name)) for name, part in said.items()
        )
    if isinstance(said, list) and isinstance(now, list):
        words = all(isinstance(part, str) for part in (*said, *now))
        return words or (len(said) == len(now) and all(map(alike, said, now)))
    if isinstance(said, int | float) and isinstance(now, int | float):
        return math.isclose(said, now, rel_tol=_LAST_BITS, abs_tol=_NOTHING)
    return said == now or isinstance(said, str) or isinstance(now, str)
