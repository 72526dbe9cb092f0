"""``metier xy``: hole and contour compensation from a plate of holes and posts."""

import argparse
from collections.abc import Sequence
from typing import Literal

from metier.commands.on_bench import OnBench, figures_of
from metier.commands.options import (
    Answer,
    Parser,
    add_entry_options,
    command_parser,
    existing_logbook,
    length,
    piped_or_typed,
    signed_length,
    typed,
    whole,
)
from metier.commands.picture import check_picture, drawing
from metier.commands.planning import (
    add_plan_options,
    instrument_name,
    measured,
    planned,
    planned_bench,
)
from metier.commands.xy_record import (
    PlateReckoning,
    features_of,
    outcomes_of,
    payload_of,
    readings_of,
)
from metier.core.plate import Feature
from metier.core.refusal import Refusal
from metier.core.threshold import same
from metier.formats.plate_csv import read_feature, read_pin, read_plate
from metier.logbook.trials import Conditions, Trial, latest_on_printer

# What a plate is planned with where nothing else is said: small holes shrink most, and a wide
# span shows the scale.
_PLATE_MM = (4.0, 6.0, 10.0, 16.0, 30.0)


def parser() -> Parser:
    """Return the parser of this command."""
    parser = command_parser(
        "xy",
        "Find hole and contour compensation from a plate of holes and posts of known size, "
        "measured with the jaws of the calipers or tried with pins.",
        "  metier xy --hole 4=3.79 6=5.80 10=9.82 16=15.80 \\\n"
        "    --post 4=4.09 6=6.10 10=10.08 16=16.09",
    )
    ways = parser.add_argument_group("the features: size drawn = size measured, in mm")
    ways.add_argument(
        "--hole", nargs="+", action="extend", type=typed(_hole), metavar="N=M",
        help="10=9.82/9.84 at two angles; 20x= along an axis, 20@foot= at its foot, 1=none",
    )  # fmt: skip
    ways.add_argument(
        "--post", nargs="+", action="extend", type=typed(_post), metavar="N=M",
        help="posts, bars, outlines: in the same form",
    )  # fmt: skip
    ways.add_argument(
        "--pin", nargs="+", action="extend", type=typed(_pin), metavar="N=GO/NOGO",
        help="holes tried with pins: the one that goes in, the next that does not",
    )  # fmt: skip
    ways.add_argument("--from", dest="file", metavar="FILE.csv", help="kind, nominal, measured …")
    how = parser.add_argument_group("how it was measured and printed")
    how.add_argument("--jaw-land", type=length, metavar="MM", help="flat tips of the inside jaws")
    how.add_argument("--facets", type=whole, metavar="K", help="sides a round hole is drawn with")
    how.add_argument(
        "--hole-set", type=signed_length, metavar="MM", help="compensation set meanwhile, per side"
    )
    how.add_argument("--contour-set", type=signed_length, metavar="MM", help="the same of outlines")
    how.add_argument("--free-scale", action="store_true", help="fit the scale freely")
    how.add_argument("--instrument", metavar="NAME", help="calipers or your own (calipers)")
    parser.add_argument("--plot", metavar="FILE", help="draw it: png, svg or pdf")
    add_plan_options(parser)
    add_entry_options(parser)
    return parser


def _hole(text: str, _: str) -> Feature:
    return read_feature("hole", text)


def _post(text: str, _: str) -> Feature:
    return read_feature("post", text)


def _pin(text: str, _: str) -> Feature:
    return read_pin(text)


def run(options: argparse.Namespace) -> Answer:
    """Run ``metier xy``."""
    features = _given(options)
    check_picture(options)
    with existing_logbook(options) as book:
        here, plan = planned_bench(book, options, "xy")
        name = instrument_name(options, plan)
        hole_set_mm, hole_notes = _set(here, "hole", options.hole_set, plan)
        contour_set_mm, contour_notes = _set(here, "contour", options.contour_set, plan)
        reckoning = PlateReckoning(
            figures_of(book, name, "part"),
            hole_set_mm,
            contour_set_mm,
            options.free_scale or bool(plan and plan.settings["free_scale"]),
        )
        if plan:
            _as_planned(options, features_of(plan.settings, None))
        conditions = Conditions(instrument=name)
        if options.plan:
            plate = features or [
                Feature("hole" if kind == "hole" else "post", size)
                for kind in ("hole", "post")
                for size in _PLATE_MM
            ]
            settings = reckoning.settings(_corrected(options, plate))
            return planned(here, "xy", settings, conditions, _recipe(reckoning, plate))
        entry = None
        if not features:
            from metier.commands.xy_entry import ask_plate, typed_features

            known = _known_plate(here, plan)
            entry = ask_plate(options, known, reckoning.instrument)
            entry.readings()
            features = typed_features(entry.lines(), known)
        features = _corrected(options, features)
        fit, finding = reckoning.judge(features)
        notes = (
            *(hole_notes if finding.hole else ()),
            *(contour_notes if finding.contour else ()),
            *finding.notes,
        )
        payload = payload_of(fit, finding, notes)
        number = measured(
            here,
            "xy",
            reckoning.settings(features),
            conditions,
            readings_of(features),
            payload,
            outcomes_of(payload),
            plan,
        )
        if entry:
            entry.recorded()
        if options.plot:
            from metier.commands.xy_sheet import xy_title
            from metier.show.plate_plot import plot_plate

            with drawing(number):
                plot_plate(options.plot, xy_title(here, number), fit)
        from metier.commands.xy_sheet import xy_sheet

        text = xy_sheet(here, number, fit, finding, notes)
        return Answer({"trial": number, **payload}, text)


