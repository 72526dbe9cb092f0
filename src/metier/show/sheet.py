"""A sheet of text as wide as the terminal, words from outside cleaned for it.

Names, notes, paths and what stands in files may hold characters that steer a terminal, turn the
direction of what is read, or go on without end. They are shown as what they are not: harmless.
"""

import os
import re
import sys
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from typing import NamedTuple

from metier.core.verdicts import Verdict, VerdictName

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
_ESCAPED = "[\x7f-\x9f\u00ad\u061c\u180e\u200b-\u200f\u2028-\u202e\u2060-\u2069\ufeff\ud800-\udfff]"


def clean(text: str) -> str:
    """Return text of several lines as people may see it; the paint of a sheet stays.

    >>> clean("fern\\x1b[2J-1 \\u202eALP")
    'fern\\ufffd[2J-1 \\ufffdALP'
    """
    if text.isascii() and text.isprintable():
        return text[:_LONGEST_LINE]
    cleaned = re.sub(f"({_PAINT})|{_STEERING}", lambda match: match[1] or _STANDS_FOR, text)
    if max(map(len, cleaned.split("\n"))) <= _LONGEST_LINE:
        return cleaned
    return "\n".join(line[:_LONGEST_LINE] for line in cleaned.split("\n"))


def clean_error(message: str) -> str:
    """Return the one line of an error, cut where nobody would read on."""
    line = " ".join(message.split())
    if not line.isprintable():
        line = re.sub(_STEERING, _STANDS_FOR, line)
    return line if len(line) <= _LONGEST_ERROR else f"{line[: _LONGEST_ERROR - 1]}…"


def unpainted(text: str) -> str:
    """Return a part of a sheet without what would be taken for its paint."""
    return text.replace("\x1b", _STANDS_FOR)


def clean_json(text: str) -> str:
    """Return JSON in which such characters are escaped: the same document to a program."""
    return re.sub(_ESCAPED, lambda match: f"\\u{ord(match[0]):04x}", text)


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


# Where nothing tells how wide the terminal is; and no wider or narrower than reads well.
_WIDTH, _LEAST_WIDTH, _MOST_WIDTH = 80, 50, 100
_LABELLED = ("row", "note")
# Tables stand in so far.
MARGIN = 2
# Text narrower than this is hard to read.
_NARROWEST = 24
# Names are cut to no less than this where a row of a table needs the room.
_LONGEST_NAME, _SHORTEST_NAME = 12, 5
# A number and its unit stay on one line.
_UNITS = ("%", "mm", "°C", "steps/mm")
_COLOURS = {"keep": "32", "correct": "33", "unclear": "36", "recheck": "31"}


_elsewhere = 0


@contextmanager
def columns_elsewhere(wide: int) -> Iterator[None]:
    """Write for something else than this terminal, so many columns wide."""
    global _elsewhere
    _elsewhere = wide
    try:
        yield
    finally:
        _elsewhere = 0


def columns() -> int:
    """Return the columns that text may take: those of the terminal, or of COLUMNS, else 80."""
    if _elsewhere:
        return _elsewhere
    columns = os.environ.get("COLUMNS", "")
    if columns.isdecimal() and int(columns):
        wide = int(columns)
    else:
        try:
            wide = os.get_terminal_size(sys.__stdout__.fileno()).columns if sys.__stdout__ else 0
        except (OSError, ValueError):
            wide = 0
    return min(max(wide or _WIDTH, _LEAST_WIDTH), _MOST_WIDTH)


def colour_wanted() -> bool:
    """Tell whether standard output is a terminal that wants colour (no-color.org)."""
    if sys.stdout is None or not sys.stdout.isatty():
        return False
    if sys.platform == "win32" and not (os.environ.get("WT_SESSION") or os.environ.get("TERM")):
        # An older console there would show the paint itself.
        return False
    return not os.environ.get("NO_COLOR") and os.environ.get("TERM") != "dumb"


class SheetPart(NamedTuple):
    """A piece of a sheet: what kind it is, where it goes, and its words."""

    kind: str
    section: int
    first: str
    second: str = ""
    third: str = ""


# What a sheet begins with, whatever order its pieces come in: what to do, then why, then the rest.
_ACT, _VERDICT, _BODY, _NEXT = range(4)


