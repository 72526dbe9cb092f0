"""What G-code sets that lasts, and arcs as chords."""

from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from metier.core.errors import BadInput
from metier.formats.gcode_words import M, T, Words

_MM_PER_INCH = 25.4


class Modes(NamedTuple):
    """What holds on each line of a piece."""

    relative: NDArray[np.bool_]
    relative_e: NDArray[np.bool_]
    scale: NDArray[np.float64]
    tool: NDArray[np.uint8]
    acceleration: NDArray[np.float32]


class Held:
    """What holds after the lines so far; positions and feeds are absolute, in mm, at first."""

    def __init__(self) -> None:
        self.relative = False
        self.relative_e: bool | None = None
        self.scale = 1.0
        self.tool = 0
        self.acceleration = np.nan
        self.cornering_mm_s: float | None = None

    def by_line(self, words: Words, code: NDArray[np.intp], events: NDArray[np.intp]) -> "Modes":
        """Return the modes line by line, and keep those that hold after the last line."""
        lines = len(code)
        modes = Modes(
            np.full(lines, self.relative),
            np.full(lines, self.e_is_relative),
            np.full(lines, self.scale),
            np.full(lines, self.tool, np.uint8),
            np.full(lines, self.acceleration, np.float32),
        )
        what = code[events]
        self.relative = bool(_hold(modes.relative, events, what, {90: 0.0, 91: 1.0}, self.relative))
        # What M82 and M83 say of E holds against G90 and G91; -1 while neither was said.
        own = np.full(lines, -1.0 if self.relative_e is None else float(self.relative_e))
        said = _hold(own, events, what, {M + 82: 0.0, M + 83: 1.0}, own[0] if lines else -1.0)
        self.relative_e = None if said < 0 else bool(said)
        np.copyto(modes.relative_e, np.where(own < 0, modes.relative, own > 0))
        self.scale = _hold(modes.scale, events, what, {20: _MM_PER_INCH, 21: 1.0}, self.scale)
        tools = {int(code): float(min(code - T, 255)) for code in np.unique(what[what >= T])}
        self.tool = int(_hold(modes.tool, events, what, tools, self.tool))
        self._speeding(words, events, what, modes)
        _refuse_scaled(words, events, what)
        return modes

    def _speeding(
        self, words: Words, events: NDArray[np.intp], what: NDArray[np.intp], modes: "Modes"
    ) -> None:
        """Take what the file says of acceleration and of the change of speed at corners."""
        at = events[what == M + 204]
        given = np.where(_said(words, at, "P") > 0, _said(words, at, "P"), _said(words, at, "S"))
        known = given > 0
        at, given = at[known], given[known]
        if len(at):
            given = given * modes.scale[at]
            place = np.searchsorted(at, np.arange(len(modes.acceleration)), side="right")
            held = np.concatenate(([self.acceleration], given))
            np.copyto(modes.acceleration, held[place], casting="same_kind")
            self.acceleration = float(given[-1])
        corners = events[what == M + 205]
        speeds = _said(words, corners, "X")
        if (speeds > 0).any():
            last = np.flatnonzero(speeds > 0)[-1]
            self.cornering_mm_s = float(speeds[last] * modes.scale[corners[last]])

    @property
    def e_is_relative(self) -> bool:
        """Whether what is fed is given from where it is."""
        return self.relative if self.relative_e is None else self.relative_e


# What would have to be multiplied into all that follows, and what it means.
_SCALED = {
    220: "speeds are changed while it prints: slice it with these speeds",
    221: "the flow is changed while it prints: slice it with this flow",
}


def _refuse_scaled(words: Words, events: NDArray[np.intp], what: NDArray[np.intp]) -> None:
    """Refuse what makes of every number behind it another one.

    Raises:
        BadInput: filament by its volume, or a speed or flow that is not 100 %.
    """
    by_volume = _said(words, events[what == M + 200], "D")
    if (by_volume > 0).any():
        raise BadInput(
            f"M200 D{by_volume.max():g}: filament is given by its volume there, and Metier reads "
            "lengths: slice it so"
        )
    for number, meant in _SCALED.items():
        percents = _said(words, events[what == M + number], "S")
        other = percents[(percents > 0) & (percents != 100)]
        if len(other):
            raise BadInput(f"M{number} S{other[0]:g}: {meant}")


def _hold(
    mode: NDArray[Any],
    events: NDArray[np.intp],
    what: NDArray[np.intp],
    meaning: dict[int, float],
    start: float,
) -> float:
    """Fill in what holds on each line, from the events that change it; return what holds last."""
    at = np.flatnonzero(np.isin(what, list(meaning)))
    if not len(at):
        return start
    values = np.array([start, *(meaning[int(code)] for code in what[at])])
    place = np.searchsorted(events[at], np.arange(len(mode)), side="right")
    np.copyto(mode, values[place], casting="unsafe")
    return float(values[-1])


