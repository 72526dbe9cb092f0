"""The order of lines within a layer: from one to the nearest, and inside of what is printed, so
that filament is seldom drawn back."""

from collections.abc import Sequence

import numpy as np
import shapely

from metier.core.job.laid import NEAR_MM
from metier.core.line.runs import Point, Run
from metier.parts.solid import Region

# So many of the nearest are looked at for one that is reached inside.
_TRIED = 8


def routed(
    groups: Sequence[Sequence[Run]],
    region: Region,
    begin: Point | None = None,
    *,
    either_way: bool = False,
) -> list[Run]:
    """Return groups of runs, each in its own order, one after the other: from where one ``begins``
    to the nearest that is reached without leaving the ``region``, else the nearest.

    Without ``begin`` the first group comes first. ``either_way`` lets groups of one run be laid
    from either end.
    """
    if not groups:
        return []
    shapely.prepare(region)
    begins = np.array([group[0].points[0] for group in groups])
    ends = np.array([group[-1].points[-1] for group in groups])
    left = np.ones(len(groups), bool)
    ordered: list[Run] = []
    if begin is None:
        ordered, left[0] = list(groups[0]), False
    while left.any():
        at = np.array(ordered[-1].points[-1] if ordered else begin)
        away = np.where(left, np.hypot(*(begins - at).T), np.inf)
        back = np.full(len(groups), np.inf)
        if either_way:
            back = np.where(left, np.hypot(*(ends - at).T), np.inf)
        nearest = np.argsort(np.minimum(away, back), kind="stable")[:_TRIED]
        nearest = nearest[left[nearest]]
        chosen = int(nearest[0])
        inside = False
        for place in nearest:
            turned = back[place] < away[place]
            near = min(back[place], away[place]) <= NEAR_MM
            goal = ends[place] if turned else begins[place]
            inside = bool(region.covers(shapely.LineString([at, goal])))
            if inside or near:
                chosen = int(place)
                break
        turned = back[chosen] < away[chosen]
        first, *others = groups[chosen]
        points = tuple(reversed(first.points)) if turned else first.points
        ordered += [first._replace(points=points, inside=inside), *others]
        left[chosen] = False
    return ordered
