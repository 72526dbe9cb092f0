"""What is kept of trials of the limit, and how they are listed."""

from collections.abc import Mapping
from importlib import import_module
from typing import TYPE_CHECKING, Any, Literal, NamedTuple

from metier.logbook.trials import Trial
from metier.show.figures import proposed
from metier.trials.registry import CsvRow, HistoryRow, Kept

if TYPE_CHECKING:
    from metier.logbook.plain import Form
    from metier.trials.on_bench import OnBench


class LimitResult(NamedTuple):
    """What trials of all ways find alike, in mm³/s: what tables show of them."""

    last_good_mm3_s: float | None
    limit_mm3_s: float | None
    limit_unrounded_mm3_s: float | None
    limit_now_mm3_s: float | None
    limit_to_type_mm3_s: float | None
    bound: Literal["lower", "upper"] | None
    limit_below_mm3_s: float | None = None
    even_looks_mm3_s: float | None = None


# The ways to a limit, and the rooms that they live in.
WAYS = {
    "ramp": "metier.trials.ramp",
    "feed": "metier.trials.shortfall",
    "strength": "metier.trials.coupons",
    "tried": "metier.trials.tried",
}


def way_named(settings: Mapping[str, object]) -> str:
    """Return the way that a trial's settings are of."""
    way = settings.get("way")
    return way if isinstance(way, str) and way in WAYS else "ramp"


class LimitKept(Kept[LimitResult]):
    """What trials of all ways keep alike."""

    name = "volumetric"
    record = LimitResult
    unit = "mm³/s"
    measured_unit = "mm³/s"

    def form(self, settings: Mapping[str, object]) -> "Form[Any]":
        form: Form[Any] = import_module(f"{WAYS[way_named(settings)]}.settings").FORM
        return form

    def beside(self, trial: Trial) -> str:
        onset = (trial.findings or {}).get("onset_mm3_s")
        if not isinstance(onset, float | int):
            return ""
        # Both ways that find an onset lower the limit from it.
        margin = self.form(trial.settings).read(trial.settings).reckoning.margin_percent
        return f"gaps begin at {onset:.3g}" + (f", {margin:g} % taken off" if margin else "")

    def row(self, trial: Trial) -> HistoryRow:
        heat = "" if trial.temperature_c is None else f"{trial.temperature_c:g} °C"
        result = self.of(trial)
        clean = "" if result.last_good_mm3_s is None else f"{result.last_good_mm3_s:.3g}"
        bound = {"lower": "≥ ", "upper": "< ", None: ""}[result.bound]
        shown = result.limit_below_mm3_s if result.bound == "upper" else result.limit_mm3_s
        return HistoryRow(heat, clean, "", "" if shown is None else f"{bound}{shown:.3g}")

    def reading_unit(self, trial: Trial, side: str) -> str:
        way = way_named(trial.settings)
        if way == "ramp":
            # A height, a flow, or how many markers.
            of_flow = side.endswith(self.unit)
            return self.unit if of_flow else "" if side == "clean markers" else "mm"
        return {"feed": "mm", "strength": "MPa"}.get(way, "")

    def csv_rows(self, trial: Trial) -> list[CsvRow]:
        result = self.of(trial)
        now, new = result.limit_now_mm3_s, result.limit_unrounded_mm3_s
        return [
            CsvRow(self.name, now, result.last_good_mm3_s, now, new, result.limit_to_type_mm3_s)
        ]

    def command(self, bench: "OnBench") -> str:
        """The command that plans a ramp: each filament and temperature has one of its own."""
        from metier.trials.on_bench import next_part, ready_to_print

        ending = ".gcode" if ready_to_print(bench) else ".3mf"
        return proposed(self.name, "--plan", *next_part(bench, "ramp", ending))

    def before_measuring(self, trial: Trial) -> str:
        what = "coupons, break them" if trial.settings.get("way") == "strength" else "ramp"
        return f"print the {what} (metier part {trial.number} shows how)"

    def measured_with(self, settings: Mapping[str, object]) -> str:
        return "--strength coupons.csv" if settings.get("way") == "strength" else ""


KEPT = LimitKept()
