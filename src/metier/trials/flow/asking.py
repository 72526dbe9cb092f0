"""What walls are asked for when they are typed one by one."""

from metier.trials.flow.settings import FlowSettings

SIDES = ("front", "right", "back", "left")


def targets_mm(settings: FlowSettings) -> list[float | None]:
    from metier.core.line.bead import spacing_mm, wall_mm

    dose = settings.known_dose
    apart_mm = dose and dose.spacing_mm
    if dose and apart_mm is None:
        apart_mm = dose.area_mm2 / settings.layer_mm / (settings.flow or 1.0)
    if apart_mm is None and settings.width_mm is not None:
        model = settings.line_model or "rectangular"
        apart_mm = spacing_mm(settings.width_mm, settings.layer_mm, model)
    return [
        apart_mm and wall_mm(one.walls, apart_mm, settings.layer_mm) for one in settings.sections
    ]
