"""Words of G-code, and lines of them.

A sliced file has millions of numbers, and reading them one by one takes minutes. So the digits are
found in the bytes themselves, and eight of them at a time are turned into a number by three
multiplications (Lemire, Number Parsing at a Gigabyte per Second, Software: Practice and
Experience 51, 2021).
"""

import re
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from metier.core.errors import BadInput

_EIGHT = 8
_BRACKETS = re.compile(rb"\([^)\n]*\)?")
_SPACE, _PLUS, _MINUS, _DOT, _NEWLINE = 32, 43, 45, 46, 10
_COMMENT, _CHECKSUM, _TAB, _SMALL_E = 59, 42, 9, 101
# More between a letter and its number than anybody writes.
_MOST_BLANKS = 64
_TENTHS = 10.0 ** -np.arange(_EIGHT + 1)
_IDLE_BITS = 8 * np.arange(_EIGHT, -1, -1, dtype=np.uint64)


class Words(NamedTuple):
    """Words in the order of the text: the line each is on, its capital letter, its number, and
    whether only blanks stand before it on its line."""

    line: NDArray[np.intp]
    letter: NDArray[np.uint8]
    value: NDArray[np.float64]
    leads: NDArray[np.bool_]
    lines: int


def words_of(text: bytes) -> Words:
    """Return the words of whole lines; comments of both kinds, and what is no word, are left out.

    Raises:
        BadInput: a number with an exponent, or one so far from its letter that neither is meant.

    >>> found = words_of(b"G1 X-1.5 Y.25 ; X9\\n(X8) E 2\\n")
    >>> bytes(found.letter), found.value.tolist(), found.line.tolist()
    (b'GXYE', [1.0, -1.5, 0.25, 2.0], [0, 0, 0, 1])
    """
    if b"(" in text:
        text = _BRACKETS.sub(lambda match: b" " * len(match[0]), text)
    # Room for looking eight bytes back, and one ahead.
    data = np.frombuffer(b"\n" * _EIGHT + text + b"\n", np.uint8)
    newlines = np.flatnonzero(data == _NEWLINE)[_EIGHT:]
    lines = len(newlines) - text.endswith(b"\n")
    edges = _digit_edges(data)
    first, last = edges[::2] + 1, edges[1::2]
    if not len(first):
        none = np.zeros(0, np.intp)
        return Words(none, np.zeros(0, np.uint8), np.zeros(0), np.zeros(0, np.bool_), lines)
    fraction = data.take(edges[::2], mode="clip") == _DOT
    number = _numbers(data, first, last, fraction)
    # A run of digits after a dot is the fraction of the run before that dot, if there is one.
    attached = np.zeros(len(first) + 1, bool)
    np.logical_and(fraction[1:], last[:-1] == first[1:] - 2, out=attached[1:-1])
    number[:-1] += number[1:] * attached[1:-1]
    # Picking by place is several times as fast as picking by truth.
    head = np.flatnonzero(~attached[:-1])
    value = number.take(head, mode="clip")
    first -= 1
    first -= fraction
    at = first.take(head, mode="clip")
    letter = data.take(at, mode="clip")
    minus = letter == _MINUS
    np.negative(value, out=value, where=minus)
    signed = minus | (letter == _PLUS)
    if signed.any():
        at -= signed
        letter = data.take(at, mode="clip")
    apart = (letter == _SPACE) | (letter == _TAB)
    for _ in range(_MOST_BLANKS):
        if not apart.any():
            break
        at -= apart
        letter = data.take(at, mode="clip")
        apart = (letter == _SPACE) | (letter == _TAB)
    exponents = _exponents(data, at, letter) | apart
    letter &= 0xDF  # to a capital
    begins = np.searchsorted(at, newlines)
    # What stands behind the last newline is the padding's.
    count = int(begins[-1])
    line = np.repeat(np.arange(len(newlines)), np.diff(begins, prepend=0))
    comments = _comment_starts(data, newlines)
    said = np.ones(count, np.bool_)
    if comments is not None:
        said = at[:count] < comments.take(line, mode="clip")
    odd = np.flatnonzero(exponents[:count] & said)
    if len(odd):
        line_begin = int(newlines[line[odd[0]]])
        begin = int(newlines[line[odd[0]] - 1]) + 1 if line[odd[0]] else _EIGHT
        shown = data[begin:line_begin].tobytes().decode("utf-8", "replace").strip()[:60]
        raise BadInput(f"«{shown}» is no line of G-code: a number with an exponent or far off")
    kept = np.flatnonzero(((letter[:count] - np.uint8(ord("A"))) < 26) & said)
    leads = _leading(data, at.take(kept))
    return Words(line.take(kept), letter.take(kept), value.take(kept), leads, lines)


