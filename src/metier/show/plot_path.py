"""Where a picture may be written; asked before anything is measured or drawn."""

import os

from metier.core.refusal import Refusal

_FORMATS = (".png", ".svg", ".pdf")


def check_plot_path(path: str) -> None:
    """Refuse a plot that could not be written, before anything is measured.

    Raises:
        Refusal: another ending than png, svg or pdf, or no such folder.
    """
    if os.path.splitext(path)[1].lower() not in _FORMATS:
        raise Refusal(f"--plot: {path} must end in {', '.join(_FORMATS)}")
    folder = os.path.dirname(os.path.abspath(path))
    if not os.path.isdir(folder):
        raise Refusal(f"--plot: there is no folder {folder}")
