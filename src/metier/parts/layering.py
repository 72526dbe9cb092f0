"""What all parts have in common about layers: how many there are, how fast the first one is."""

import math

_FIRST_MM_S, _FIRST_INNER_MM_S = 20.0, 30.0


def layers_for(height_mm: float, layer_mm: float) -> int:
    """Return how many layers reach a height."""
    return math.ceil(height_mm / layer_mm - 1e-9)


def first_speed(speed_mm_s: float, *, inner: bool = False) -> float:
    """Return the speed of the first layer: slow enough to stick, less so beside what sticks."""
    return min(_FIRST_INNER_MM_S if inner else _FIRST_MM_S, speed_mm_s)


def top_of(number: int, layer_mm: float) -> float:
    """Return the height of a layer, counted from 0, as a file has it."""
    return round((number + 1) * layer_mm, 6)