def _exponents(
    data: NDArray[np.uint8], at: NDArray[np.intp], letter: NDArray[np.uint8]
) -> NDArray[np.bool_]:
    """Tell which letters are the e of an exponent, as in 1.2e-05: small, right behind a digit.

    A capital there is the word that says how much is fed, where no blanks are written.
    """
    before = data.take(at - 1, mode="clip")
    digit = (before - np.uint8(48)) < 10
    array: NDArray[np.bool_] = (letter == _SMALL_E) & (digit | (before == _DOT))
    return array


def _leading(data: NDArray[np.uint8], at: NDArray[np.intp]) -> NDArray[np.bool_]:
    """Tell which places have nothing but blanks before them on their line."""
    before = at - 1
    for _ in range(_MOST_BLANKS):
        byte = data.take(before, mode="clip")
        blank = (byte == _SPACE) | (byte == _TAB)
        if not blank.any():
            break
        before = before - blank
    array: NDArray[np.bool_] = data.take(before, mode="clip") == _NEWLINE
    return array


def _digit_edges(data: NDArray[np.uint8]) -> NDArray[np.intp]:
    """Return the places before each run of digits, and of their last digits, in turn."""
    digit = (data - np.uint8(48)) < 10
    return np.flatnonzero(digit[1:] != digit[:-1])


def _numbers(
    data: NDArray[np.uint8],
    first: NDArray[np.intp],
    last: NDArray[np.intp],
    fraction: NDArray[np.bool_],
) -> NDArray[np.float64]:
    """Return each run as a number; of a fraction longer than eight digits the first eight."""
    count = last - first
    count += 1
    long = np.flatnonzero(count > _EIGHT)
    if len(long):
        last = np.where(fraction & (count > _EIGHT), first + (_EIGHT - 1), last)
    windows = np.ndarray((len(data) - _EIGHT + 1,), "<u8", buffer=data, strides=(1,))
    eight = windows.take(last - (_EIGHT - 1), mode="clip")
    np.minimum(count, _EIGHT, out=count)
    # The bytes before the run are noughts: they are the lowest of the eight.
    idle = _IDLE_BITS.take(count, mode="clip")
    eight &= np.uint64(0x0F0F0F0F0F0F0F0F)
    eight >>= idle
    eight <<= idle
    eight *= np.uint64(2561)
    eight >>= np.uint64(8)
    eight &= np.uint64(0x00FF00FF00FF00FF)
    eight *= np.uint64(6553601)
    eight >>= np.uint64(16)
    eight &= np.uint64(0x0000FFFF0000FFFF)
    eight *= np.uint64(42949672960001)
    eight >>= np.uint64(32)
    number = eight.astype(np.float64)
    for place in long:
        # A whole number longer than any length on a bed: rare enough for the slow way.
        if not fraction[place]:
            number[place] = float(data[first[place] : last[place] + 1].tobytes()[:300])
    count *= fraction
    number *= _TENTHS.take(count, mode="clip")
    return number


def _comment_starts(data: NDArray[np.uint8], newlines: NDArray[np.intp]) -> NDArray[np.intp] | None:
    """Return where the comment of each line begins, or the line's end; None where none does."""
    at = np.flatnonzero((data == _COMMENT) | (data == _CHECKSUM))
    if not len(at):
        return None
    starts = newlines.copy()
    np.minimum.at(starts, np.searchsorted(newlines, at), at)
    return starts


# Words are taken from pieces that stay in the processor's cache.
PIECE_BYTES = 512_000
# A command is its number, of M and T so much higher.
M, T = 1000, 2000
# In mm, or mm a minute: beyond any bed, spool and speed.
_FARTHEST = 1e8
_EVENTS = (20, 21, 28, 90, 91, 92, M + 82, M + 83, M + 200, M + 204, M + 205,
           M + 220, M + 221)  # fmt: skip


