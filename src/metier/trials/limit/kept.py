"""What is kept of trials of the limit, and how they are listed."""

from collections.abc import Mapping
from typing import TYPE_CHECKING, Any, Literal, NamedTuple

from metier.logbook.plain import from_plain
from metier.logbook.trials import Trial
from metier.show.figures import proposed
from metier.trials.registry import CsvRow, HistoryRow, Kept

if TYPE_CHECKING:
    from metier.logbook.plain import Form
    from metier.trials.on_bench import OnBench


class Found(NamedTuple):
    """What a trial of any way found, in mm³/s, as far as tables show it."""

    last_good_mm3_s: float | None
    limit_mm3_s: float | None
    limit_unrounded_mm3_s: float | None
    limit_now_mm3_s: float | None
    limit_to_type_mm3_s: float | None
    bound: Literal["lower", "upper"] | None
    limit_below_mm3_s: float | None = None
    even_looks_mm3_s: float | None = None


class LimitKept(Kept):
    """What trials of all ways keep alike."""

    name = "volumetric"

    def form(self, settings: Mapping[str, object]) -> "Form[Any]":
        way = settings.get("way")
        if way == "feed":
            from metier.trials.limit import feed

            return feed.FORM
        if way == "strength":
            from metier.trials.limit import strength

            return strength.FORM
        from metier.trials.limit.settings import FORM

        return FORM

    def row(self, trial: Trial) -> HistoryRow:
        heat = "" if trial.temperature_c is None else f"{trial.temperature_c:g} °C"
        found = from_plain(Found, trial.findings)
        clean = "" if found.last_good_mm3_s is None else f"{found.last_good_mm3_s:.3g}"
        bound = {"lower": "≥ ", "upper": "< ", None: ""}[found.bound]
        shown = found.limit_below_mm3_s if found.bound == "upper" else found.limit_mm3_s
        return HistoryRow(heat, clean, "", "" if shown is None else f"{bound}{shown:.3g}")

    def csv_rows(self, trial: Trial) -> list[CsvRow]:
        found = from_plain(Found, trial.findings)
        now, new = found.limit_now_mm3_s, found.limit_unrounded_mm3_s
        return [CsvRow(self.name, now, found.last_good_mm3_s, now, new, found.limit_to_type_mm3_s)]

    def command(self, here: "OnBench") -> str:
        """The command that plans a ramp: each filament and temperature has one of its own."""
        from metier.trials.part_path import next_part, ready_to_print

        ending = ".gcode" if ready_to_print(here) else ".3mf"
        return proposed(self.name, "--plan", *next_part(here, "ramp", ending))

    def before_measuring(self, trial: Trial) -> str:
        what = "coupons, break them" if trial.settings.get("way") == "strength" else "ramp"
        return f"print the {what} (metier part {trial.number} shows how)"


KEPT = LimitKept()
