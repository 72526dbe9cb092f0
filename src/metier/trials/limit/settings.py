"""What trials of the limit have in common: the line, the hot end, how a limit is made."""

from argparse import Namespace
from collections.abc import Sequence
from typing import NamedTuple

from metier.core.errors import BadInput
from metier.core.limit.ramp import LimitRule
from metier.core.line.bead import PrintedLine
from metier.core.values import VALUES, LineModel
from metier.trials.on_bench import OnBench


class KeptLine(NamedTuple):
    """The line that speeds are worked out for, where known, and the sizes to show them for."""

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
    def of(cls, bench: "OnBench") -> "HotEnd":
        """Return that of a bench."""
        nozzle = bench.setup.nozzle if bench.setup else None
        limit_now = bench.stands("limit").in_force
        return cls(nozzle and nozzle.bore_mm, nozzle and nozzle.hot_end, limit_now)


def limit_rule(options: Namespace, planned: LimitRule | None) -> LimitRule:
    """Return how a limit is made of the last good flow: as given, else as planned."""
    margin, round_to_mm3_s = planned or LimitRule()
    if options.margin is not None:
        if 0 < options.margin < 1:
            raise BadInput(
                f"--margin is percent: type {100 * options.margin:g} for {options.margin:g}"
            )
        if not 0 <= options.margin <= 90:
            raise BadInput(f"--margin: {options.margin:g} must be from 0 to 90 percent")
        margin = options.margin / 100
    return LimitRule(margin, options.round_to or round_to_mm3_s)
