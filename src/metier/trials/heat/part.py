"""The columns of planned temperature steps."""

from metier.core.errors import BadInput
from metier.core.heat import STEP_MM
from metier.parts.columns import Columns
from metier.trials.heat.kept import HeatSettings
from metier.trials.kind import WantedLine
from metier.trials.on_bench import OnBench
from metier.trials.table import Plan


def part_of(plan: Plan[HeatSettings], _here: OnBench, wanted: WantedLine) -> Columns:
    """Return the columns of a plan.

    Raises:
        BadInput: it plans none, or another line is wanted.
    """
    settings = plan.settings
    if any(wanted):
        raise BadInput(f"line and speed of trial {plan.number} are those of its plan: plan it anew")
    line = settings.line and settings.line.printed
    if line is None or settings.speed_mm_s is None:
        raise BadInput(f"trial {plan.number} plans no columns: metier heat --plan")
    line = line._replace(line_model="rounded")
    return Columns(
        plan.number, line, settings.temperatures_c, settings.speed_mm_s,
        settings.step_mm or STEP_MM,
    )  # fmt: skip
