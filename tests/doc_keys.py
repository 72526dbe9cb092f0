"""The keys of every file and answer, with their types and units, as docs/formats.md lists them.

Answers are seen as the examples of the pages run; what a trial finds is read off its record, files
off their schemas.
"""

import json
import sys
import textwrap
import types
from collections.abc import Callable, Iterator, Mapping
from contextlib import contextmanager
from importlib import import_module
from typing import Any, get_args, get_origin, get_type_hints
from unittest import mock

from metier import cli
from metier.trials.limit.kept import WAYS
from metier.trials.registry import KINDS, kind_named
from tests.doc_examples import ROOT

BEGIN, END = "<!-- keys: python -m tests.doc_examples writes them -->\n", "<!-- keys end -->\n"
# Types by path: what is known of an object, whatever it is of.
Keys = dict[str, set[str]]

_UNITS = {
    "mm3_per_s": "mm³/s", "mm3_s_mm": "mm³/s a mm", "mm3_s": "mm³/s", "mm_s2": "mm/s²",
    "mm_s": "mm/s", "mm2": "mm²", "mm3": "mm³", "mm": "mm", "g_per_m": "g/m", "g_cm3": "g/cm³",
    "grams": "g", "g": "g", "celsius": "°C", "c": "°C", "h": "h", "percent": "%", "mpa": "MPa",
    "s": "s", "m": "m", "bytes": "bytes",
}  # fmt: skip
_STEPS = ("steps", "esteps", "stored_steps", "steps_now", "steps_new", "steps_to_type")
# Kept as they are typed in: by the kind of trial, or by names of the workshop.
_OPEN = (
    "settings",
    "findings",
    "instrument_mm",
    "scale_g",
    "values",
    "keys",
    "options",
    "commands",
    "targets_mm",
    "ways",
)

# The words among what a template may name.
_TEXTS = ("maker", "colour", "hot_end")


# Commands that opened a socket, as `--feed` of esteps may, while answers are noted.
opened_sockets: set[str] = set()
_running: list[str] = []


def _note_socket(event: str, _: object) -> None:
    if event == "socket.__new__" and _running:
        opened_sockets.add(_running[-1])


# An audit hook cannot be taken back: it does nothing while no command is noted.
sys.addaudithook(_note_socket)


@contextmanager
def seen_answers() -> Iterator[dict[str, Keys]]:
    """Note the keys of every answer that is given meanwhile, by its command."""
    seen: dict[str, Keys] = {}
    found = cli.command_named

    def noting(name: str) -> Any:
        make_parser, run = found(name)

        def noted(options: Any) -> Any:
            _running.append(f"{name} --feed" if getattr(options, "feed", None) else name)
            try:
                answer = run(options)
            finally:
                _running.pop()
            if answer.payload:
                _note(seen.setdefault(name, {}), "", json.loads(json.dumps(answer.payload)))
            return answer

        return make_parser, noted

    with mock.patch.object(cli, "command_named", noting):
        yield seen


def _note(keys: Keys, path: str, value: object) -> None:
    if isinstance(value, dict) and path.rpartition(".")[2] not in _OPEN:
        for name, part in value.items():
            _note(keys, f"{path}.{name}" if path else name, part)
    elif isinstance(value, list):
        keys.setdefault(f"{path}[]", set())
        for part in value:
            _note(keys, f"{path}[]", part)
    else:
        keys.setdefault(path, set()).add(_word(type(value)))


def _word(kind: type) -> str:
    words = {bool: "true or false", int: "number", float: "number", str: "text", dict: "object"}
    return words.get(kind, "null")


def _record(keys: Keys, path: str, kind: Any) -> None:
    """Note the fields of a record, as its annotations have them."""
    if isinstance(kind, types.UnionType):
        for part in get_args(kind):
            _record(keys, path, part)
    elif hasattr(kind, "_fields"):
        for name, part in get_type_hints(kind).items():
            _record(keys, f"{path}.{name}" if path else name, part)
    elif get_origin(kind) is tuple:
        keys.setdefault(f"{path}[]", set())
        _record(keys, f"{path}[]", get_args(kind)[0])
    elif get_origin(kind) is not None and get_origin(kind) not in (Mapping, dict):
        keys.setdefault(path, set()).update(_word(type(word)) for word in get_args(kind))
    else:
        keys.setdefault(path, set()).add(_word(get_origin(kind) or kind))


