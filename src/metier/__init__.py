"""Metier: calibrate a 3D printer with calipers. As a library: see `metier.library`."""

# Nothing is imported until it is used: Ctrl-C while the program starts would be a traceback.
TYPE_CHECKING = False
if TYPE_CHECKING:
    from metier.core.errors import BadInput, Error
    from metier.library import (
        Logbook,
        compensation,
        diameter,
        esteps,
        fit,
        flow,
        limit,
        strength,
        weigh,
    )
    from metier.plain_numbers import Instrument, Result

__all__ = [
    "BadInput",
    "Error",
    "Instrument",
    "Logbook",
    "Result",
    "compensation",
    "diameter",
    "esteps",
    "fit",
    "flow",
    "limit",
    "strength",
    "weigh",
]


def __getattr__(name: str) -> object:
    """Return what the library has, imported only when it is used."""
    if name not in __all__:
        raise AttributeError(f"module 'metier' has no attribute {name!r}")
    from importlib import import_module

    rooms = dict.fromkeys(("BadInput", "Error"), "metier.core.errors")
    rooms |= dict.fromkeys(("Instrument", "Result"), "metier.plain_numbers")
    return getattr(import_module(rooms.get(name, "metier.library")), name)
