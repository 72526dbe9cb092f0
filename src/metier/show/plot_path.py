"""Where a picture may be written; asked before anything is measured or drawn."""

import os

from metier.core.errors import BadInput
from metier.packages import PLOTS, require
from metier.whole_file import check_target

FORMATS = (".png", ".svg", ".pdf")


def check_plot_path(path: str, force: bool) -> None:
    """Refuse a plot that could not be written, before anything is measured.

    Raises:
        BadInput: another ending than png, svg or pdf, or see `check_target`.
        OSError: no such folder.
        NotInstalled: nothing draws.
    """
    if os.path.splitext(path)[1].lower() not in FORMATS:
        raise BadInput(f"--plot: {path} must end in {', '.join(FORMATS)}")
    check_target(path, overwrite=force)
    require(PLOTS)


def picture_words(path: str) -> str:
    """Return that a picture was written, and where."""
    return f"Picture written to {path}"
