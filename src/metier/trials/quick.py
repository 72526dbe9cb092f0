"""What a few minutes at the bench are best spent on: the quick way to each value that is not sure.

What all else rests on comes first, for there each minute makes most things surer.
"""

from typing import NamedTuple

from metier.core.materials import melts_mm3_s
from metier.core.measure.thresholds import round_to
from metier.show.figures import proposed
from metier.trials.on_bench import OnBench, next_part, ready_to_print
from metier.trials.stations import stations, zero_station

# At the bench, in minutes: closing jaws, typing a value in, a metre of strand, one length fed, and
# the small tube printed, cooled and measured.
_ZERO_MIN, _TYPED_MIN, _STRAND_MIN, _RUN_MIN, _TUBE_MIN = 1.0, 1.0, 4.0, 6.0, 14.0
# Of what a plain hot end melts, as a start.
_START = 0.7
_UNSURE = ("unset", "doubtful", "carried")


class QuickStep(NamedTuple):
    """One thing for a few minutes: the step, how long it takes, what it gives, its command."""

    step: str
    minutes: float
    why: str
    command: str


def quick_steps(bench: OnBench, minutes: float) -> list[QuickStep]:
    """Return what fits into so many minutes, first what everything else rests on."""
    chosen = []
    for step in _known(bench):
        if step.minutes <= minutes + 1e-9:
            chosen.append(step)
            minutes -= step.minutes
    return chosen


def _known(bench: OnBench) -> list[QuickStep]:
    """Return the quick ways that are open on a bench, in the order of the job."""
    known = {station.step: station for station in stations(bench)}
    steps = []
    if zero_station(bench).status != "verified":
        command = proposed("instrument", "zero", "calipers")
        steps.append(QuickStep("zero", _ZERO_MIN, "every wall reading depends on it", command))
    for station in known.values():
        if station.status == "advised" and station.enter:
            steps.append(QuickStep(station.step, _TYPED_MIN, station.why, station.enter))
    unsure = {name for name, station in known.items() if station.status in _UNSURE}
    if "diameter" in unsure:
        why = "a metre of strand at five places: to 0.02 mm"
        steps.append(QuickStep("diameter", _STRAND_MIN, why, proposed("diameter")))
    esteps = known.get("esteps")
    untried = esteps and (esteps.status in _UNSURE or not esteps.tried)
    if untried and esteps and esteps.enter:
        why = "one length fed: e-steps to about 0.6 %, three would halve that"
        command = proposed("esteps", "--asked", "150", "--mark", "180")
        steps.append(QuickStep("esteps", _RUN_MIN, why, command))
    if "flow" in unsure:
        why = "the small tube, printed and measured: less sure than the whole one"
        # Where it cannot be written yet, what is lacking is said when it is.
        part = next_part(bench, "tube", ".gcode") if ready_to_print(bench) else ()
        command = proposed("flow", "--plan", "--quick", *part)
        steps.append(QuickStep("flow", _TUBE_MIN, why, command))
    if known["limit"].status == "unset" and bench.setup:
        material, bore_mm = bench.setup.spool.material, bench.setup.nozzle.bore_mm
        start = round_to(_START * melts_mm3_s(material, bore_mm), 0.5, "down")
        why = f"a start, not a measurement: what a plain hot end melts of {material}, less 30 %"
        command = proposed("entered", "limit", f"{start:g}")
        steps.append(QuickStep("limit", _TYPED_MIN, why, command))
    return steps
