"""The lines of G-code, told apart: the command of each, and what it says of every axis."""

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from metier.core.refusal import Refusal
from metier.formats.gcode_words import Words, words_of

# Words are taken from pieces that stay in the processor's cache.
PIECE_BYTES = 512_000
# A command is its number, of M and T so much higher.
M, T = 1000, 2000
# In mm, or mm a minute: beyond any bed, spool and speed.
_FARTHEST = 1e8
_EVENTS = (20, 21, 28, 90, 91, 92, M + 82, M + 83, M + 204, M + 205)


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
        raise Refusal(
            f"a line says {letter} twice, {values[0]:g} and {values[1]:g}: that is no line of "
            "G-code"
        )
    value = words.value.take(at)
    if len(value) and np.abs(value).max() > _FARTHEST:
        far = float(value[np.abs(value).argmax()])
        raise Refusal(f"{letter}{far:g}: no printer has that")
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
