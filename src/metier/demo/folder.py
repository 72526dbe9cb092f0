"""The folder a demo runs in: its data, and what an earlier demo left there moved aside."""

import os
from importlib.resources import files

from metier.demo.script import DATA, LOGBOOK, PARTS, PROFILE
from metier.demo.slicing import workshop_files

SLICED = ("globe-old.gcode", "globe-new.gcode")
_OWN_FILES = (LOGBOOK, f"{LOGBOOK}-wal", f"{LOGBOOK}-shm", PROFILE, *DATA, *PARTS, *SLICED)


def prepare(folder: str, shown: str) -> None:
    """Make the folder ready; ``shown`` is what the user called it.

    Raises:
        OSError: it cannot be written.
    """
    try:
        os.makedirs(folder, exist_ok=True)
        left = [name for name in _OWN_FILES if os.path.exists(os.path.join(folder, name))]
        if left:
            aside = _aside(folder)
            os.mkdir(aside)
            for name in left:
                os.rename(os.path.join(folder, name), os.path.join(aside, name))
        for name in DATA:
            with open(os.path.join(folder, name), "xb") as file:
                file.write(files("metier.demo").joinpath(name).read_bytes())
        for name, text in workshop_files().items():
            with open(os.path.join(folder, name), "x", encoding="ascii") as file_of_moves:
                file_of_moves.write(text)
    except OSError as error:
        raise OSError(error.errno, f"cannot be written in: {error.strerror}", shown) from None


def _aside(folder: str) -> str:
    number = 1
    while os.path.exists(os.path.join(folder, f"earlier-{number}")):
        number += 1
    return os.path.join(folder, f"earlier-{number}")
