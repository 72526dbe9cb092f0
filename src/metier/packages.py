"""The packages that only some commands need: an installation for readings alone is without them."""

import shlex
import sys
from importlib.util import find_spec

from metier.core.errors import Failure

# By the name that each is imported by.
PLOTS, FITS, CABLE = ("matplotlib",), ("numpy",), ("serial",)
PHOTOS, CODES = ("PIL",), ("segno",)
LINES = ("numpy", "shapely")
SOLIDS = (*LINES, "manifold3d")
_CALLED = {"serial": "pyserial", "PIL": "pillow"}
_OPTIONAL = {*PLOTS, *SOLIDS, *CABLE, *PHOTOS, *CODES}


class NotInstalled(Failure):
    """A package is not there: its name, and the command that installs it."""

    def __init__(self, package: str) -> None:
        command = shlex.join([sys.executable, "-m", "pip", "install", "metier[all]"])
        called = _CALLED.get(package, package)
        super().__init__(f"that needs {called}, which is not installed: {command}")


def require(packages: tuple[str, ...]) -> None:
    """Look whether packages are there, before anything is asked, measured or recorded.

    Raises:
        NotInstalled: the first of them that is not.
    """
    for package in packages:
        if find_spec(package) is None:
            raise NotInstalled(package)


def not_installed(error: ModuleNotFoundError) -> NotInstalled | None:
    """Return which of these packages an import did not find; None for any other module."""
    package = (error.name or "").partition(".")[0]
    return NotInstalled(package) if package in _OPTIONAL else None
