"""A text file with places for values, filled in: ``@{flow_percent}``, ``@{limit_mm3_s:.1f}``; an @
is ``@@``. Only the names of values stand there, and how many digits a number has: nothing in a
template is ever run."""

import json
import os
import re
from collections.abc import Callable, Mapping
from functools import partial
from xml.sax.saxutils import escape

from metier.core.errors import BadInput
from metier.whole_file import check_target, write_whole

_PLACE = re.compile(r"@@|@\{(?:([^{}\n]*)\})?")
# A sign, a width, decimals: what a form of Python's has for plain numbers, and no more.
_FORM = re.compile(r"\+?0?\d{0,2}(?:\.\d{1,2})?[fg]?")
# No template of a slicer's is longer.
_LONGEST_BYTES = 10_000_000


def _in_quotes(text: str) -> str:
    return json.dumps(text, ensure_ascii=False)[1:-1]


# How words stand in a file, by what it is: a maker may be called A & B.
_WORDS_IN: dict[str, Callable[[str], str]] = {
    ".json": _in_quotes,
    ".toml": _in_quotes,
    **dict.fromkeys((".xml", ".html", ".svg"), partial(escape, entities={'"': "&quot;"})),
}

Keys = Mapping[str, float | str | None]


def filled(template: str, keys: Keys, ending: str = "") -> str:
    """Return a template with its values; ``ending`` tells how words stand in such a file.

    >>> filled("flow = @{flow_percent:.1f} # a@@b", {"flow_percent": 92.0})
    'flow = 92.0 # a@b'

    Raises:
        BadInput: a name that does not exist, one without a value, or a form that is none; names
            the line.
    """
    quoted = _WORDS_IN.get(ending.lower(), str)

    def value_of(place: re.Match[str]) -> str:
        if place[0] == "@@":
            return "@"
        line = template.count("\n", 0, place.start()) + 1
        if place[1] is None:
            raise BadInput(f"line {line}: an @{{ is no place for a value: write @@{{ for itself")
        name, colon, form = place[1].partition(":")
        if name not in keys:
            import difflib

            near = difflib.get_close_matches(name, keys, 1, 0.5)
            hint = f"did you mean {near[0]}?" if near else "metier profile --json has them"
            raise BadInput(f"line {line}: there is no value @{{{name[:40]}}}: {hint}")
        value = keys[name]
        if value is None:
            raise BadInput(f"line {line}: {name} is not known on this bench yet")
        if isinstance(value, str):
            if colon:
                raise BadInput(f"line {line}: {name} is a word, and has no form :{form[:20]}")
            return quoted(value)
        if not _FORM.fullmatch(form):
            raise BadInput(f"line {line}: :{form[:20]} is no form of a number: write :.1f")
        return f"{value:{form or '.10g'}}"

    return _PLACE.sub(value_of, template)


def fill_file(template: str, out: str, keys: Keys, *, overwrite: bool) -> None:
    """Fill a template into another file, every byte beside the places as it was.

    Raises:
        BadInput: as `filled`; it is no text, or the other file may not be written.
        OSError: it cannot be read.
    """
    check_target(out, overwrite=overwrite)
    if os.path.exists(out) and os.path.samefile(template, out):
        raise BadInput(f"{out} is the template itself: give another name")
    if not os.path.isfile(template):
        raise BadInput(f"there is no file {template}")
    with open(template, "rb") as file:
        read = file.read(_LONGEST_BYTES + 1)
    if len(read) > _LONGEST_BYTES or b"\0" in read:
        raise BadInput(f"{template} is no text file")
    try:
        text = filled(read.decode("utf-8", "surrogateescape"), keys, os.path.splitext(out)[1])
    except BadInput as refusal:
        raise BadInput(f"{template}, {refusal}") from None
    write_whole(out, text.encode("utf-8", "surrogateescape"), overwrite=overwrite)
