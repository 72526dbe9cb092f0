"""Metier: calibrate a 3D printer with calipers. As a library: see `metier.library`."""

# Nothing is imported until it is used: Ctrl-C while the program starts would be a traceback.
TYPE_CHECKING = False
if TYPE_CHECKING:
    from metier.core.errors import BadInput, Error
    from metier.library import (
        Instrument,
        Logbook,
        Result,
        compensation,
        diameter,
        esteps,
        fit,
        flow,
        limit,
        strength,
        weigh,
    )

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

    room = "metier.core.errors" if name in ("BadInput", "Error") else "metier.library"
    return getattr(import_module(room), name)