class Sheet:
    """Collects what a command has to say: the number to type first, why, then what it rests on.

    ``why`` makes it the long form, with its details.

    >>> sheet = Sheet("E-steps of heron")
    >>> sheet.row("moved", "144.90 ± 0.46 mm", "3 runs")
    >>> sheet.detail("± from", "runs 1.1 steps/mm")
    >>> sheet.verdict("correct", "moved 5.1 mm too little")
    >>> sheet.act("type", "426.50 steps/mm", "the e-steps, in the printer")
    >>> print(sheet.text(colour=False))
    E-steps of heron
    ==> type 426.50 steps/mm   the e-steps, in the printer
    <BLANKLINE>
      CORRECT   moved 5.1 mm too little
    <BLANKLINE>
      moved     144.90 ± 0.46 mm  3 runs
    """

    def __init__(self, title: str, why: bool = False) -> None:
        self.title = title
        self.has_next = False
        self._why = why
        self._parts: list[SheetPart] = []

    def row(self, label: str, value: str, remark: str = "") -> None:
        """Add an aligned ``label value remark``."""
        self._parts.append(SheetPart("row", _BODY, label, value, remark))

    def detail(self, label: str, value: str, remark: str = "") -> None:
        """Add a row that only the long form has."""
        if self._why:
            self.row(label, value, remark)

    def verdict(self, name: VerdictName, reason: str) -> None:
        """Add the verdict, the one thing that may carry colour."""
        self._parts.append(SheetPart("verdict", _VERDICT, name, reason))

    def judged(self, verdict: Verdict, notes: Sequence[str] = ()) -> None:
        """Add a verdict, what would settle it or what to look at, and the notes."""
        self.verdict(verdict.name, verdict.reason)
        if verdict.name == "recheck":
            self.act("type", "nothing", "look at what is below first, then measure again")
        mark = "settle by" if verdict.name == "unclear" else "look at"
        said = [*((mark, remedy) for remedy in verdict.remedies), *(("note", n) for n in notes)]
        self._parts += [SheetPart("note", _VERDICT, label, text) for label, text in said]

    def act(self, what: str, value: str, remark: str = "") -> None:
        """Add the value to type, set apart so that nobody takes it for a length."""
        self._parts.append(SheetPart("act", _ACT, f"{what} {value}", remark))

    def note(self, text: str, mark: str = "note") -> None:
        """Add a remark of its own, under a short word such as «note»."""
        self._parts.append(SheetPart("note", _BODY, mark, text))

    def lines(self, *lines: str) -> None:
        """Add lines as they are."""
        self._parts.extend(SheetPart("plain", _BODY, line) for line in lines)

    def details(self, *lines: str) -> None:
        """Add lines that only the long form has, apart from what stands before them."""
        if self._why and lines:
            self.gap()
            self.lines(*lines)

    def next(self, text: str, command: str = "") -> None:
        """Add what to do next, with its command on a line of its own to copy."""
        lines = [""] * self.has_next + wrapped(text, "Next: ", "  ")
        self.has_next = True
        self._end(*lines, *([f"  {command}"] if command else []))

    def otherwise(self, text: str, command: str) -> None:
        """Add what to do instead of that."""
        self._end(f"  {text}", f"  {command}")

    def _end(self, *lines: str) -> None:
        self._parts += [SheetPart("plain", _NEXT, line) for line in lines]

    def remark(self, text: str) -> None:
        """Add a sentence in the width of the sheet."""
        self.lines(*wrapped(text, "  ", "  "))

    def gap(self) -> None:
        """Add an empty line."""
        self.lines("")

    @property
    def parts(self) -> list[SheetPart]:
        """What it says in its order: what to do, why, the rest; without what is proposed next."""
        ordered = sorted(self._parts, key=lambda part: part.section)
        return [part for part in ordered if part.section != _NEXT]

    def text(self, colour: bool | None = None) -> str:
        """Return the sheet; ``colour`` is by default what the terminal wants."""
        coloured = colour_wanted() if colour is None else colour
        rows = [part for part in self._parts if part.kind == "row"]
        labels = max([8, *(len(part.first) for part in self._parts if part.kind in _LABELLED)])
        values = max([0, *(len(part.second) for part in rows if part.third)])
        acts = max([0, *(len(part.first) for part in self._parts if part.kind == "act")])
        out = wrapped(self.title, "", "  ")
        title, section = len(out), _ACT
        for part in sorted(self._parts, key=lambda part: part.section):
            first, second, third = (unpainted(words) for words in part[2:])
            if part.section != section:
                section = part.section
                apart = section == _NEXT or len(out) > title
                out += [""] * apart
            if part.kind == "row":
                lead = f"  {first:<{labels}}  {second:<{values if third else 0}}"
                out += wrapped(third, f"{lead}  " if third else lead, " " * (labels + values + 6))
            elif part.kind == "verdict":
                word = f"{first.upper():<{labels}}"
                lines = wrapped(second, f"  {word}  ", " " * (labels + 4))
                if coloured:
                    painted = f"\033[1;{_COLOURS[first]}m{word}\033[0m"
                    lines[0] = lines[0].replace(word, painted, 1)
                out += lines
            elif part.kind == "act":
                lead = f"==> {first:<{acts}}   " if second else f"==> {first}"
                out += wrapped(second, lead, " " * len(lead))
            elif part.kind == "note":
                out += wrapped(second, f"  {first:<{labels}}  ", " " * (labels + 4))
            else:
                out.append(first)
        text = "\n".join(line.rstrip() for line in out).rstrip()
        while "\n\n\n" in text:
            text = text.replace("\n\n\n", "\n\n")
        return text


