"""``metier volumetric``: the volumetric speed limit, from a ramp, lengths fed, or coupons."""

import argparse

from metier.commands.lines import add_line_options, printed_line, read_speeds
from metier.commands.on_bench import OnBench
from metier.commands.options import (
    Answer,
    Parser,
    add_entry_options,
    command_parser,
    existing_logbook,
    length,
    length_or_zero,
    mm3_s,
    percent,
    piped_or_typed,
    positive,
    reading,
    typed_mm3_s,
    walls,
    whole_or_zero,
)
from metier.commands.picture import check_picture, drawing
from metier.commands.planning import add_plan_options, measured, planned_bench
from metier.commands.volumetric_ramp import last_ramp, read_ramp
from metier.commands.volumetric_record import (
    CLEAN_MARKERS,
    CLEAN_TO,
    FLOW_UNIT,
    SEEN,
    RampReckoning,
    outcome_of,
    payload_of,
)
from metier.core.ramp import SIGHTED_WITHIN_MM
from metier.core.refusal import Refusal
from metier.core.volumetric import MARGIN, ROUND_TO_MM3_S, Rule
from metier.logbook.trials import Conditions, Reading, Trial


def parser() -> Parser:
    """Return the parser of this command."""
    parser = command_parser(
        "volumetric",
        "Find the volumetric speed limit: from a single-line wall whose flow rises with height, "
        "from lengths fed faster and faster, or from the strength of coupons. 'metier volumetric "
        "compare' lists the limits known.",
        "  metier volumetric --from 4 --step 0.4 --every 2.5 --to 24 \\\n"
        "    --matte-at 22 --gaps-at 31.5 32 --width 0.5 --layer 0.2",
    )
    parser.add_argument(
        "action", nargs="?", choices=("compare",), metavar="compare", help="list known limits"
    )
    ramp = parser.add_argument_group("the ramp (flows in mm³/s; else as planned or as last time)")
    ramp.add_argument("--from", dest="start", type=mm3_s, metavar="Q", help="flow it begins at")
    ramp.add_argument("--rise-per-mm", type=positive, metavar="Q", help="rise for a mm of height")
    ramp.add_argument("--step", type=mm3_s, metavar="Q", help="or: rise by steps of so much")
    ramp.add_argument("--every", type=length, metavar="MM", help="one every so many mm")
    ramp.add_argument("--to", type=mm3_s, metavar="Q", help="flow it ends at")
    ramp.add_argument("--base", type=length_or_zero, metavar="MM", help="height of the foot (0)")
    ramp.add_argument("--sliced", metavar="FILE", help="or take all that from the sliced file")
    ramp.add_argument("--walls", type=walls, metavar="N", help="lines a wall (should be 1)")
    seen = parser.add_argument_group("what was seen; several values are several sightings")
    for name, what in (
        ("gaps", "first gaps show"),
        ("matte", "surface changes"),
        ("failed", "it failed"),
    ):
        seen.add_argument(
            f"--{name}-at", nargs="+", action="extend", type=reading, metavar="MM",
            help=f"height where {what}",
        )  # fmt: skip
        seen.add_argument(
            f"--{name}-flow", nargs="+", action="extend", type=typed_mm3_s, metavar="Q",
            help="or its flow, off a preview",
        )  # fmt: skip
    seen.add_argument("--marker-every", type=length, metavar="MM", help="markers on the part")
    seen.add_argument("--clean-markers", type=whole_or_zero, metavar="N", help="the last clean one")
    seen.add_argument("--clean", action="store_true", help="no gaps to its end; needs --to")
    seen.add_argument(
        "--within",
        type=length,
        metavar="MM",
        help=f"how well heights are known (±{SIGHTED_WITHIN_MM})",
    )
    others = parser.add_argument_group("other ways to a limit")
    others.add_argument(
        "--feed", metavar="FILE.csv", help="lengths fed: flow_mm3_s, asked_mm, moved_mm"
    )
    others.add_argument("--instrument", metavar="NAME", help="they were measured with (calipers)")
    others.add_argument(
        "--strength", metavar="FILE.csv", help="coupons: flow_mm3_s, strength_mpa or force_n"
    )
    others.add_argument("--coupon-diameter", type=length, metavar="MM", help="for force_n")
    others.add_argument("--coupon-length", type=length, metavar="MM", help="with --accel: the part")
    others.add_argument("--accel", type=positive, metavar="MM/S2", help="that ran at speed")
    others.add_argument("--layer-path", type=length, metavar="MM", help="line length a layer, and")
    others.add_argument("--layer-time", type=positive, metavar="S", help="the least time for one")
    how = parser.add_argument_group("how to reckon")
    how.add_argument(
        "--margin",
        type=percent,
        metavar="PERCENT",
        help=f"below the last good flow ({100 * MARGIN:g})",
    )
    how.add_argument(
        "--round-to", type=mm3_s, metavar="Q", help=f"round the limit down to ({ROUND_TO_MM3_S:g})"
    )
    add_line_options(parser)
    parser.add_argument("--around", type=length, metavar="MM", help="outline of the ramp to plan")
    parser.add_argument("--plot", metavar="FILE", help="draw it: png, svg or pdf")
    compared = parser.add_argument_group("what compare lists (else this printer and this spool)")
    compared.add_argument("--printer", metavar="PRINTER", help="limits on one printer only")
    compared.add_argument("--spool", metavar="SPOOL", help="limits of one roll only")
    add_plan_options(parser)
    add_entry_options(parser)
    return parser


