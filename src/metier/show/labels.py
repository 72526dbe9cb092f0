"""What is kept of a trial, key by key, as a person reads it: a label, a value, its unit."""

from collections.abc import Mapping

from metier.show.figures import with_u95

_UNITS = {
    "mm3_s_mm": "mm³/s a mm",
    "mm3_s": "mm³/s",
    "mm_s": "mm/s",
    "mm_s2": "mm/s²",
    "mm2": "mm²",
    "mm": "mm",
    "mpa": "MPa",
    "percent": "%",
    "g_per_m": "g/m",
    "g": "g",
    "c": "°C",
}


def labelled(name: str, value: object, u95: float | None = None) -> tuple[str, str]:
    """Turn a key such as ``layer_mm`` and its value into a label and a value with its unit."""
    ending = next((ending for ending in _UNITS if name.endswith(f"_{ending}")), "")
    unit = _UNITS.get(ending, "")
    if isinstance(value, list) and value and isinstance(value[0], dict):
        # Parts of one kind stand beside each other, each by what comes first in it.
        text = "  ".join(f"{next(iter(part.values()))}" for part in value)
    elif isinstance(value, list) and len(value) == 2 and not isinstance(value[0], str):
        text = " … ".join(f"{one:+g}" for one in value)
    elif isinstance(value, list):
        text = "  ".join(one if isinstance(one, str) else f"{one:g}" for one in value)
    elif isinstance(value, int | float):
        text = with_u95(value, u95) if u95 else f"{round(value, 4):g}"
    else:
        text = str(value)
    label = name.removesuffix(f"_{ending}") if unit else name
    return label.replace("_", " "), f"{text} {unit}".strip()


def u95_key(name: str) -> str:
    """Return where the uncertainty of a finding stands: ``wall_mm`` has ``wall_u95_mm``."""
    for ending in _UNITS:
        if name.endswith(f"_{ending}"):
            return f"{name.removesuffix(f'_{ending}')}_u95_{ending}"
    return f"{name}_u95"


def flat(kept: Mapping[str, object]) -> dict[str, object]:
    """Return settings with their parts beside each other.

    >>> flat({"way": "ramp", "ramp": {"from_mm3_s": 4.0}})
    {'way': 'ramp', 'from_mm3_s': 4.0}
    """
    found: dict[str, object] = {}
    for name, value in kept.items():
        if isinstance(value, dict) and not name.endswith(("_mm", "_g")):
            found.update(flat(value))
        else:
            found[name] = value
    return found