class Piece(NamedTuple):
    """A piece of the text, told apart line by line, before anybody knows what holds there.

    ``rows`` are the lines that move or name a place, ``given`` what each of them says of X, Y, Z,
    E, F and, where there are arcs, I, J, R; NaN where nothing. ``events`` are the lines that
    change what holds, and only for them the words are kept. ``whole`` tells that the last line has
    its end.
    """

    words: Words | None
    events: NDArray[np.intp]
    code: NDArray[np.intp]
    rows: NDArray[np.intp]
    given: dict[str, NDArray[np.float64]]
    whole: bool

    def without_last_line(self) -> "Piece":
        """Return it without a line that was cut off."""
        code = self.code.copy()
        code[-1] = -1
        given = {letter: column[:-1] for letter, column in self.given.items()}
        return self._replace(code=code, rows=self.rows[:-1], given=given)


def piece_of(text: bytes) -> Piece:
    """Tell the lines of a piece of text apart."""
    words = words_of(text)
    code = _codes(words)
    rows = np.flatnonzero(((code >= 0) & (code <= 3)) | (code == 92) | (code == 28))
    row_of = np.full(len(code), -1)
    row_of[rows] = np.arange(len(rows))
    arcs = np.any((code == 2) | (code == 3))
    given = {
        letter: _column(words, row_of, letter, len(rows)) for letter in "XYZEF" + "IJR" * bool(arcs)
    }
    events = np.flatnonzero((code >= 20) & (np.isin(code, _EVENTS) | (code >= T)))
    return Piece(words if len(events) else None, events, code, rows, given, text.endswith(b"\n"))


def pieces_of(chunk: bytes) -> list[bytes]:
    """Return whole lines in pieces that stay in the processor's cache."""
    pieces = []
    begin = 0
    while begin < len(chunk):
        end = chunk.rfind(b"\n", begin, begin + PIECE_BYTES) + 1
        if not end:
            end = chunk.find(b"\n", begin) + 1 or len(chunk)
        pieces.append(chunk[begin:end])
        begin = end
    return pieces


def _column(words: Words, row_of: NDArray[np.intp], letter: str, rows: int) -> NDArray[np.float64]:
    """Return the number that a letter has in each row, NaN where it is not given."""
    column = np.full(rows, np.nan)
    if not rows:
        return column
    at = np.flatnonzero(words.letter == ord(letter))
    on = row_of.take(words.line.take(at))
    if len(on) and on.min() < 0:
        inside = np.flatnonzero(on >= 0)
        on, at = on.take(inside), at.take(inside)
    twice = np.flatnonzero(on[1:] == on[:-1])
    if len(twice):
        values = words.value.take(at[twice[0] : twice[0] + 2])
        raise BadInput(
            f"a line says {letter} twice, {values[0]:g} and {values[1]:g}: that is no line of "
            "G-code"
        )
    value = words.value.take(at)
    if len(value) and np.abs(value).max() > _FARTHEST:
        far = float(value[np.abs(value).argmax()])
        raise BadInput(f"{letter}{far:g}: no printer has that")
    column[on] = value
    return column


def _codes(words: Words) -> NDArray[np.intp]:
    """Return the command of each line: G as it is, M from 1000, T from 2000; -1 for none."""
    code = np.full(words.lines, -1)
    letter = words.letter
    # A command begins its line, or follows its number: elsewhere it is a word in a message.
    begins = words.leads.copy()
    begins[1:] |= words.leads[:-1] & (letter[:-1] == ord("N")) & (words.line[1:] == words.line[:-1])
    named = (letter == ord("G")) | (letter == ord("M")) | (letter == ord("T"))
    at = np.flatnonzero(named & begins)
    offset = np.array([0, M, T])[((letter[at] >= ord("M")).astype(int) + (letter[at] >= ord("T")))]
    number = words.value[at]
    whole = number == np.floor(number)
    inside = whole & (number >= 0) & (number < M)
    code[words.line[at]] = np.where(inside, number, -1 - offset).astype(np.intp) + offset
    return code
