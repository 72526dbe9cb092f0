"""Where a part may be written, and what becomes of it by the file's ending."""

import os

from metier.core.refusal import Refusal
from metier.whole_file import check_target

GCODE = ".gcode"
MESHES = (".3mf", ".stl")
TABLE = ".csv"
ENDINGS = (*MESHES, GCODE, TABLE)


def part_ending(path: str, force: bool) -> str:
    """Return the ending of a part's file, after looking whether it may be written.

    Raises:
        Refusal: another ending, or see `check_target`.
        OSError: no such folder.
    """
    ending = os.path.splitext(path)[1].lower()
    if ending not in ENDINGS:
        raise Refusal(f"{path} must end in {', '.join(ENDINGS)}: that says what a part becomes")
    check_target(path, overwrite=force)
    return ending
