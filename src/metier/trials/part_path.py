"""Where a part may be written, and what becomes of it by the file's ending."""

import os
from typing import TYPE_CHECKING

from metier.core.errors import BadInput
from metier.packages import LINES, SOLIDS, require
from metier.whole_file import check_target

if TYPE_CHECKING:
    from metier.trials.on_bench import OnBench

GCODE = ".gcode"
MESHES = (".3mf", ".stl")
TABLE = ".csv"
ENDINGS = (*MESHES, GCODE, TABLE)


def part_ending(path: str, force: bool) -> str:
    """Return the ending of a part's file, after looking whether it may be written.

    Raises:
        BadInput: another ending, or see `check_target`.
        OSError: no such folder.
        NotInstalled: what draws parts is not there.
    """
    ending = os.path.splitext(path)[1].lower()
    if ending not in ENDINGS:
        raise BadInput(f"{path} must end in {', '.join(ENDINGS)}: that says what a part becomes")
    check_target(path, overwrite=force)
    require(SOLIDS if ending in MESHES else LINES)
    return ending


def ready_to_print(here: "OnBench") -> bool:
    """Tell whether all is known that G-code for this bench needs."""
    ready = here.setup
    if ready is None or ready.temperature_c is None or ready.spool.bed_c is None:
        return False
    return ready.printer.bed_x_mm is not None


def next_part(here: "OnBench", name: str, ending: str) -> tuple[str, str]:
    """Return the words that write a part with a plan, named after the trial that it will be."""
    row = here.book.connection.execute("SELECT coalesce(max(id), 0) + 1 FROM trial").fetchone()
    return "--part", f"{name}-{row[0]}{ending}"
