"""``metier volumetric --plan``: the ramp to print, from what is known of hot ends like this."""

import argparse

from metier.commands.lines import flow_in_use, printed_line
from metier.commands.on_bench import OnBench, bench_phrase, needed_setup
from metier.commands.options import Answer
from metier.commands.planning import planned
from metier.commands.volumetric_ramp import read_ramp
from metier.commands.volumetric_record import PrintedLine, RampReckoning
from metier.core.ramp import SIGHTED_WITHIN_MM, Ramp
from metier.core.ramp_plan import (
    AROUND_MM,
    Line,
    Proposal,
    line_notes,
    price,
    propose_range,
    propose_steps,
    usual_line,
)
from metier.core.refusal import Refusal
from metier.core.volumetric import Rule
from metier.logbook.bench import Setup
from metier.logbook.limits import KnownLimit, most_similar
from metier.logbook.trials import Conditions
from metier.show.values import value_text


def plan_ramp(options: argparse.Namespace, here: OnBench, rule: Rule) -> Answer:
    """Record the ramp to print and say what to set for it."""
    if options.speeds:
        raise Refusal("--speeds is for a limit that is known: leave it out of the plan")
    ready = needed_setup(here.bench)
    similar = most_similar(here.book, ready)
    known, _ = printed_line(options, here)
    bore_mm = ready.nozzle.bore_mm
    width_mm, layer_mm = usual_line(known and known.width_mm, known and known.layer_mm, bore_mm)
    if options.width:
        width_mm = options.width[0]
    if options.layer:
        layer_mm = options.layer[0]
    ratio, unsettled = flow_in_use(options, here)
    model = options.line_model or ready.printer.line_model or "plain"
    line = Line(width_mm, layer_mm, model, ratio)
    proposal = price(
        _ramp(options, similar, bore_mm, rule),
        line,
        options.around or AROUND_MM,
        ready.spool.diameter_mm,
    )
    reckoning = RampReckoning(
        proposal.ramp,
        options.marker_every,
        options.within or SIGHTED_WITHIN_MM,
        rule,
        PrintedLine(*line),
        1,
        bore_mm,
        ready.nozzle.hot_end,
        here.stands("limit").in_force,
    )
    recipe = _recipe(here, ready, proposal, similar)
    notes = (*unsettled, *line_notes(width_mm, layer_mm, bore_mm))
    recipe += [("note", text) for text in notes]
    answer = planned(here, "volumetric", reckoning.settings(), Conditions(), recipe)
    figures = {
        "around_mm": proposal.around_mm,
        "height_mm": proposal.height_mm,
        "time_s": proposal.time_s,
        "filament_mm": proposal.filament_mm,
        "volume_mm3": proposal.volume_mm3,
        "from_mm_s": proposal.from_mm_s,
        "to_mm_s": proposal.to_mm_s,
        "least_layer_s": proposal.least_layer_s,
    }
    return answer._replace(payload={**answer.payload, **figures})


def _ramp(
    options: argparse.Namespace, similar: KnownLimit | None, bore_mm: float, rule: Rule
) -> Ramp:
    """Return the ramp as given, the rest as it suits this hot end and nozzle."""
    low, high = propose_range(similar and similar.limit_mm3_s, bore_mm)
    low, high = options.start or low, options.to or high
    if options.start is None and options.to is not None and low >= high:
        low = high / 4
    if options.to is None and high <= low:
        high = 3 * low
    base_mm = options.base or 0.0
    if options.rise_per_mm is not None:
        given = options if options.start is not None else None
        ramp = read_ramp(given) if given else None
        return (ramp or Ramp(low, options.rise_per_mm, base_mm=base_mm))._replace(to_mm3_s=high)
    step, every_mm = propose_steps(low, high, rule.round_to_mm3_s)
    step, every_mm = options.step or step, options.every or every_mm
    steps = int((high - low) / step + 1e-9)
    if options.start is None and options.to is not None:
        low = round(high - max(1, steps) * step, 10)
    high = round(low + max(1, steps) * step, 10)
    return Ramp(low, None, step, every_mm, base_mm, high)


def _recipe(
    here: OnBench, ready: Setup, proposal: Proposal, similar: KnownLimit | None
) -> list[tuple[str, str]]:
    ramp, line = proposal.ramp, proposal.line
    rise = (
        f"{ramp.rise_mm3_s_mm:g} more each mm"
        if ramp.rise_mm3_s_mm
        else (f"{ramp.step_mm3_s:g} more every {ramp.every_mm:g} mm")
    )
    side = proposal.around_mm / 4
    recipe = [
        (
            "print",
            f"a square tube, {side:g} mm a side, walls of one line, no top, no infill",
        ),
        ("flow from", f"{ramp.from_mm3_s:g} to {ramp.to_mm3_s:g} mm³/s, {rise}"),
        ("so speed", f"{proposal.from_mm_s:.0f} to {proposal.to_mm_s:.0f} mm/s"),
        ("line", f"{line.width_mm:g} mm wide, {line.layer_mm:g} mm high"),
        ("at flow", value_text("flow", line.flow, here.writing)),
        ("height", f"{proposal.height_mm:g} mm"),
        (
            "it takes",
            f"about {max(1, round(proposal.time_s / 60))} min and "
            f"{proposal.filament_mm / 1000:.1f} m of filament, acceleration not counted",
        ),
        (
            "set",
            f"the slicer's volumetric limit above {ramp.to_mm3_s:g}: it would flatten the ramp",
        ),
        (
            "set",
            f"no slowing for short layers: the last take {proposal.least_layer_s:.1f} s each",
        ),
    ]
    if similar:
        least = "at least " if similar.at_least else ""
        where = f"{least}{similar.limit_mm3_s:g} mm³/s is known of {bench_phrase(similar.setup)}"
    else:
        where = f"no limit is known yet: a wide range for a {ready.nozzle.bore_mm:g} mm bore"
    recipe.append(("range", where))
    return recipe
