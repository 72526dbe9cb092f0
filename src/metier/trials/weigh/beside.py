"""What the print of a flow trial weighed, kept beside its walls."""

import json

from metier.core.weighing import WeighFinding
from metier.logbook.edits import edit
from metier.logbook.trials import readings, trial
from metier.trials.flow.settings import FORM, KeptWeight
from metier.trials.judging import judge_after, judged_again, keep_judged
from metier.trials.on_bench import OnBench


def keep_weight(bench: OnBench, number: int, finding: WeighFinding) -> list[str]:
    """Keep with a flow trial what its print weighed, and judge it and what it bears on with that;
    returns the trials that were judged anew."""
    weighing = finding.weighing
    assert weighing is not None
    assert weighing.density is not None
    printed = trial(bench.book, number)
    settings = FORM.of(bench.book, printed)
    weight = KeptWeight(
        weighing.mass.value,
        weighing.mass.u,
        weighing.asked_mm,
        settings.diameter_mm or 1.75,
        weighing.density.g_cm3,
        weighing.density.u,
    )
    kept = FORM.keep(settings._replace(weight=weight), printed.settings.get("remarks", ()))
    with bench.book.transaction() as moment:
        edit(bench.book, moment, "trial", number, {"settings": json.dumps(kept)})
        if printed.state == "measured":
            printed = trial(bench.book, number)
            keep_judged(
                bench.book, number, judged_again(bench.book, printed, readings(bench.book, number))
            )
            return [str(each) for each in (number, *judge_after(bench.book, number))]
    return []