def _said(words: Words, lines: NDArray[np.intp], letter: str) -> NDArray[np.float64]:
    """Return what a letter says on each of these lines, 0 where nothing."""
    said = np.zeros(len(lines))
    at = np.flatnonzero(words.letter == ord(letter))
    place = np.searchsorted(lines, words.line[at])
    inside = place < len(lines)
    at, place = at[inside], place[inside]
    mine = lines[place] == words.line[at]
    said[place[mine]] = words.value[at[mine]]
    return said


# A chord leaves its arc by no more than this: far below what a nozzle can show.
_SAGITTA_MM = 0.002
_MOST_CHORDS = 2000
TOO_MANY_MOVES = (
    "more than 5 million moves, arcs counted as their chords: that is too much for one job"
)


def with_chords(
    columns: list[NDArray[Any]],
    before: list[NDArray[np.float64]],
    code: NDArray[np.intp],
    given: dict[str, NDArray[np.float64]],
    moved: NDArray[np.bool_],
    most: int,
) -> tuple[list[NDArray[Any]], NDArray[np.bool_]]:
    """Return the columns (x, y, z, e, feed and so on) with each arc drawn out into its chords.

    The centre is given by I and J from the start, or by the radius R, whose shorter arc is meant
    where it is positive. What is extruded and climbed is spread evenly.

    Raises:
        BadInput: more chords than there is room for, ``most``.
    """
    arc = (code == 2) | (code == 3)
    x0, y0, z0 = before
    x1, y1, z1 = columns[0], columns[1], columns[2]
    centre_x, centre_y = _centres(x0, y0, x1, y1, code, given)
    radius = np.hypot(x0 - centre_x, y0 - centre_y)
    turn = _turns(x0, y0, x1, y1, centre_x, centre_y, code)
    with np.errstate(divide="ignore", invalid="ignore"):
        single = 2 * np.arccos(np.clip(1 - _SAGITTA_MM / radius, -1, 1))
        chords = np.ceil(np.abs(turn) / single)
    chords = np.where(arc & np.isfinite(chords), np.clip(chords, 1, _MOST_CHORDS), 1).astype(int)
    if int(chords.sum()) > max(most, 0):
        raise BadInput(TOO_MANY_MOVES)
    moved = moved | (arc & (chords > 1))
    owner = np.repeat(np.arange(len(arc)), chords)
    nth = np.arange(len(owner)) - np.repeat(np.cumsum(chords) - chords, chords) + 1
    part = nth / chords[owner]
    ends = [column[owner] for column in columns]
    along = np.flatnonzero(arc[owner] & (part < 1))
    angle = np.arctan2(y0 - centre_y, x0 - centre_x)[owner] + turn[owner] * part
    ends[0][along] = (centre_x[owner] + radius[owner] * np.cos(angle))[along]
    ends[1][along] = (centre_y[owner] + radius[owner] * np.sin(angle))[along]
    ends[2][along] = (z0[owner] + (z1 - z0)[owner] * part)[along]
    ends[3] = ends[3] / chords[owner]
    return ends, moved[owner]


def _centres(
    x0: NDArray[np.float64],
    y0: NDArray[np.float64],
    x1: NDArray[np.float64],
    y1: NDArray[np.float64],
    code: NDArray[np.intp],
    given: dict[str, NDArray[np.float64]],
) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    from_start = [np.nan_to_num(given[letter]) for letter in "IJ"]
    half_x, half_y = (x1 - x0) / 2, (y1 - y0) / 2
    half = np.hypot(half_x, half_y)
    r = given["R"]
    with np.errstate(divide="ignore", invalid="ignore"):
        away = np.sqrt(np.maximum(r * r - half * half, 0)) / half
    # To the left of the way for a short arc against the clock, to the right for one with it.
    side = np.where((code == 3) == (r > 0), 1.0, -1.0) * away
    by_radius = ~np.isnan(r) & (half > 0)
    return (
        np.where(by_radius, x0 + half_x - side * half_y, x0 + from_start[0]),
        np.where(by_radius, y0 + half_y + side * half_x, y0 + from_start[1]),
    )


def _turns(
    x0: NDArray[np.float64],
    y0: NDArray[np.float64],
    x1: NDArray[np.float64],
    y1: NDArray[np.float64],
    centre_x: NDArray[np.float64],
    centre_y: NDArray[np.float64],
    code: NDArray[np.intp],
) -> NDArray[np.float64]:
    """Return the angle of each arc, against the clock above zero; a whole turn where it closes."""
    begin = np.arctan2(y0 - centre_y, x0 - centre_x)
    end = np.arctan2(y1 - centre_y, x1 - centre_x)
    turn = np.mod(end - begin, 2 * np.pi)
    closed = (np.abs(x1 - x0) < 1e-9) & (np.abs(y1 - y0) < 1e-9)
    turn = np.where(closed, 2 * np.pi, turn)
    result: NDArray[np.float64] = np.where(
        code == 2, np.where(closed, -turn, turn - 2 * np.pi), turn
    )
    return np.where(code == 3, turn, result)