def _of_trials(part: Callable[[Any], Any]) -> dict[str, Keys]:
    """Return what a part of trials has, by their command, ways to a limit together."""
    found: dict[str, Keys] = {}
    for name in KINDS:
        kinds = [kind_named(name)]
        if name == "volumetric":
            kinds = [import_module(f"{room}.kind").KIND for room in WAYS.values()]
        for kind in kinds:
            _record(found.setdefault(name, {}), "", part(kind))
    return found


def _unit(path: str) -> str:
    """Return the unit that a key, or the one it is a part of, ends in."""
    for part in reversed(path.replace("[]", "").split(".")):
        name = part.removesuffix("_u95")
        if name in _STEPS or ("steps" in name and name.endswith("per_mm")):
            return "steps/mm"
        for ending, unit in _UNITS.items():
            if name == ending or name.endswith(f"_{ending}"):
                return unit
    return ""


def _listed(keys: Keys) -> str:
    """Return keys in lines, each with its unit or its type; a list is named by what is in it."""
    told = []
    for path, words in keys.items():
        if path.endswith("[]") and not words and any(k.startswith(f"{path}.") for k in keys):
            continue
        unit, plain = _unit(path), sorted(words - {"null"})
        if any(key.startswith(f"{path}.") for key in keys):
            unit, plain = "", ["object"]
        plain = plain or ["number" if unit else "text"]
        word = unit if plain == ["number"] and unit else " or ".join(plain)
        told.append(f"`{path}`\u00a0{word}{'?' * ('null' in words)}".replace(" ", "\u00a0"))
    lines = textwrap.wrap(", ".join(told), 120, break_long_words=False, break_on_hyphens=False)
    return "\n".join(lines).replace("\u00a0", " ")


def _of_schema(path: str) -> Iterator[tuple[str, Keys]]:
    """Yield the tables of a file by its JSON Schema, and their keys."""
    schema = json.loads((ROOT / path).read_text())
    top: Keys = {}
    for name, part in schema["properties"].items():
        inner = part.get("items", part).get("properties")
        if not inner:
            top[name] = _schema_words(part, schema)
            continue
        yield name, {key: _schema_words(each, schema) for key, each in inner.items()}
    yield "", top


def _schema_words(part: dict[str, Any], schema: dict[str, Any]) -> set[str]:
    if "$ref" in part:
        part = schema["$defs"][part["$ref"].rpartition("/")[2]]
    if "anyOf" in part:
        return set().union(*(_schema_words(each, schema) for each in part["anyOf"]))
    if "const" in part or "enum" in part:
        return {_word(type(each)) for each in part.get("enum", [part.get("const")])}
    kinds = part.get("type", [])
    names = {"string": "text", "integer": "number", "boolean": "true or false", "array": "list"}
    return {names.get(kind, kind) for kind in ([kinds] if isinstance(kinds, str) else kinds)}


def keys_section(seen: dict[str, Keys], keys: Mapping[str, object], csv: dict[str, str]) -> str:
    """Return the part of the page: a template's keys, tables' columns, files, answers."""
    template: Keys = {}
    for name, value in keys.items():
        known = str if name in _TEXTS else float
        template[name] = {"null", _word(type(value) if value is not None else known)}
    out = [
        "### A template, and `keys` of `metier profile --json`",
        _listed(template),
        "### Comma-separated values",
    ]
    for name, row in csv.items():
        columns = [f"`{key}`" for key in row.split(",")]
        out.append("\n".join(textwrap.wrap(f"`{name}`: {', '.join(columns)}.", 120)))
    out.append("### The profile as TOML")
    for name, of in _of_schema("src/metier/formats/profile.schema.json"):
        out += [f"{f'`[{name}]`' if name else 'At its top'}: {_listed(of)}"]
    out.append("### An exported logbook")
    for name, of in _of_schema("src/metier/logbook/logbook.schema.json"):
        out += [f"{f'`{name}[]`' if name else 'At its top'}: {_listed(of)}"]
    out.append("### Settings of trials, in an export and in `metier history --json`")
    for name, of in _of_trials(lambda kind: kind.form.record).items():
        out.append(f"`{name}`: {_listed(of)}")
    out.append("### Answers as JSON")
    found = _of_trials(lambda kind: get_type_hints(kind.result)["return"])
    for name in cli.COMMANDS:
        of = seen.get(name, {}) | found.get(name, {})
        if of:
            out += [f"#### `metier {name} --json`", _listed(of)]
    return "\n\n".join(out) + "\n\n"