def _given(options: argparse.Namespace) -> list[Feature]:
    """Return the features of the options or the file; none where they are typed or planned."""
    listed = [*(options.hole or ()), *(options.pin or ()), *(options.post or ())]
    if options.file and listed:
        raise Refusal("give the features in one way only: --hole and --post, or --from")
    features = read_plate(options.file) if options.file else listed
    unmeasured = [one for one in listed if not one.taken and not one.missing]
    if options.plan:
        if options.file or len(unmeasured) < len(listed):
            raise Refusal("--plan is for a plate not measured yet: give the sizes drawn alone")
        return features
    if unmeasured:
        one = unmeasured[0]
        raise Refusal(
            f"--{one.kind} {one.nominal_mm:g}: what it measured is missing, "
            f"as --{one.kind} {one.nominal_mm:g}=9.82 (or =none if it did not print)"
        )
    if not features and not piped_or_typed():
        raise Refusal("no readings: give --hole and --post, or --from FILE.csv, or type them in")
    return features


def _as_planned(options: argparse.Namespace, plate: Sequence[Feature]) -> None:
    """Take jaws and facets from the plan where they are not given anew."""
    for one in plate:
        options.jaw_land = options.jaw_land or one.jaw_land_mm
        options.facets = options.facets or one.facets


def _corrected(options: argparse.Namespace, features: Sequence[Feature]) -> list[Feature]:
    """Return the features with the jaws' lands and the facets that hold for all holes."""
    found = []
    for one in features:
        if one.kind == "hole":
            land_mm = one.jaw_land_mm or (options.jaw_land if one.go_mm is None else None)
            one = one._replace(jaw_land_mm=land_mm, facets=one.facets or options.facets)
        found.append(one)
    return found


def _set(
    here: OnBench,
    kind: Literal["hole", "contour"],
    given_mm: float | None,
    plan: Trial | None,
) -> tuple[float, tuple[str, ...]]:
    """Return the compensation that was set while printing, and what is to be said about it."""
    known_mm = here.stands(kind).in_force
    if given_mm is None and plan is not None:
        return plan.settings[f"{kind}_set_mm"], ()
    if given_mm is not None:
        if known_mm is None or same(known_mm, given_mm):
            return given_mm, ()
        note = (
            f"the logbook had {kind} {known_mm:+.2f} in force; you gave {given_mm:+.2f}, which is "
            "used"
        )
        return given_mm, (note,)
    if known_mm is not None:
        return known_mm, (
            f"printed with {kind} compensation {known_mm:+.2f}, as the logbook has it",
        )
    return 0.0, (f"no {kind} compensation is known to be set: 0 is taken (--{kind}-set)",)


def _known_plate(here: OnBench, plan: Trial | None) -> list[Feature]:
    """Return the plate as planned, or as this printer printed it last."""
    if plan is None and here.setup:
        earlier = latest_on_printer(here.book, here.setup.printer, "xy", 1)
        plan = earlier[0] if earlier else None
    if plan is None:
        return []
    return features_of(plan.settings, None)


def _recipe(reckoning: PlateReckoning, plate: Sequence[Feature]) -> list[tuple[str, str]]:
    sizes = {
        kind: ", ".join(f"{one.nominal_mm:g}" for one in plate if one.kind == kind)
        for kind in ("hole", "post")
    }
    return [
        ("print", "a plate about 5 mm high, with these, in mm:"),
        *((f"{kind}s", text) for kind, text in sizes.items() if text),
        ("hole set", f"{reckoning.hole_set_mm:+.2f} mm per side, in the slicer"),
        ("outlines", f"{reckoning.contour_set_mm:+.2f} mm per side, in the slicer"),
        ("measure", "above the first layers, each at two angles if you can"),
    ]
