"""Words from outside on their way to people and programs: the one door for all of them.

Names, notes, paths and what stands in files may hold characters that steer a terminal, turn the
direction of what is read, or go on without end. They are shown as what they are not: harmless.
"""

import re
from collections.abc import Sequence

# A line longer than this is cut; one of an error sooner, for it has to be read at once.
_LONGEST_LINE, _LONGEST_ERROR = 4000, 600
_STANDS_FOR = "\ufffd"
# What a sheet paints its verdict with.
_PAINT = "\x1b\\[(?:1;3[1-6]|1|0)m"
# Control characters but the end of a line, those that turn the direction or cannot be seen, and
# halves of characters.
_STEERING = (
    "[\x00-\x09\x0b-\x1f\x7f-\x9f\u00ad\u061c\u180e\u200b-\u200f\u2028-\u202e\u2060-\u2069"
    "\ufeff\ufff9-\ufffb\ud800-\udfff]"
)
_steering = re.compile(_STEERING)
_or_paint = re.compile(f"({_PAINT})|{_STEERING}")
_ESCAPED = re.compile("[\x7f-\x9f\u00ad\u061c\u180e\u200b-\u200f\u2028-\u202e\u2060-\u2069\ufeff\ud800-\udfff]")  # fmt: skip # noqa: E501


def clean(text: str) -> str:
    """Return text of several lines as people may see it; the paint of a sheet stays.

    >>> clean("fern\\x1b[2J-1 \\u202eALP")
    'fern\\ufffd[2J-1 \\ufffdALP'
    """
    if text.isascii() and text.isprintable():
        return text[:_LONGEST_LINE]
    found = _or_paint.sub(lambda match: match[1] or _STANDS_FOR, text)
    if max(map(len, found.split("\n"))) <= _LONGEST_LINE:
        return found
    return "\n".join(line[:_LONGEST_LINE] for line in found.split("\n"))


def clean_error(message: str) -> str:
    """Return the one line of an error, cut where nobody would read on."""
    line = _steering.sub(_STANDS_FOR, " ".join(message.split()))
    return line if len(line) <= _LONGEST_ERROR else f"{line[: _LONGEST_ERROR - 1]}…"


def unpainted(text: str) -> str:
    """Return a part of a sheet without what would be taken for its paint."""
    return text.replace("\x1b", _STANDS_FOR)


def clean_json(text: str) -> str:
    """Return JSON in which such characters are escaped: the same document to a program."""
    return _ESCAPED.sub(lambda match: f"\\u{ord(match[0]):04x}", text)


def clean_cell(cell: object) -> object:
    """Return a cell of comma-separated values that no spreadsheet takes for a formula.

    >>> clean_cell("=1+1"), clean_cell("-0.05"), clean_cell(-0.05)
    ("'=1+1", '-0.05', -0.05)
    """
    if not isinstance(cell, str) or not cell.startswith(("=", "+", "-", "@", "\t", "\r")):
        return cell
    try:
        float(cell)
    except ValueError:
        return f"'{cell}"
    return cell


def comma_separated(rows: Sequence[Sequence[object]]) -> str:
    """Return rows as comma-separated values, the first of them the header."""
    import csv
    import io

    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    writer.writerows([clean_cell(cell) for cell in row] for row in rows)
    return out.getvalue().rstrip("\n")