def wrapped(text: str, lead: str, indent: str) -> list[str]:
    """Return ``lead + text`` in lines of the sheet's width, the later ones indented."""
    if not text:
        return [lead.rstrip()]
    wide = columns()
    room = wide - len(lead)
    if len(text) <= room:
        return [lead + text]
    if room < _NARROWEST:
        # No room beside so long a lead: the text goes below it.
        below = indent[: wide // 4]
        return [lead.rstrip(), *wrapped(text, below, below)]
    import textwrap

    for unit in _UNITS:
        text = text.replace(f" {unit}", f"\u00a0{unit}")
    lines = textwrap.wrap(
        text,
        wide,
        initial_indent=lead,
        subsequent_indent=indent,
        break_long_words=False,
        break_on_hyphens=False,
    )
    return [line.replace("\u00a0", " ") for line in lines]


def table(
    header: tuple[str, ...],
    rows: Sequence[tuple[str, ...]],
    right: tuple[int, ...] = (),
    margin: int = MARGIN,
) -> list[str]:
    """Return aligned lines, ``margin`` from the left; columns in ``right`` end alike.

    Where there is no room for that, each row is told in words, its header left empty.
    """
    widths = [max(len(row[i]) for row in (header, *rows)) for i in range(len(header))]
    if margin + sum(widths) + 2 * (len(widths) - 1) > columns():
        return ["", *(_told(header, row) for row in rows)]
    lines = []
    for row in (header, *rows):
        cells = [
            cell.rjust(width) if i in right else cell.ljust(width)
            for i, (cell, width) in enumerate(zip(row, widths, strict=True))
        ]
        lines.append(" " * margin + "  ".join(cells).rstrip())
    return lines


def _told(header: tuple[str, ...], row: tuple[str, ...]) -> str:
    """Return a row of a table as words: 15: date 29 Nov, test proof, measured 0.506."""
    cells = [
        f"{head} {cell}".strip() for head, cell in zip(header[1:], row[1:], strict=True) if cell
    ]
    return "\n".join(wrapped(f"{row[0]}: {', '.join(cells)}", "  ", "    "))


def fitted(
    rows: Sequence[tuple[str, ...]],
    header: tuple[str, ...],
    names: tuple[int, ...],
    longest: int = _LONGEST_NAME,
    margin: int = 0,
) -> list[tuple[str, ...]]:
    """Shorten names until every row has room: the longest first, those of ``names`` in turn."""
    widths = [max(len(row[i]) for row in (*rows, header)) for i in range(len(header))]
    most = dict.fromkeys(names, longest)
    while True:
        shown = [min(width, most.get(i, width)) for i, width in enumerate(widths)]
        room = columns() - margin - 2 * (len(shown) - 1)
        if sum(shown) <= room:
            break
        if max(shown[i] for i in names) <= _SHORTEST_NAME:
            # There is no room for a table in any case: it is told in words.
            most = dict.fromkeys(names, longest)
            break
        widest = max(names, key=lambda i: shown[i])
        most[widest] = shown[widest] - 1
    return [
        tuple(_short(cell, most.get(i, len(cell))) for i, cell in enumerate(row)) for row in rows
    ]


def listing(
    header: tuple[str, ...], rows: Sequence[tuple[str, ...]], names: tuple[int, ...]
) -> str:
    """Return a table whose names are as long as there is room for."""
    if not rows:
        return ""
    return "\n".join(table(header, fitted(rows, header, names, columns(), MARGIN)))


def _short(name: str, longest: int) -> str:
    return name if len(name) <= longest else f"{name[: longest - 1]}…"
