"""Reading a sliced file: its filament, one tool head of it, a progress bar where it is long."""

from metier.bar import progress_bar
from metier.core.refusal import Refusal
from metier.formats.gcode import Sliced, read_gcode

_LONG_BYTES = 20_000_000
_NOMINAL_MM = 1.75


def sliced_file(path: str) -> Sliced:
    """Read a file, with a bar on a terminal where it is long.

    Raises:
        Refusal: not such a file.
    """
    with progress_bar("reading", _LONG_BYTES) as progress:
        return read_gcode(path, progress)


def diameter_of(
    given_mm: float | None, spool_mm: float | None, sliced: Sliced
) -> tuple[float, tuple[str, ...]]:
    """Return the filament's diameter as the slicer has it, and a note where that is a guess."""
    known_mm = given_mm or sliced.numbers.get("filament diameter") or spool_mm
    if known_mm is not None:
        return known_mm, ()
    return _NOMINAL_MM, (f"filament of {_NOMINAL_MM:g} mm is taken: --diameter says otherwise",)


def read_notes(sliced: Sliced) -> list[str]:
    """Return what is to be said of the file itself."""
    notes = []
    if sliced.cut_off:
        notes.append("the file ends in the middle: what is there was read")
    tools = sorted({int(tool) for tool in sliced.moves.tool[sliced.moves.e > 0]})
    if len(tools) > 1:
        listed = ", ".join(f"T{tool}" for tool in tools)
        notes.append(f"several tool heads print: {listed}; --tool N looks at one alone")
    return notes


def only_tool(sliced: Sliced, tool: int | None) -> Sliced:
    """Return what one tool head prints, or all.

    Raises:
        Refusal: that head prints nothing.
    """
    if tool is None:
        return sliced
    moves = sliced.moves.of_tool(tool)
    if not (moves.e > 0).any():
        raise Refusal(f"--tool: no tool head {tool} prints in that file")
    return sliced._replace(moves=moves)