def run(options: argparse.Namespace) -> Answer:
    """Run ``metier volumetric``."""
    way = _way(options)
    check_picture(options)
    with existing_logbook(options) as book:
        if way == "compare":
            from metier.commands.volumetric_compare import compare

            return compare(options, book)
        here, plan = planned_bench(book, options, "volumetric")
        rule = _rule(options, plan)
        if way == "plan":
            from metier.commands.volumetric_plan import plan_ramp

            return plan_ramp(options, here, rule)
        if way == "feed":
            from metier.commands.volumetric_feed import from_feed

            return from_feed(options, here, plan, rule)
        if way == "strength":
            from metier.commands.volumetric_strength import from_strength

            return from_strength(options, here, plan, rule)
        return _from_ramp(options, here, plan, rule)


def _from_ramp(
    options: argparse.Namespace, here: OnBench, plan: Trial | None, rule: Rule
) -> Answer:
    from metier.commands.volumetric_sheet import ramp_sheet

    before = last_ramp(here)
    reckoning, taken, line_from = _reckoning(options, here, plan, before, rule)
    entry = None
    readings = _readings(options, options.to or (reckoning.ramp and reckoning.ramp.to_mm3_s))
    if not readings:
        from metier.commands.asking import ask_heights

        entry = ask_heights(options, reckoning.ramp, reckoning.within_mm)
        readings = [one._replace(side="gaps") for one in entry.readings()]
    finding = reckoning.judge(readings)
    notes = (*line_from, *finding.notes)
    if here.setup and here.setup.temperature_c is None:
        notes = (
            *notes,
            "the nozzle temperature is not known: a limit holds for one only (metier bench "
            "--temperature C)",
        )
    payload = payload_of(reckoning, finding, notes)
    number = measured(
        here,
        "volumetric",
        reckoning.settings(),
        Conditions(),
        readings,
        payload,
        [outcome_of(payload)],
        plan,
    )
    if entry:
        entry.recorded()
    if options.plot:
        from metier.commands.volumetric_plot import plot_reckoned

        with drawing(number):
            plot_reckoned(options.plot, here, number, reckoning, finding)
    text = ramp_sheet(options, here, number, reckoning, finding, readings, taken, notes)
    return Answer({"trial": number, **payload}, text)


def _way(options: argparse.Namespace) -> str:
    """Return which of the ways is meant, and refuse what does not go together."""
    seen = [
        f"--{name}-{how}"
        for name in SEEN
        for how in ("at", "flow")
        if getattr(options, f"{name}_{how}")
    ]
    seen += ["--clean-markers"] if options.clean_markers is not None else []
    seen += ["--clean"] if options.clean else []
    ways = ["compare"] if options.action else []
    ways += [f"--{name}" for name in ("plan", "feed", "strength") if getattr(options, name)]
    ways += seen[:1]
    if len(ways) > 1:
        raise Refusal(f"{ways[0]} and {ways[1]} do not go together: one at a time")
    if (options.printer or options.spool) and not options.action:
        raise Refusal("--printer and --spool go with compare; a trial belongs to the bench")
    if options.marker_every is not None and options.clean_markers is None and not options.plan:
        raise Refusal("--marker-every and --clean-markers go together")
    for one, other in (("coupon_length", "accel"), ("layer_path", "layer_time")):
        if (getattr(options, one) is None) != (getattr(options, other) is None):
            names = f"--{one} and --{other}".replace("_", "-")
            raise Refusal(f"{names} go together")
    way = ways[0].removeprefix("--") if ways else "ramp"
    if way in ("plan", "compare", "feed", "strength"):
        return way
    if not seen and not piped_or_typed():
        raise Refusal(
            "nothing was seen: give --gaps-at, --gaps-flow, --clean-markers or --clean, or type "
            "the heights in"
        )
    return "ramp"


