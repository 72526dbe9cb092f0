"""What walls are asked for when they are typed one by one."""

from collections.abc import Sequence

from metier.core.line.bead import spacing_mm, wall_mm
from metier.core.measure.slips import refuse_slip
from metier.formats import quantity
from metier.trials.flow.settings import FlowSettings
from metier.words.asked import Asked

_SIDES = ("front", "right", "back", "left")


_SECTIONS = " The lowest section comes first: let the jaws down inside to the middle of each."


def _targets_mm(settings: FlowSettings) -> list[float | None]:
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


def as_typed(settings: FlowSettings, lines: Sequence[tuple[str, str]]) -> FlowSettings:
    """Return the settings, each section with as many readings as were typed for it."""
    counted = tuple(
        one._replace(readings=sum(place.startswith(f"{one.named},") for place, _ in lines))
        for one in settings.sections
    )
    return settings._replace(sections=counted)


def ask_walls(test: str, settings: FlowSettings) -> Asked:
    """Ask for walls, going round the part, section by section where there are several."""
    instrument = settings.instrument_mm
    sections = settings.sections
    several = len(sections) > 1
    targets = _targets_mm(settings)

    def check(value_mm: float, place: str) -> None:
        for section, target_mm in zip(sections, targets, strict=True):
            mine = not several or place.startswith(section.named)
            if mine and target_mm:
                refuse_slip(value_mm, target_mm + instrument.zero_mm, "reading")

    return Asked(
        test,
        "The walls of the part, going round it as seen from above: front (towards you), "
        "right, back, left, and round again.",
        _SIDES,
        "Let the part cool. Measure the upper layers, never the first ones, away from corners "
        "and seam. Close the jaws until they just touch, without squeezing. Zero them first."
        + (_SECTIONS if several else ""),
        instrument,
        check,
        lambda text: [quantity.read_length_mm(text, "reading")],
        sections=tuple(one.named for one in sections) if several else ("",),
    )
