"""A sliced file as moves, and what it says of itself.

Linear moves and arcs, absolute and relative, millimetres and inches; positions are those that the
file counts in. M82 and M83 decide about E where they are said, else G90 and G91 do.
"""

import os
import re
import zlib
from collections.abc import Callable, Iterable, Iterator
from concurrent.futures import ThreadPoolExecutor
from contextlib import suppress
from typing import IO, Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from metier.bar import progress_bar
from metier.core.errors import BadInput
from metier.core.job.moves import JUMP, PRINT, Moves, kinds_of
from metier.formats.gcode_modes import TOO_MANY_MOVES, Held, Modes, with_chords
from metier.formats.gcode_words import Piece, piece_of, pieces_of

CHUNK_BYTES = 8_000_000
_LONGEST_LINE_BYTES = 1_000_000
# More text, or more moves, than a job has that fits a bed; and than fits 1.5 GB of memory.
_MOST_BYTES = 1_000_000_000
MOST_MOVES = 5_000_000
_WORKERS = 2
_PACKED = b"\x1f\x8b"
# Where slicers write what they were told: in the first lines, or in the last.
_END_BYTES = 1_000_000
_CORNERS = re.compile(rb"^[ \t]*M205\b[^;\n]*?X[ \t]*(\d+(?:\.\d+)?)", re.MULTILINE)
_NUMBERS = re.compile(
    rb";[ \t]*(line[ _]width|line[ _]distance|layer[ _]height|flow|filament[ _]diameter)"
    rb"[ \t]*[:=]?[ \t]*(\d+(?:\.\d+)?)(?:[ \t]*(?:mm|%))?[ \t]*\r?$",
    re.IGNORECASE | re.MULTILINE,
)


class Said(NamedTuple):
    """What a sliced file says beside its moves.

    ``cut_off`` tells that it ends in the middle of a move, which is left out. ``cornering_mm_s``
    is the change of speed at corners that it sets (M205 X). ``numbers`` are those that comments
    give under their plain names: line width and distance, layer height, flow, filament diameter.
    ``heads`` are the tool heads that print, ``accelerates`` tells that it sets accelerations.
    """

    cut_off: bool
    cornering_mm_s: float | None
    numbers: dict[str, float]
    heads: tuple[int, ...] = ()
    accelerates: bool = False


class Sliced(NamedTuple):
    """A sliced file: its moves, and what else it says."""

    moves: Moves
    said: Said


Progress = Callable[[int, int], None]
Take = Callable[[Moves], None]


def read_gcode(path: str, progress: Progress | None = None) -> Sliced:
    """Read a sliced file, packed by gzip or not, in one pass.

    ``progress`` is told how many bytes of how many were read.

    Raises:
        BadInput: not to be read, empty, binary, no G-code, nothing printed, or too many moves.
    """
    state = _State()
    said = _read(path, state, progress, None)
    return Sliced(state.moves(), said)


def stream_gcode(path: str, take: Take, progress: Progress | None = None) -> Said:
    """Read a sliced file of any length, handing its moves on part by part; the first entry of each
    is where the part before ended.

    Raises:
        BadInput: as `read_gcode`.
    """
    return _read(path, _State(), progress, take)


def said_at_ends(path: str) -> Said:
    """Return what a file says in its first lines and its last, for whoever has to know it before
    the moves; nothing where it cannot be read."""
    text = b""
    with suppress(OSError, zlib.error), open(path, "rb") as file:
        text = file.read(_END_BYTES)
        if text.startswith(_PACKED):
            text = zlib.decompressobj(wbits=31).decompress(text, _END_BYTES)
        else:
            file.seek(max(file.tell(), os.fstat(file.fileno()).st_size - _END_BYTES))
            text += b"\n" + file.read(_END_BYTES)
    corners = _CORNERS.findall(text)
    return Said(False, float(corners[-1]) if corners else None, _numbers_in(text))


def _read(path: str, state: "_State", progress: Progress | None, take: Take | None) -> Said:
    numbers: dict[str, float] = {}
    read = 0
    try:
        with open(path, "rb") as file, ThreadPoolExecutor(_WORKERS) as workers:
            total = os.fstat(file.fileno()).st_size
            packed = file.read(2) == _PACKED
            file.seek(0)
            source = _unpacked(file, state) if packed else iter(lambda: file.read(CHUNK_BYTES), b"")
            pieces: Iterable[Piece] = ()
            for chunk in _whole_lines(source):
                if b"\0" in chunk:
                    raise BadInput(f"{path} is binary, no plain G-code: export it as text")
                if not read or len(chunk) < CHUNK_BYTES:
                    numbers.update(_numbers_in(chunk))
                read += len(chunk)
                if read > _MOST_BYTES:
                    raise BadInput(
                        f"{path} holds more than {_MOST_BYTES // 1_000_000_000} GB of text: that "
                        "is too much for one job"
                    )
                # Most of this is done outside of the interpreter's lock: two pieces at a time, and
                # those of the next chunk while what this one holds is taken.
                ahead, pieces = pieces, workers.map(piece_of, pieces_of(chunk))
                state.take_all(ahead, take)
                if progress:
                    progress(file.tell(), total)
            state.take_all(pieces, take)
    except OSError as error:
        raise BadInput(f"cannot read {path}: {error.strerror or error}") from None
    except zlib.error:
        raise BadInput(f"{path}: what gzip packed is damaged") from None
    if not read and not state.cut_off:
        raise BadInput(f"{path} is empty")
    if not state.commands:
        raise BadInput(f"{path} is no G-code: no command such as G1 is in it")
    if not state.prints:
        raise BadInput(f"{path} prints nothing: no move in it extrudes")
    heads = tuple(sorted(state.heads))
    return Said(state.cut_off, state.held.cornering_mm_s, numbers, heads, state.accelerates)


