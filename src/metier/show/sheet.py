"""A sheet of text as wide as the terminal, words from outside cleaned for it.

Names, notes, paths and what stands in files may hold characters that steer a terminal, turn the
direction of what is read, or go on without end. They are shown as what they are not: harmless.
"""

import os
import re
import sys
from collections.abc import Sequence

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


WIDTH = 80
# Tables stand in so far.
MARGIN = 2
# Text narrower than this is hard to read.
_NARROWEST = 24
# Names are cut to no less than this where a row of a table needs the room.
_LONGEST_NAME, _SHORTEST_NAME = 12, 5
# A number and its unit stay on one line.
_UNITS = ("%", "mm", "°C", "steps/mm")
_COLOURS = {"keep": "32", "correct": "33", "unclear": "36", "recheck": "31"}


def colour_wanted() -> bool:
    """Tell whether standard output is a terminal that wants colour (no-color.org)."""
    if sys.stdout is None or not sys.stdout.isatty():
        return False
    return not os.environ.get("NO_COLOR") and os.environ.get("TERM") != "dumb"


class Sheet:
    """Collects what a command has to say and lays it out in 80 columns.

    >>> sheet = Sheet("E-steps of heron")
    >>> sheet.row("moved", "144.90 ± 0.46 mm", "3 runs")
    >>> sheet.verdict("correct", "moved 5.1 mm too little")
    >>> print(sheet.text(colour=False))
    E-steps of heron
      moved     144.90 ± 0.46 mm  3 runs
      CORRECT   moved 5.1 mm too little
    """

    def __init__(self, title: str) -> None:
        self.title = title
        self.has_next = False
        self._parts: list[tuple[str, str, str, str]] = []

    def row(self, label: str, value: str, remark: str = "") -> None:
        """Add an aligned ``label value remark``."""
        self._parts.append(("row", label, value, remark))

    def verdict(self, name: VerdictName, reason: str) -> None:
        """Add the verdict, the one thing that may carry colour."""
        self._parts.append(("verdict", name, reason, ""))

    def judged(self, verdict: Verdict, notes: Sequence[str] = ()) -> None:
        """Add a verdict, what would settle it or what to look at, and the notes."""
        self.verdict(verdict.name, verdict.reason)
        for remedy in verdict.remedies:
            self.note(remedy, "settle by" if verdict.name == "unclear" else "look at")
        for note in notes:
            self.note(note)

    def act(self, what: str, value: str, remark: str = "") -> None:
        """Add the value to type, set apart so that nobody takes it for a length."""
        self._parts.append(("act", what, value, remark))

    def note(self, text: str, mark: str = "note") -> None:
        """Add a remark of its own, under a short word such as «note»."""
        self._parts.append(("note", mark, text, ""))

    def lines(self, *lines: str) -> None:
        """Add lines as they are."""
        self._parts.extend(("plain", line, "", "") for line in lines)

    def next(self, text: str, command: str = "") -> None:
        """Add what to do next, with its command on a line of its own to copy."""
        self.has_next = True
        self.gap()
        self._parts += [("plain", line, "", "") for line in wrapped(text, "Next: ", "  ")]
        if command:
            self._parts.append(("plain", f"  {command}", "", ""))

    def remark(self, text: str) -> None:
        """Add a sentence in the width of the sheet."""
        self._parts += [("plain", line, "", "") for line in wrapped(text, "  ", "  ")]

    def gap(self) -> None:
        """Add an empty line."""
        self._parts.append(("plain", "", "", ""))

    def text(self, colour: bool | None = None) -> str:
        """Return the sheet; ``colour`` is by default what the terminal wants."""
        coloured = colour_wanted() if colour is None else colour
        rows = [part for part in self._parts if part[0] == "row"]
        labelled = [part for part in self._parts if part[0] in ("row", "note")]
        labels = max([8, *(len(label) for _, label, _, _ in labelled)])
        values = max([0, *(len(value) for _, _, value, remark in rows if remark)])
        out = wrapped(self.title, "", "  ")
        for part in self._parts:
            kind, first, second, third = (unpainted(words) for words in part)
            if kind == "row":
                lead = f"  {first:<{labels}}  {second:<{values if third else 0}}"
                out += wrapped(third, f"{lead}  " if third else lead, " " * (labels + values + 6))
            elif kind == "verdict":
                word = f"{first.upper():<{labels}}"
                lines = wrapped(second, f"  {word}  ", " " * (labels + 4))
                if coloured:
                    painted = f"\033[1;{_COLOURS[first]}m{word}\033[0m"
                    lines[0] = lines[0].replace(word, painted, 1)
                out += lines
            elif kind == "act":
                out += ["", f"    ==>  {first}  {second}", ""]
                if third:
                    out[-1:] = [*wrapped(third, "         ", "         "), ""]
            elif kind == "note":
                out += wrapped(second, f"  {first:<{labels}}  ", " " * (labels + 4))
            else:
                out.append(first)
        text = "\n".join(line.rstrip() for line in out).rstrip()
        while "\n\n\n" in text:
            text = text.replace("\n\n\n", "\n\n")
        return text


def wrapped(text: str, lead: str, indent: str) -> list[str]:
    """Return ``lead + text`` in lines of at most 80 columns, the later ones indented."""
    if not text:
        return [lead.rstrip()]
    room = WIDTH - len(lead)
    if len(text) <= room:
        return [lead + text]
    if room < _NARROWEST:
        # No room beside so long a lead: the text goes below it.
        below = indent[: WIDTH // 4]
        return [lead.rstrip(), *wrapped(text, below, below)]
    import textwrap

    for unit in _UNITS:
        text = text.replace(f" {unit}", f"\u00a0{unit}")
    lines = textwrap.wrap(
        text,
        WIDTH,
        initial_indent=lead,
        subsequent_indent=indent,
        break_long_words=False,
        break_on_hyphens=False,
    )
    return [line.replace("\u00a0", " ") for line in lines]


def table(
    header: tuple[str, ...], rows: Sequence[tuple[str, ...]], right: tuple[int, ...] = ()
) -> list[str]:
    """Return aligned lines; columns whose number is in ``right`` end alike."""
    widths = [max(len(row[i]) for row in (header, *rows)) for i in range(len(header))]
    lines = []
    for row in (header, *rows):
        cells = [
            cell.rjust(width) if i in right else cell.ljust(width)
            for i, (cell, width) in enumerate(zip(row, widths, strict=True))
        ]
        lines.append("  " + "  ".join(cells).rstrip())
    return lines


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
        room = WIDTH - margin - 2 * (len(shown) - 1)
        if sum(shown) <= room or max(shown[i] for i in names) <= _SHORTEST_NAME:
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
    return "\n".join(table(header, fitted(rows, header, names, WIDTH, MARGIN)))


def _short(name: str, longest: int) -> str:
    return name if len(name) <= longest else f"{name[: longest - 1]}…"
