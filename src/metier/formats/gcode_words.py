"""The words of G-code, a letter and a number each, taken from a piece of text all at once.

A sliced file has millions of numbers, and reading them one by one takes minutes. So the digits are
found in the bytes themselves, and eight of them at a time are turned into a number by three
multiplications (Lemire, Number Parsing at a Gigabyte per Second, Software: Practice and
Experience 51, 2021).
"""

import re
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

_EIGHT = 8
_BRACKETS = re.compile(rb"\([^)\n]*\)?")
_SPACE, _PLUS, _MINUS, _DOT, _NEWLINE = 32, 43, 45, 46, 10
_COMMENT, _CHECKSUM = 59, 42
_TENTHS = 10.0 ** -np.arange(_EIGHT + 1)
_IDLE_BITS = 8 * np.arange(_EIGHT, -1, -1, dtype=np.uint64)


class Words(NamedTuple):
    """Words in the order of the text: the line each is on, its capital letter, its number."""

    line: NDArray[np.intp]
    letter: NDArray[np.uint8]
    value: NDArray[np.float64]
    lines: int


def words_of(text: bytes) -> Words:
    """Return the words of whole lines; comments of both kinds, and what is no word, are left out.

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
        return Words(np.zeros(0, np.intp), np.zeros(0, np.uint8), np.zeros(0), lines)
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
    apart = letter == _SPACE
    if apart.any():
        at -= apart
        letter = data.take(at, mode="clip")
    letter &= 0xDF  # to a capital
    begins = np.searchsorted(at, newlines)
    # What stands behind the last newline is the padding's.
    count = int(begins[-1])
    line = np.repeat(np.arange(len(newlines)), np.diff(begins, prepend=0))
    known = (letter[:count] - np.uint8(ord("A"))) < 26
    comments = _comment_starts(data, newlines)
    if comments is not None:
        known &= at[:count] < comments.take(line, mode="clip")
    if known.all():
        return Words(line, letter[:count], value[:count], lines)
    kept = np.flatnonzero(known)
    return Words(line.take(kept), letter.take(kept), value.take(kept), lines)


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