def _rule(options: argparse.Namespace, plan: Trial | None) -> Rule:
    margin, round_to_mm3_s = RampReckoning.of(plan.settings).rule if plan else Rule()
    if options.margin is not None:
        if 0 < options.margin < 1:
            raise Refusal(
                f"--margin is percent: type {100 * options.margin:g} for {options.margin:g}"
            )
        if not 0 <= options.margin <= 90:
            raise Refusal(f"--margin: {options.margin:g} must be from 0 to 90 percent")
        margin = options.margin / 100
    return Rule(margin, options.round_to or round_to_mm3_s)


def _readings(options: argparse.Namespace, top_mm3_s: float | None) -> list[Reading]:
    """Return what was seen; where it was clean to its end, that end."""
    found: list[Reading] = []
    for name in SEEN:
        for one in getattr(options, f"{name}_at") or ():
            found.append(Reading(name, one.value_mm, one.text))
        for one in getattr(options, f"{name}_flow") or ():
            found.append(Reading(name + FLOW_UNIT, one.value_mm, one.text))
    if options.clean_markers is not None:
        found.append(Reading(CLEAN_MARKERS, options.clean_markers, str(options.clean_markers)))
    if options.clean:
        if top_mm3_s is None:
            raise Refusal("--to is needed with --clean: the flow the ramp ends at")
        found.append(Reading(CLEAN_TO, top_mm3_s, f"{top_mm3_s:g}"))
    return found


def _reckoning(
    options: argparse.Namespace,
    here: OnBench,
    plan: Trial | None,
    before: Trial | None,
    rule: Rule,
) -> tuple[RampReckoning, str, tuple[str, ...]]:
    """Return how to reckon, where the ramp came from, and notes on the line."""
    ramp, taken = read_ramp(options), ""
    of_file: tuple[str, ...] = ()
    if options.sliced:
        if ramp:
            raise Refusal("--from and --sliced both describe the ramp: give one of them")
        from metier.commands.sliced_tube import ramp_of_file

        ramp, of_file = ramp_of_file(options, here)
        taken = f"as in {options.sliced}"
    known = plan or before
    planned = RampReckoning.of(plan.settings) if plan else None
    marker_every_mm = options.marker_every or (planned and planned.marker_every_mm)
    if options.clean_markers is not None and marker_every_mm is None:
        raise Refusal("--clean-markers needs --marker-every: how far the markers stand apart")
    needs_ramp = options.gaps_at or options.matte_at or options.failed_at
    needs_ramp = needs_ramp or options.clean_markers is not None
    only_flows = not needs_ramp and (options.gaps_flow or options.matte_flow or options.failed_flow)
    if ramp is None and known and (plan or not only_flows):
        usual = RampReckoning.of(known.settings).ramp
        changed = {"to_mm3_s": options.to, "base_mm": options.base}
        ramp = usual and usual._replace(**{k: v for k, v in changed.items() if v is not None})
        taken = "as planned" if plan else f"as in trial {known.number}"
    if ramp is None and not only_flows and not (options.clean and not needs_ramp):
        raise Refusal(
            "--from is needed, with --rise-per-mm or with --step and --every: how the ramp rises"
        )
    line, notes = printed_line(options, here, plan)
    setup = here.setup
    now = here.stands("limit")
    return (
        RampReckoning(
            ramp,
            marker_every_mm,
            options.within or (planned.within_mm if planned else SIGHTED_WITHIN_MM),
            rule,
            line,
            options.walls or (planned and planned.walls),
            setup and setup.nozzle.bore_mm,
            setup and setup.nozzle.hot_end,
            now.in_force,
            read_speeds(options, line),
        ),
        taken,
        (*of_file, *notes),
    )
