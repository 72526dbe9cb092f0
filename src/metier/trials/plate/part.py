"""The part of a planned plate: each hole and post once, however often it is measured."""

from metier.core.errors import BadInput
from metier.parts.part import Compensated
from metier.parts.plate import DrawnSize, Plate
from metier.trials.kind import WantedLine
from metier.trials.on_bench import OnBench
from metier.trials.plate.kept import PlateSettings
from metier.trials.printing import inner_speed, part_line, part_speed
from metier.trials.table import Plan

# A post is no thinner than this, in lines.
_THINNEST = 1.5
# What fits no plate, and what prints as no hole at all.
_LARGEST_MM, _SMALLEST_MM, _MOST = 150.0, 0.5, 40


def part_of(plan: Plan[PlateSettings], bench: OnBench, wanted: WantedLine) -> Plate:
    """Return the plate of a plan.

    Raises:
        BadInput: a size that cannot be drawn, or a line that the nozzle does not print.
    """
    settings = plan.settings
    sizes = [
        DrawnSize(feature.kind, feature.nominal_mm, feature.facets) for feature in settings.features
    ]
    sizes = list(dict.fromkeys(sizes))
    if not sizes:
        raise BadInput(f"trial {plan.number} plans neither holes nor posts: nothing to print")
    if len(sizes) > _MOST:
        raise BadInput(f"{len(sizes)} holes and posts are too many for a plate: {_MOST} at most")
    for size in sizes:
        if not _SMALLEST_MM <= size.diameter_mm <= _LARGEST_MM:
            raise BadInput(
                f"a {size.kind} of {size.diameter_mm:g} mm is not drawn: from {_SMALLEST_MM:g} to "
                f"{_LARGEST_MM:g} mm"
            )
    line = part_line(bench, wanted)
    for size in sizes:
        if size.kind == "post" and size.diameter_mm < _THINNEST * line.width_mm:
            raise BadInput(
                f"a post of {size.diameter_mm:g} mm is too thin for lines of {line.width_mm:g}: "
                f"{_THINNEST * line.width_mm:.2g} mm or more"
            )
    speed_mm_s = part_speed(bench, line, wanted.speed_mm_s)
    compensated = Compensated(settings.hole_set_mm, settings.contour_set_mm)
    inner_mm_s = inner_speed(bench, line, speed_mm_s)
    return Plate(plan.number, sizes, line, speed_mm_s, compensated, inner_mm_s)
