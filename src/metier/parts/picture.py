"""The picture of a part: seen from above and from the front, with its dimensions."""

from collections.abc import Sequence

from matplotlib.axes import Axes
from matplotlib.colors import to_rgb
from matplotlib.patches import PathPatch, Rectangle
from matplotlib.path import Path

from metier.parts.fill import polygons_of
from metier.parts.part import Dimension, Part
from metier.parts.solid import Body, Region, bounds_of
from metier.show.plot import new_figure, quieten, save
from metier.show.plot_colours import INK, QUIET

# What lies low is pale, what is high is dark.
_LOW, _HIGH = "#dbe6ee", "#5b87a8"
# Dimension lines keep so far off the part, and off each other, as a part of its size.
_OFF = 0.06
# So wide is a letter, as a part of the size that is shown.
_LETTER = 0.022


def plot_part(path: str, title: str, part: Part) -> None:
    """Draw a part.

    Raises:
        BadInput: the file cannot be written.
    """
    bodies = part.bodies()
    figure = new_figure()
    above, front = figure.subplots(1, 2, width_ratios=(1, 1))
    low_x, low_y, high_x, high_y = bounds_of(bodies)
    top = max(body.height_mm for body in bodies)
    for body in bodies:
        _from_above(above, body, top)
        _from_front(front, body)
    figure.suptitle(title, x=0.01, ha="left", color=INK, fontsize=12)
    for axes, name, across, along, size in (
        (above, "from above (the front is below)", "x (mm)", "y (mm)", high_y - low_y),
        (front, "from the front", "x (mm)", "height (mm)", top),
    ):
        axes.set_title(name, loc="left", color=QUIET, fontsize=10)
        axes.set_xlabel(across)
        axes.set_ylabel(along)
        axes.set_aspect("equal")
        quieten(axes)
        view = "above" if axes is above else "front"
        mine = [dimension for dimension in part.dimensions() if dimension.view == view]
        _dimensions(axes, mine, max(high_x - low_x, size))
    size = max(high_x - low_x, high_y - low_y)
    left, right = _room(part, "above", size)
    above.set_xlim(low_x - left, high_x + right)
    above.set_ylim(low_y - 0.05 * size, high_y + 0.18 * size)
    size = max(high_x - low_x, top)
    left, right = _room(part, "front", size)
    front.set_xlim(low_x - left, high_x + right)
    front.set_ylim(-0.04 * top, top + 0.15 * size)
    save(figure, path)


def _room(part: Part, view: str, size_mm: float) -> tuple[float, float]:
    """Return the room that dimensions take left and right of a part."""
    room = [0.05 * size_mm, 0.05 * size_mm]
    for dimension in part.dimensions():
        upright = abs(dimension.end[0] - dimension.begin[0]) < abs(
            dimension.end[1] - dimension.begin[1]
        )
        if dimension.view == view and upright:
            side = int(dimension.begin[0] >= 0)
            room[side] = max(room[side], (0.12 + _LETTER * len(dimension.text)) * size_mm)
    return room[0], room[1]


def _from_above(axes: Axes, body: Body, top_mm: float) -> None:
    slabs = [
        (loft.to_mm, loft.high if loft.high.area > loft.low.area else loft.low)
        for loft in body.lofted
    ]
    slabs += [(slab.to_mm, slab.region) for slab in body.intervals()]
    for turn in body.turned:
        height = (turn.within[0][0] + turn.within[-1][0]) / 2
        region = turn.at_height(height)
        slabs = [(z, mine.difference(region)) for z, mine in slabs] if turn.hollow else [
            *slabs, (turn.within[-1][0], region)]  # fmt: skip
    for height, region in sorted(slabs, key=lambda slab: slab[0]):
        shade = _shade(height / top_mm)
        for polygon in polygons_of(region):
            axes.add_patch(PathPatch(_path(polygon), facecolor=shade, edgecolor=INK, linewidth=0.6))


