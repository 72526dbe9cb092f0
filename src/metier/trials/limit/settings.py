"""What trials of the limit are printed and reckoned with, by the way it is looked for."""

from collections.abc import Sequence
from typing import TYPE_CHECKING, Literal, NamedTuple

from metier.core.limit.ramp import Ramp
from metier.core.limit.reach import Reach
from metier.core.limit.rule import LimitRule
from metier.core.line.bead import LineModel
from metier.core.line.printed import PrintedLine
from metier.core.line.speeds import SetSpeed
from metier.core.values import VALUES
from metier.logbook.plain import Form

if TYPE_CHECKING:
    from metier.trials.on_bench import OnBench


class KeptLine(NamedTuple):
    """The line that speeds are reckoned for, where it is known, and the sizes to show them for."""

    width_mm: float | None = None
    layer_mm: float | None = None
    line_model: LineModel | None = None
    flow_percent: float | None = None
    widths_mm: tuple[float, ...] = ()
    layers_mm: tuple[float, ...] = ()

    @classmethod
    def of(
        cls,
        line: PrintedLine | None,
        widths_mm: Sequence[float] | None = None,
        layers_mm: Sequence[float] | None = None,
    ) -> "KeptLine":
        """Return a line as it is kept, with the sizes that were asked for."""
        kept = cls(widths_mm=tuple(widths_mm or ()), layers_mm=tuple(layers_mm or ()))
        if line is None:
            return kept
        return kept._replace(
            width_mm=line.width_mm,
            layer_mm=line.layer_mm,
            line_model=line.line_model,
            flow_percent=VALUES["flow"].seen(line.flow),
        )

    @property
    def printed(self) -> PrintedLine | None:
        """The line itself, where all of it is known."""
        width_mm, layer_mm, model, flow_percent, *_ = self
        if width_mm is None or layer_mm is None or flow_percent is None:
            return None
        return PrintedLine(width_mm, layer_mm, model, flow_percent / 100)


class Reckoning(NamedTuple):
    """How a limit is made of the last good flow."""

    margin_percent: float
    round_to_mm3_s: float

    @classmethod
    def of(cls, rule: LimitRule) -> "Reckoning":
        """Return a rule as it is kept."""
        return cls(round(100 * rule.margin, 9), rule.round_to_mm3_s)

    @property
    def rule(self) -> LimitRule:
        """The rule, its margin as a ratio."""
        return LimitRule(self.margin_percent / 100, self.round_to_mm3_s)


class HotEnd(NamedTuple):
    """What melts the filament, and the limit that was in force meanwhile."""

    bore_mm: float | None
    hot_end: str | None
    limit_now_mm3_s: float | None

    @classmethod
    def of(cls, here: "OnBench") -> "HotEnd":
        """Return that of a bench."""
        nozzle = here.setup.nozzle if here.setup else None
        limit_now = here.stands("limit").in_force
        return cls(nozzle and nozzle.bore_mm, nozzle and nozzle.hot_end, limit_now)


class RampSettings(NamedTuple):
    """A ramp: how it rises, how well heights are known, how a limit is made of it, and how fast
    it can really be printed. ``own_lines`` tells that it was printed by lines of Metier's own."""

    way: Literal["ramp"]
    ramp: Ramp | None
    marker_every_mm: float | None
    within_mm: float
    reckoning: Reckoning
    line: KeptLine
    walls: int | None
    on: HotEnd
    set_speeds: tuple[SetSpeed, ...] = ()
    reach: Reach | None = None
    own_lines: bool = False

    @property
    def reached_mm3_s(self) -> float | None:
        """The highest flow that the ramp was really printed at, where that is known."""
        if self.own_lines:
            # Planned so that all of it is.
            return None
        line = self.line.printed
        return self.reach.fastest_mm_s * line.area_mm2 if self.reach and line else None


FORM = Form(RampSettings)
