"""What walls are printed and reckoned with."""

from typing import Literal, NamedTuple

from metier.core.flow.posterior import BAND, SURE, Aim
from metier.core.flow.trials import Dose
from metier.core.measure.readings import Instrument
from metier.core.measure.thresholds import Rounding
from metier.core.values import LineModel
from metier.logbook.plain import Form

ACCEPT_PERCENT = (round(100 * BAND[0], 9), round(100 * BAND[1], 9))
SURE_PERCENT = 100 * SURE
# The tube that is printed where nothing else is said.
SIDE_MM, SECTION_MM = 30.0, 8.0


def lines_text(count: int) -> str:
    """Return «3 lines», «1 line»."""
    return f"{count} line{'s' if count > 1 else ''}"


class PrintedWalls(NamedTuple):
    """A section of a print: lines a wall, and how many of the trial's readings are of it.

    ``flow_percent`` is the flow it was printed at, where that is not the trial's; ``speed_mm_s``
    likewise, where sections differ in it.
    """

    walls: int
    readings: int = 0
    flow_percent: float | None = None
    speed_mm_s: float | None = None

    @property
    def named(self) -> str:
        """What it is called: «3 lines», «1 line at 105 %»."""
        at = "" if self.flow_percent is None else f" at {self.flow_percent:g} %"
        at += "" if self.speed_mm_s is None else f" at {self.speed_mm_s:g} mm/s"
        return f"{lines_text(self.walls)}{at}"


class KeptDose(NamedTuple):
    """The plastic asked for per mm of line, and where that is known from."""

    area_mm2: float
    spacing_mm: float | None
    source: Literal["file", "preview", "part"]


class TubeShape(NamedTuple):
    """The part that walls are printed as: its side outside, and how high each section is."""

    side_mm: float = SIDE_MM
    section_mm: float = SECTION_MM


# A tube as it is planned where nothing else is said, and one for whoever has five minutes.
WHOLE_SECTIONS, QUICK_SECTIONS = (3, 2, 1), (3, 1)
QUICK = TubeShape(20.0, 5.0)


class FlowSettings(NamedTuple):
    """All that a print is reckoned with besides its readings.

    ``flow_percent`` is what it was sliced at, ``set_percent`` the flow that is set: another one
    where the plan chose it for the test, None where that is not known. ``line_model`` is None
    while the slicer's is not known. ``diameter_mm`` is what the slicer reckons with. ``tube`` is
    the part it is planned as, where that is another than usual; ``along_m`` how far along the roll
    it was printed, where that was noted.
    """

    layer_mm: float
    flow_percent: float | None
    sections: tuple[PrintedWalls, ...]
    instrument_mm: Instrument
    width_mm: float | None = None
    line_model: LineModel | None = None
    aim_mm: float | None = None
    dose: KeptDose | None = None
    set_percent: float | None = None
    by_plan: bool = False
    accept_percent: tuple[float, float] = ACCEPT_PERCENT
    sure_needed_percent: float = SURE_PERCENT
    round_to_percent: float = 1.0
    round: Rounding = "nearest"
    esteps: float | None = None
    diameter_mm: float | None = None
    tube: TubeShape | None = None
    along_m: float | None = None

    @property
    def flows(self) -> tuple[float | None, ...]:
        """The flow that each section was printed at, a ratio."""
        return tuple(
            self.flow if section.flow_percent is None else section.flow_percent / 100
            for section in self.sections
        )

    @property
    def flow(self) -> float | None:
        """The flow it was sliced at, a ratio."""
        return None if self.flow_percent is None else self.flow_percent / 100

    @property
    def flow_set(self) -> float | None:
        """The flow that is set, a ratio."""
        return None if self.set_percent is None else self.set_percent / 100

    @property
    def known_dose(self) -> Dose | None:
        """The dose, where no line model is needed for it."""
        if self.dose:
            return Dose(self.dose.area_mm2, self.dose.spacing_mm)
        if self.aim_mm is not None:
            walls = self.sections[0].walls
            return Dose.of_aim(self.aim_mm, walls, self.layer_mm, self.flow or 1.0)
        return None

    @property
    def aim(self) -> Aim:
        """What is wanted of the flow."""
        low, high = self.accept_percent
        step = self.round_to_percent / 100
        return Aim((low / 100, high / 100), self.sure_needed_percent / 100, step, self.round)


FORM = Form(FlowSettings)
