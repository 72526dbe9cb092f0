"""Where what a program notes for itself lies: reports of faults, what went over a cable."""

import os
import sys


def state_folder() -> str:
    """Return where a program keeps such files (XDG Base Directory Specification, 0.8); no
    absolute path where there is no home."""
    if not sys.platform.startswith("linux"):
        import platformdirs

        return platformdirs.user_state_dir("metier", appauthor=False)
    folder = os.environ.get("XDG_STATE_HOME", "")
    if not os.path.isabs(folder):
        folder = os.path.expanduser("~/.local/state")
    return os.path.join(folder, "metier")
