"""Where the logbook lies when nobody says."""

import os
import sys
from typing import NamedTuple

from metier.core.refusal import Refusal


class Location(NamedTuple):
    """A logbook's path, and whether its folder is Metier's own to make."""

    path: str
    own_folder: bool


def locate(given: str | None) -> Location:
    """Return the logbook ``given``, else ``METIER_LOGBOOK``, else one in the user's data folder.

    On Linux that folder is by the XDG Base Directory Specification, 0.8; platformdirs knows it
    for every system but takes half as long to import as a whole command may.

    Raises:
        Refusal: nobody says, and there is no home folder.
    """
    named = given or os.environ.get("METIER_LOGBOOK")
    if named:
        return Location(named, False)
    if sys.platform.startswith("linux"):
        folder = os.environ.get("XDG_DATA_HOME", "")
        if not os.path.isabs(folder):
            folder = os.path.expanduser("~/.local/share")
        if not os.path.isabs(folder):
            raise Refusal(
                "there is no home folder to keep a logbook in: name a file with --logbook or "
                "METIER_LOGBOOK"
            )
        folder = os.path.join(folder, "metier")
    else:
        import platformdirs

        folder = platformdirs.user_data_dir("metier", appauthor=False)
    return Location(os.path.join(folder, "logbook.sqlite"), True)
