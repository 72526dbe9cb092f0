"""A part of one's own at several flows, on its sheet."""

from metier.core.limit.tried import TriedFinding
from metier.show.sheet import Sheet, table
from metier.trials.kind import Measured
from metier.trials.limit.lines import limit_act, what_next
from metier.trials.tried.settings import TriedSettings

_HELD = {True: "held", False: "broken", None: "-"}


def write(trial: Measured[TriedSettings, None, TriedFinding], sheet: Sheet) -> None:
    """Write the flows that were tried, fastest first."""
    finding, limit = trial.finding, trial.result.limit_mm3_s
    limit_act(sheet, finding.verdict, limit, trial.settings.on.limit_now_mm3_s)
    sheet.judged(trial.verdict, trial.notes)
    rows = [
        (f"{flow.flow_mm3_s:g}", "even" if flow.even else "starved", _HELD[flow.held],
         "good" if flow.good else "")
        for flow in reversed(finding.tried)
    ]  # fmt: skip
    sheet.lines(*table(("mm³/s", "walls", "breaks", ""), rows, (0,)))
    what_next(sheet, trial.number, finding.verdict, limit)
