"""What makes a ±: each influence with its own part of it, the largest first.

Independent parts add as squares (JCGM 100:2008, 5.1.2), so the largest decides and the small ones
hardly count.
"""

from collections.abc import Mapping
from typing import NamedTuple

from metier.core.measure.student import NORMAL95


class Influence(NamedTuple):
    """Something that makes a ±, and its own part of it, at 95 %."""

    name: str
    u95: float


def by_size(parts: Mapping[str, float]) -> tuple[Influence, ...]:
    """Return influences of these standard uncertainties, the largest first; none of zero.

    >>> [one.name for one in by_size({"readings": 0.1, "calipers": 0.2, "zero": 0.0})]
    ['calipers', 'readings']
    """
    made = [Influence(name, NORMAL95 * u) for name, u in parts.items() if u > 0]
    return tuple(sorted(made, key=lambda one: -one.u95))
