"""Numbers as shapes, from a font: what is raised on a part so that nothing has to be penned."""

from functools import lru_cache
from typing import Any

from matplotlib.font_manager import FontProperties
from matplotlib.textpath import TextPath
from shapely import MultiPolygon, Polygon, affinity

# It comes with Matplotlib, so that parts look alike everywhere.
_FONT = FontProperties(family="DejaVu Sans", weight="bold")
_DRAWN = 100.0


@lru_cache(maxsize=256)
def text_region(text: str, height_mm: float) -> Any:
    """Return a text as a region whose digits are so high; its lower left corner at 0, 0.

    The Matplotlib font's outlines, each inside another cut out of it.
    """
    region: Any = MultiPolygon()
    rings: Any = TextPath((0, 0), text, size=_DRAWN, prop=_FONT).to_polygons(closed_only=True)
    for ring in rings:
        if len(ring) > 3:
            region = region.symmetric_difference(Polygon(ring).buffer(0))
    scale = height_mm / _digit_height()
    region = affinity.scale(region, scale, scale, origin=(0, 0))
    low_x, low_y, *_ = region.bounds
    return affinity.translate(region, -low_x, -low_y)


@lru_cache(maxsize=1)
def _digit_height() -> float:
    path = TextPath((0, 0), "0", size=_DRAWN, prop=_FONT)
    return float(path.get_extents().height)