def _shade(part: float) -> tuple[float, ...]:
    low, high = to_rgb(_LOW), to_rgb(_HIGH)
    return tuple(a + (b - a) * part for a, b in zip(low, high, strict=True))


def _path(polygon: Region) -> Path:
    """Return a polygon with its holes."""
    rings = [polygon.exterior, *polygon.interiors]
    return Path.make_compound_path(*(Path(list(ring.coords), closed=True) for ring in rings))


def _from_front(axes: Axes, body: Body) -> None:
    for slab in sorted(body.slabs, key=lambda piece: -piece.region.bounds[3]):
        for polygon in polygons_of(slab.region):
            low, _, high, _ = polygon.bounds
            _block(axes, low, high, slab.from_mm, slab.to_mm)
    for piece in body.lofted:
        (low, _, high, _), (up_low, _, up_high, _) = piece.low.bounds, piece.high.bounds
        corners = [(low, piece.from_mm), (high, piece.from_mm), (up_high, piece.to_mm),
                   (up_low, piece.to_mm), (low, piece.from_mm)]  # fmt: skip
        axes.add_patch(PathPatch(Path(corners), facecolor=_LOW, edgecolor=INK, linewidth=0.6))
    for turn in body.turned:
        if turn.hollow:
            continue
        x, (bottom, _), (top, _) = turn.at[0], turn.within[0], turn.within[-1]
        steps = 16 * round((top - bottom) / turn.pitch_mm)
        heights = [bottom + (top - bottom) * step / steps for step in range(steps + 1)]
        sections = [turn.at_height(height).bounds for height in heights[1:-1]]
        left = [(section[0], z) for section, z in zip(sections, heights[1:-1], strict=True)]
        right = [(section[2], z) for section, z in zip(sections, heights[1:-1], strict=True)]
        outline = [*left, *reversed(right), left[0]]
        axes.add_patch(PathPatch(Path(outline), facecolor=_LOW, edgecolor=INK, linewidth=0.6))
        axes.plot([x, x], [bottom, top], color=QUIET, linewidth=0.6, linestyle="-.")


def _block(axes: Axes, low: float, high: float, bottom: float, top: float) -> None:
    axes.add_patch(
        Rectangle((low, bottom), high - low, top - bottom, facecolor=_LOW, edgecolor=INK,
                  linewidth=0.6)
    )  # fmt: skip


def _dimensions(axes: Axes, dimensions: Sequence[Dimension], size_mm: float) -> None:
    """Draw dimension lines beside what they measure: above it, or left and right of it."""
    for dimension in dimensions:
        (x0, y0), (x1, y1) = dimension.begin, dimension.end
        upright = abs(x1 - x0) < abs(y1 - y0)
        off = _OFF * size_mm
        if upright:
            off = off if x0 >= 0 else -off
            ends = ((x0 + off, y0), (x1 + off, y1))
        else:
            ends = ((x0, y0 + off), (x1, y1 + off))
        for (x, y), (u, v) in zip((dimension.begin, dimension.end), ends, strict=True):
            axes.plot([x, u], [y, v], color=QUIET, linewidth=0.6)
        axes.annotate(
            "", ends[0], ends[1], arrowprops={"arrowstyle": "<->", "color": INK, "lw": 0.8,
                                             "shrinkA": 0, "shrinkB": 0},
        )  # fmt: skip
        middle = ((ends[0][0] + ends[1][0]) / 2, (ends[0][1] + ends[1][1]) / 2)
        shift = 0.015 * size_mm
        if upright:
            place = (middle[0] + (shift if off > 0 else -shift), middle[1])
            axes.annotate(
                dimension.text, place, color=INK, fontsize=9, annotation_clip=False, va="center",
                ha="left" if off > 0 else "right",
            )  # fmt: skip
        else:
            place = (middle[0], middle[1] + shift / 2)
            axes.annotate(
                dimension.text, place, color=INK, fontsize=9, annotation_clip=False, ha="center",
                va="bottom",
            )  # fmt: skip
