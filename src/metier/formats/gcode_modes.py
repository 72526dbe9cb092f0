"""What holds on each line of G-code: modes, units, the tool head, what moves are bounded by."""

from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from metier.formats.gcode_lines import M, T
from metier.formats.gcode_words import Words

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
        tools = {int(one): float(min(one - T, 255)) for one in np.unique(what[what >= T])}
        self.tool = int(_hold(modes.tool, events, what, tools, self.tool))
        self._speeding(words, events, what, modes)
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
    values = np.array([start, *(meaning[int(one)] for one in what[at])])
    place = np.searchsorted(events[at], np.arange(len(mode)), side="right")
    np.copyto(mode, values[place], casting="unsafe")
    return float(values[-1])


def _said(words: Words, lines: NDArray[np.intp], letter: str) -> NDArray[np.float64]:
    """Return what a letter says on each of these lines, 0 where nothing."""
    found = np.zeros(len(lines))
    at = np.flatnonzero(words.letter == ord(letter))
    place = np.searchsorted(lines, words.line[at])
    inside = place < len(lines)
    at, place = at[inside], place[inside]
    mine = lines[place] == words.line[at]
    found[place[mine]] = words.value[at[mine]]
    return found
