"""With which line, speed and flow walls are printed, and by which they are judged."""

from collections.abc import Sequence
from typing import Literal, NamedTuple

from metier.core.flow.answer import BAND, SURE, Aim
from metier.core.flow.rows import ToldShare, by_weight
from metier.core.flow.trials import Dose
from metier.core.line.bead import rounding_mm
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


class KeptDose(NamedTuple):
    """The plastic asked for per mm of line, and where that is known from; ``u`` is how well
    (relative) the digits of a preview tell it."""

    area_mm2: float
    spacing_mm: float | None
    source: Literal["file", "preview", "part"]
    u: float = 0.0


class PrintedWalls(NamedTuple):
    """A section of a print: lines a wall, and how many of the trial's readings are of it.

    ``flow_percent`` is the flow it was printed at, ``width_mm`` how wide its lines are, ``dose``
    what a file says of it, each where that is not the trial's; ``speed_mm_s`` likewise, where
    sections differ in it.
    """

    walls: int
    readings: int = 0
    flow_percent: float | None = None
    speed_mm_s: float | None = None
    width_mm: float | None = None
    dose: KeptDose | None = None

    @property
    def named(self) -> str:
        """What it is called: «3 lines», «1 line of 0.8 mm at 105 %»."""
        of = "" if self.width_mm is None else f" of {self.width_mm:g} mm"
        at = "" if self.flow_percent is None else f" at {self.flow_percent:g} %"
        at += "" if self.speed_mm_s is None else f" at {self.speed_mm_s:g} mm/s"
        return f"{lines_text(self.walls)}{of}{at}"


def names_of(sections: Sequence[PrintedWalls]) -> tuple[str, ...]:
    """Return what sections are called where readings are asked for: by their flow only where
    nothing else tells them apart."""
    plain = tuple(section._replace(flow_percent=None).named for section in sections)
    return plain if len(set(plain)) == len(plain) else tuple(each.named for each in sections)


class TubeShape(NamedTuple):
    """The part that walls are printed as: its side outside, and how high each section is."""

    side_mm: float = SIDE_MM
    section_mm: float = SECTION_MM


QUICK = TubeShape(20.0, 5.0)


class KeptWeight(NamedTuple):
    """What the print weighed, the filament it was asked for, and the density of its plastic with
    its u, relative; ``diameter_mm`` is what the file reckons with."""

    grams: float
    u_g: float
    asked_mm: float
    diameter_mm: float
    density_g_cm3: float
    density_u: float

    @property
    def share(self) -> ToldShare:
        """The share delivered over dosed that it tells."""
        return by_weight(*self)


class FlowSettings(NamedTuple):
    """All that a print is reckoned with besides its readings.

    ``flow_percent`` is what it was sliced at, ``set_percent`` the flow that is set: another one
    where the plan chose it for the test, None where that is not known. ``line_model`` is None
    while the slicer's is not known. ``diameter_mm`` is what the slicer reckons with. ``tube`` is
    the part it is planned as, where that is another than usual; ``along_m`` how far along the roll
    it was printed, where that was noted; ``weight`` what it weighed.
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
    weight: KeptWeight | None = None

    @property
    def flow(self) -> float | None:
        """The flow it was sliced at, a ratio."""
        return None if self.flow_percent is None else self.flow_percent / 100

    @property
    def flow_set(self) -> float | None:
        """The flow that is set, a ratio."""
        return None if self.set_percent is None else self.set_percent / 100

    @property
    def aimed_alone(self) -> bool:
        """Whether a wall is aimed at of which neither width nor dose is known: it answers for
        itself, its dose taken as that of the aim."""
        return self.aim_mm is not None and self.width_mm is None and self.dose is None

    @property
    def needs_model(self) -> bool:
        """Whether what was dosed hangs on how the slicer doses a line."""
        return any(self.dose_of(section) is None for section in self.sections)

    def flow_of(self, section: PrintedWalls) -> float | None:
        """Return the flow that a section was printed at, a ratio."""
        return self.flow if section.flow_percent is None else section.flow_percent / 100

    def dose_of(self, section: PrintedWalls) -> Dose | None:
        """Return the dose of a section, where no line model is needed for it."""
        flow = self.flow_of(section) or 1.0
        if section.dose:
            return Dose(section.dose.area_mm2, section.dose.spacing_mm, section.dose.u)
        if self.dose and section.width_mm is None:
            part = flow / self.flow if self.flow else 1.0
            return Dose(self.dose.area_mm2 * part, self.dose.spacing_mm, self.dose.u)
        if self.dose and self.dose.source == "part" and section.width_mm:
            return Dose.of_model(section.width_mm, self.layer_mm, flow, "rounded")
        if self.aimed_alone:
            return Dose.of_aim(self.aim_mm or 0.0, section.walls, self.layer_mm, flow)
        return None

    def speed_of(self, section: PrintedWalls, speed_mm_s: float | None) -> float | None:
        """Return how fast a section was printed: a wide line more slowly, for the same mm³/s."""
        own_mm_s = section.speed_mm_s or speed_mm_s
        if own_mm_s is None or section.width_mm is None or self.width_mm is None:
            return own_mm_s
        usual, wide = (w - rounding_mm(self.layer_mm) for w in (self.width_mm, section.width_mm))
        return own_mm_s * usual / wide

    @property
    def aim(self) -> Aim:
        """What is wanted of the flow."""
        low, high = self.accept_percent
        step = self.round_to_percent / 100
        wall_mm = None if self.aimed_alone else self.aim_mm
        band = (low / 100, high / 100)
        return Aim(band, self.sure_needed_percent / 100, step, self.round, wall_mm)


# Of version 1 are prints that were judged before weight and line model were unknowns like flow.
FORM = Form(FlowSettings, 2)
