"""The ramp and the bench that a trial of the limit belongs to: as given, or as last time."""

import argparse
from typing import Any

from metier.commands.on_bench import OnBench
from metier.core.ramp import Ramp
from metier.core.refusal import Refusal
from metier.logbook.trials import Trial, latest_on_printer

_RISES = ("rise_per_mm", "step", "every")


def read_ramp(options: argparse.Namespace) -> Ramp | None:
    """Return the ramp that the options describe; None where they describe none.

    Raises:
        Refusal: not all of it is given.
    """
    if options.start is None:
        given = next((name for name in _RISES if getattr(options, name) is not None), None)
        if given and not options.plan:
            raise Refusal(f"--from is needed with --{given.replace('_', '-')}: where it begins")
        return None
    if options.rise_per_mm is None and options.step is None and options.every is None:
        if options.gaps_flow or options.clean:
            # A flow read off a preview, or the end, says it all.
            return None
        raise Refusal("how the ramp rises is needed: --rise-per-mm, or --step and --every")
    return Ramp(
        options.start,
        options.rise_per_mm,
        options.step,
        options.every,
        options.base or 0.0,
        options.to,
    )


def last_ramp(here: OnBench) -> Trial | None:
    """Return the last ramp printed with this nozzle: the next is mostly the same file."""
    if here.setup is None:
        return None
    return next(
        (
            trial
            for trial in latest_on_printer(here.book, here.setup.printer, "volumetric", 10)
            if trial.settings.get("from_mm3_s") and trial.nozzle == here.setup.nozzle.name
        ),
        None,
    )


def settings_of_bench(here: OnBench) -> dict[str, Any]:
    """Return what every trial of the limit keeps of nozzle and hot end."""
    setup = here.setup
    return {
        "bore_mm": setup and setup.nozzle.bore_mm,
        "hot_end": setup and setup.nozzle.hot_end,
        "limit_now_mm3_s": here.stands("limit").in_force,
    }
