"""What a cube is printed and reckoned with."""

from typing import TYPE_CHECKING, NamedTuple

from metier.core.flow.rule import FlowRule
from metier.core.line.bead import LineModel
from metier.core.line.cube import Cube
from metier.core.measure.readings import Instrument
from metier.core.measure.thresholds import Rounding, exceeds
from metier.logbook.plain import Form

if TYPE_CHECKING:
    pass


# Beyond this an older cube was printed on what is no longer the same printer.
_ESTEPS_DRIFT = 0.02


class FlowSettings(NamedTuple):
    """All that a cube is reckoned with besides its readings."""

    width_mm: float
    walls: int
    layer_mm: float
    line_model: LineModel
    aim_mm: float | None
    flow_percent: float
    rule: FlowRule
    accept_percent: tuple[float, float]
    round_to_percent: float
    round: Rounding
    instrument_mm: Instrument
    esteps: float | None

    @property
    def cube(self) -> Cube:
        """The cube as it was printed."""
        return Cube(
            self.width_mm,
            self.walls,
            self.layer_mm,
            self.flow_percent / 100,
            self.line_model,
            self.aim_mm,
        )

    def like(self, other: "FlowSettings") -> bool:
        """Tell whether two cubes are alike but for their flow, on a printer of like e-steps."""
        cube = other.cube._replace(flow=self.cube.flow)
        return cube == self.cube and not self.steps_moved_from(other)

    def steps_moved_from(self, other: "FlowSettings") -> bool:
        """Tell whether e-steps are other ones now than they were for another cube."""
        then, now = other.esteps, self.esteps
        return bool(then and now and exceeds(abs(now / then - 1), _ESTEPS_DRIFT))


FORM = Form(FlowSettings)