def _unpacked(file: IO[bytes], state: "_State") -> Iterator[bytes]:
    """Return what gzip packed, as far as it goes, chunk by chunk."""
    unpack = zlib.decompressobj(wbits=31)
    packed = b""
    while True:
        packed = packed or file.read(CHUNK_BYTES // 8)
        if not packed:
            state.cut_off = not unpack.eof
            return
        if unpack.eof:
            # Several packed files in a row are one.
            unpack = zlib.decompressobj(wbits=31)
        chunk = unpack.decompress(packed, CHUNK_BYTES)
        packed = unpack.unused_data if unpack.eof else unpack.unconsumed_tail
        if chunk:
            yield chunk


def _whole_lines(source: Iterator[bytes]) -> Iterator[bytes]:
    """Return the text in chunks of whole lines, whatever ends the lines."""
    rest = b""
    for chunk in source:
        if b"\r" in chunk:
            chunk = chunk.replace(b"\r", b"\n")
        end = chunk.rfind(b"\n") + 1
        if not end:
            rest += chunk
            if len(rest) > _LONGEST_LINE_BYTES:
                raise BadInput("a line without an end: that is no G-code")
            continue
        yield rest + chunk[:end]
        rest = chunk[end:]
    if rest:
        yield rest


def _numbers_in(chunk: bytes) -> dict[str, float]:
    return {
        match[1].decode().lower().replace("_", " "): float(match[2])
        for match in _NUMBERS.finditer(chunk)
    }


class _State:
    """What carries over from line to line, and the moves so far."""

    def __init__(self) -> None:
        self.position = [0.0, 0.0, 0.0]
        self.e = 0.0
        self.feed = 0.0
        self.held = Held()
        self.cut_off = False
        self.commands = 0
        self.prints = self.accelerates = False
        self.heads: set[int] = set()
        self._begin()

    def _begin(self) -> None:
        """Begin with no moves but the place where they start."""
        self._count = 0
        start = [np.full(1, at) for at in (*self.position, 0.0, 0.0)]
        self._parts: list[list[NDArray[Any]]] = [
            *([column] for column in start),
            [np.full(1, np.nan, np.float32)],
            [np.full(1, JUMP, np.uint8)],
            [np.zeros(1, np.uint8)],
        ]

    def hand_over(self) -> Moves:
        """Return the moves so far, and begin anew where they end."""
        moves = self.moves()
        self._begin()
        return moves

    def moves(self) -> Moves:
        """Return all moves; the parts are let go column by column."""
        columns = []
        for part in self._parts:
            columns.append(np.concatenate(part))
            part.clear()
        return Moves(*columns)

    def take_all(self, pieces: Iterable[Piece], take: Take | None) -> None:
        """Take pieces in their order, and hand their moves on where somebody takes them."""
        for piece in pieces:
            self.take(piece)
        if take and self._count:
            take(self.hand_over())

    def take(self, piece: Piece) -> None:
        """Take the lines of a piece in their order."""
        code = piece.code
        if not piece.whole and len(code) and 0 <= code[-1] <= 3:
            self.cut_off = True
            piece = piece.without_last_line()
            code = piece.code
        self.commands += int(np.count_nonzero(code >= 0))
        modes = self.held.by_line(piece.words, code, piece.events) if piece.words else None
        if len(piece.rows):
            self._stretch(piece, modes)

    def _stretch(self, piece: Piece, modes: Modes | None) -> None:
        """Turn the motion lines into moves; where modes change among them, line by line."""
        rows = piece.rows
        code = piece.code[rows]
        named = (code == 92) | (code == 28)
        scale = modes.scale[rows] if modes else self.held.scale
        given = piece.given
        if modes or self.held.scale != 1.0:
            given = {letter: column * scale for letter, column in given.items()}
        jumps = named if modes else None
        if jumps is not None and np.any(code == 28):
            _home(given, code == 28)
        starts = list(self.position)
        ends = []
        for place, letter in enumerate("XYZ"):
            relative = (modes.relative[rows] & ~named) if modes else self.held.relative
            end = _resolved(given[letter], starts[place], relative)
            self.position[place] = float(end[-1])
            ends.append(end)
        relative_e = (modes.relative_e[rows] & ~named) if modes else self.held.e_is_relative
        if relative_e is True:
            e = np.nan_to_num(given["E"], copy=False)
            self.e += float(e.sum())
        else:
            reached = _resolved(given["E"], self.e, relative_e)
            e = np.diff(reached, prepend=self.e)
            self.e = float(reached[-1])
        given["F"] /= 60
        feed = _resolved(given["F"], self.feed, False)
        self.feed = float(feed[-1])
        before = [np.concatenate(([starts[i]], ends[i][:-1])) for i in range(3)]
        dx, dy = ends[0] - before[0], ends[1] - before[1]
        kind = kinds_of(dx, dy, e)
        moved = (dx != 0) | (dy != 0) | (ends[2] != before[2]) | (e != 0)
        if jumps is not None:
            e[jumps] = 0.0
            kind[jumps] = JUMP
        columns: list[NDArray[Any]] = [
            *ends,
            e,
            feed,
            modes.acceleration[rows]
            if modes
            else np.full(len(rows), self.held.acceleration, np.float32),
            kind,
            modes.tool[rows] if modes else np.full(len(rows), self.held.tool, np.uint8),
        ]
        if "I" in given:
            # A whole turn ends where it began, and yet it prints.
            kind[((code == 2) | (code == 3)) & (e > 0)] = PRINT
            columns, moved = with_chords(
                columns, before, code, given, moved, MOST_MOVES - self._count
            )
        e, acceleration, kind, tool = columns[3], columns[5], columns[6], columns[7]
        self.prints = self.prints or bool((kind == PRINT).any())
        self.accelerates = self.accelerates or bool((acceleration > 0).any())
        self.heads.update(int(head) for head in np.unique(tool[e > 0]))
        kept = np.flatnonzero(moved)
        self._count += len(kept)
        if self._count > MOST_MOVES:
            raise BadInput(TOO_MANY_MOVES)
        for part, column in zip(self._parts, columns, strict=True):
            part.append(column if len(kept) == len(column) else column.take(kept))


def _home(given: dict[str, NDArray[np.float64]], homed: NDArray[np.bool_]) -> None:
    """Homing names the place 0, of the axes it names or of all."""
    named = [homed & ~np.isnan(given[letter]) for letter in "XYZ"]
    alone = homed & ~(named[0] | named[1] | named[2])
    for letter, mine in zip("XYZ", named, strict=True):
        given[letter][mine | alone] = 0.0
    given["E"][homed] = np.nan


def _resolved(given: NDArray[np.float64], start: float, relative: Any) -> NDArray[np.float64]:
    """Return the position after each row: as given, added where relative, else as before."""
    # What is not given is NaN, and unlike itself.
    known = given == given
    if relative is False:
        at = np.flatnonzero(known)
        if len(at) == len(given):
            return given
        held = np.empty(len(at) + 1)
        held[0] = start
        given.take(at, out=held[1:], mode="clip")
        return np.repeat(held, np.diff(at, prepend=0, append=len(given)))
    if relative is True:
        return start + np.cumsum(np.where(known, given, 0.0))
    added = np.cumsum(np.where(known & relative, given, 0.0))
    last = np.maximum.accumulate(np.where(known & ~relative, np.arange(1, len(given) + 1), 0))
    base = np.concatenate(([start], given)).take(last)
    result: NDArray[np.float64] = base + added - np.concatenate(([0.0], added)).take(last)
    return result


_LONG_BYTES = 20_000_000
_NOMINAL_MM = 1.75


def sliced_stream(path: str, take: Take) -> Said:
    """Hand on the moves of a file, with a bar on a terminal where it is long.

    Raises:
        BadInput: not such a file.
    """
    with progress_bar("reading", _LONG_BYTES) as progress:
        return stream_gcode(path, take, progress)


def sliced_file(path: str) -> Sliced:
    """Read a file, with a bar on a terminal where it is long.

    Raises:
        BadInput: not such a file.
    """
    with progress_bar("reading", _LONG_BYTES) as progress:
        return read_gcode(path, progress)


def diameter_of(
    given_mm: float | None, spool_mm: float | None, said: Said
) -> tuple[float, tuple[str, ...]]:
    """Return the filament's diameter as the slicer has it, and a note where that is a guess."""
    known_mm = given_mm or said.numbers.get("filament diameter") or spool_mm
    if known_mm is not None:
        return known_mm, ()
    return _NOMINAL_MM, (f"filament of {_NOMINAL_MM:g} mm is taken: --diameter says otherwise",)


def read_notes(said: Said) -> list[str]:
    """Return what is to be said of the file itself."""
    notes = []
    if said.cut_off:
        notes.append("the file ends in the middle: what is there was read")
    if len(said.heads) > 1:
        listed = ", ".join(f"T{head}" for head in said.heads)
        notes.append(f"several tool heads print: {listed}; --tool N looks at one alone")
    return notes


def only_tool(sliced: Sliced, tool: int | None) -> Sliced:
    """Return what one tool head prints, or all.

    Raises:
        BadInput: that head prints nothing.
    """
    if tool is None:
        return sliced
    moves = sliced.moves.of_tool(tool)
    if not (moves.e > 0).any():
        raise BadInput(f"--tool: no tool head {tool} prints in that file")
    return Sliced(moves, sliced.said._replace(heads=(tool,)))
