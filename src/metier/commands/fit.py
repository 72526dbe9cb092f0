"""``metier fit``: mating parts and threads, and how much more to open for the wanted feel."""

import argparse

from metier.commands.fit_record import (
    FitFinding,
    FitReckoning,
    judge_fit,
    payload_of,
    read_feel,
)
from metier.commands.on_bench import OnBench, bench_phrase, not_recorded
from metier.commands.options import (
    Answer,
    Parser,
    command_parser,
    existing_logbook,
    length_or_zero,
    signed_length,
    small_text,
)
from metier.commands.picture import check_picture, drawing
from metier.commands.planning import add_plan_options, measured, planned, planned_bench
from metier.core.dependence import ValueKind
from metier.core.feel import FEELS, Feel
from metier.core.refusal import Refusal
from metier.core.thread import thread_of
from metier.formats.quantity import read_signed_length_mm
from metier.logbook.trials import Conditions, Reading, Trial, latest_on, readings
from metier.show.sheet import Sheet

_COMPENSATIONS: tuple[ValueKind, ...] = ("hole", "contour")
# Pairs to print where nothing is known: from what presses to what rattles.
_PLANNED_MM = (0.05, 0.1, 0.15, 0.2, 0.3, 0.4)


def parser() -> Parser:
    """Return the parser of this command."""
    parser = command_parser(
        "fit",
        "Find where parts begin to fit as wanted, and how much more to open hole and contour for "
        "it. Feels, from the tightest on: stuck, press, snug, slide, loose.",
        "  metier fit --pair 0.1=press 0.2=snug 0.3=slide 0.4=loose --clearance 0.15",
    )
    ways = parser.add_argument_group("what was tried (one of these)")
    ways.add_argument(
        "--pair", nargs="+", action="extend", type=small_text, metavar="MM=FEEL",
        help="pairs by the clearance drawn, on the diameter",
    )  # fmt: skip
    ways.add_argument(
        "--tried", nargs="+", action="extend", type=small_text, metavar="HOLE/CONTOUR=FEEL",
        help="the same part printed at other compensations, per side",
    )  # fmt: skip
    parser.add_argument("--want", choices=FEELS, help="the feel wanted (slide, or as planned)")
    parser.add_argument(
        "--clearance", type=length_or_zero, metavar="MM", help="the one your part is drawn with"
    )
    parser.add_argument(
        "--thread", type=small_text, metavar="THREAD",
        help="a thread too stiff: 'M20x2.5 6H/6g', '3/4-10 UNC 2B/2A'",
    )  # fmt: skip
    parser.add_argument(
        "--hole-set", type=signed_length, metavar="MM", help="compensation now set, per side"
    )
    parser.add_argument("--contour-set", type=signed_length, metavar="MM", help="that of outlines")
    parser.add_argument("--plot", metavar="FILE", help="draw it: png, svg or pdf")
    add_plan_options(parser)
    return parser


def run(options: argparse.Namespace) -> Answer:
    """Run ``metier fit``."""
    way = _way(options)
    check_picture(options)
    with existing_logbook(options) as book:
        here, plan = planned_bench(book, options, "fit")
        before = _pairs_before(here)
        want = options.want or (plan and plan.settings["want"]) or _want(before) or "slide"
        usual = FitReckoning.of(plan.settings) if plan else None
        if way == "plan":
            return _plan(options, here, want)
        pairs, source = _pairs(options, way), ""
        if way == "thread":
            if before is None:
                raise Refusal(
                    "what this printer needs is not known yet: give --pair beside --thread, or "
                    "try pairs first (metier fit --plan)"
                )
            pairs = readings(book, before.number)
            source = f"pairs of trial {before.number}"
        set_mm, notes = _set(here, options, usual)
        if way == "thread" and before:
            # The pairs tell what was lacking at the compensation they were printed with.
            then_mm = (before.settings["hole_set_mm"], before.settings["contour_set_mm"])
            if then_mm != set_mm:
                notes = (
                    f"the pairs were printed at hole {then_mm[0]:+.2f}, contour {then_mm[1]:+.2f}: "
                    "what to type is reckoned from there",
                )
            set_mm = then_mm
        now_mm = _now_mm(options, way, set_mm)
        if now_mm is None and usual:
            now_mm = usual.now_mm
        thread = options.thread or (usual and usual.thread)
        reckoning = FitReckoning(way, want, now_mm, *set_mm, _share(here), thread)
        finding = judge_fit(reckoning, pairs)
        payload = payload_of(reckoning, finding, notes)
        number = None
        # A thread reckoned from pairs already kept is a question, not a trial.
        if way != "thread":
            number = measured(
                here, "fit", reckoning.settings(), Conditions(), pairs, payload, [], plan
            )
        if options.plot:
            _plot(options.plot, here, number, reckoning, finding, pairs)
        text = _sheet(here, number, reckoning, finding, pairs, source, payload["notes"])
        return Answer({"trial": number, **payload}, text)


def _way(options: argparse.Namespace) -> str:
    if options.pair and options.tried:
        raise Refusal("--pair and --tried are two ways: one at a time")
    if options.tried and (options.clearance is not None or options.thread):
        raise Refusal("--tried is about one part as it is drawn: leave --clearance, --thread out")
    if options.thread and options.clearance is not None:
        raise Refusal("--thread brings its own clearance: leave --clearance out")
    if options.thread:
        thread_of(options.thread)
    if options.plan:
        if options.pair or options.tried:
            raise Refusal("--plan is for pairs not tried yet: leave --pair and --tried out")
        return "plan"
    if options.pair or options.tried:
        return "pair" if options.pair else "tried"
    if options.thread:
        return "thread"
    raise Refusal("nothing was tried: give --pair 0.2=snug 0.3=slide …, --tried or --thread")


def _pairs(options: argparse.Namespace, way: str) -> list[Reading]:
    """Return what was tried, as readings: the feel, and the clearance it was felt at."""
    found = []
    for text in options.pair or options.tried or ():
        size, equals, feel = text.partition("=")
        if not equals:
            form = "0.2=snug" if way == "pair" else "0.10/-0.05=slide"
            raise Refusal(f"--{way}: {text[:40]!r}: write it {form}")
        if way == "pair":
            clearance_mm = read_signed_length_mm(size, "--pair")
        else:
            hole, slash, contour = size.partition("/")
            if not slash:
                raise Refusal(f"--tried: {text[:40]!r}: write it 0.10/-0.05=slide")
            clearance_mm = 2 * (
                read_signed_length_mm(hole, "--tried, hole")
                - read_signed_length_mm(contour, "--tried, contour")
            )
        found.append(Reading(read_feel(feel), round(clearance_mm, 9), text))
    return found


def _pairs_before(here: OnBench) -> Trial | None:
    if here.setup is None:
        return None
    trials = latest_on(here.book, here.setup, "fit", 10)
    return next((trial for trial in trials if trial.settings["way"] == "pair"), None)


def _want(before: Trial | None) -> Feel | None:
    return before.settings["want"] if before else None


def _set(
    here: OnBench, options: argparse.Namespace, usual: FitReckoning | None
) -> tuple[tuple[float, float], tuple[str, ...]]:
    """Return the compensations set, and what is to be said where they are not known."""
    found, unknown = [], []
    for kind in _COMPENSATIONS:
        value = getattr(options, f"{kind}_set")
        if value is None:
            value = getattr(usual, f"{kind}_set_mm") if usual else here.stands(kind).in_force
        if value is None:
            unknown.append(kind)
        found.append(value or 0.0)
    notes: tuple[str, ...] = ()
    if unknown:
        flags = ", ".join(f"--{kind}-set" for kind in unknown)
        notes = (
            f"no {' and '.join(unknown)} compensation is known to be set: 0 is taken ({flags})",
        )
    return (found[0], found[1]), notes


def _now_mm(options: argparse.Namespace, way: str, set_mm: tuple[float, float]) -> float | None:
    """Return the diametral clearance there is now."""
    if options.thread:
        return thread_of(options.thread).least_play_mm
    if way == "tried":
        return round(2 * (set_mm[0] - set_mm[1]), 9)
    given: float | None = options.clearance
    return given


def _share(here: OnBench) -> float:
    """Return the part of an opening that holes get: as the last plate says, else half."""
    trials = latest_on(here.book, here.setup, "xy", 1) if here.setup else []
    found = (trials[0].findings or {}) if trials else {}
    hole_mm, contour_mm = found.get("hole_new_mm"), found.get("contour_new_mm")
    if hole_mm is None or contour_mm is None or not hole_mm > 0 > contour_mm:
        return 0.5
    return float(hole_mm / (hole_mm - contour_mm))


def _plan(options: argparse.Namespace, here: OnBench, want: Feel) -> Answer:
    set_mm, _ = _set(here, options, None)
    now_mm = _now_mm(options, "pair", set_mm)
    reckoning = FitReckoning("pair", want, now_mm, *set_mm, _share(here), options.thread)
    listed = ", ".join(f"{one:g}" for one in _PLANNED_MM)
    recipe = [
        ("print", "a pin of 8 mm, upright, and holes round it for these clearances"),
        ("clearance", f"{listed} mm, on the diameter"),
        ("compensate", f"hole {set_mm[0]:+.2f}, contour {set_mm[1]:+.2f} mm per side"),
        ("try", f"each by hand: {', '.join(FEELS)}"),
    ]
    return planned(here, "fit", reckoning.settings(), Conditions(), recipe)


def _plot(
    path: str,
    here: OnBench,
    number: int | None,
    reckoning: FitReckoning,
    finding: FitFinding,
    pairs: list[Reading],
) -> None:
    from metier.show.fit_plot import plot_pairs

    tried = [(one.value_mm, read_feel(one.side)) for one in pairs]
    begin, want, now_mm = finding.begin, reckoning.want, reckoning.now_mm
    with drawing(number):
        plot_pairs(path, _title(here, number), tried, begin, want, now_mm)


def _title(here: OnBench, number: int | None) -> str:
    if here.setup is None:
        return "Fit"
    return f"Fit: {bench_phrase(here.setup)}" + (f", trial {number}" if number else "")


def _sheet(
    here: OnBench,
    number: int | None,
    reckoning: FitReckoning,
    finding: FitFinding,
    pairs: list[Reading],
    source: str,
    notes: list[str],
) -> str:
    sheet = Sheet(_title(here, number))
    begin, want, opened = finding.begin, reckoning.want, finding.opening
    tried = "  ".join(f"{one.value_mm:g} {one.side}" for one in sorted(pairs, key=_clearance))
    sheet.note(tried + (f"   ({source})" if source else ""), "tried")
    if begin.begins_mm is not None:
        text = f"begins at {begin.begins_mm:.3f} ± {begin.u95_mm:.3f} mm"
        between = f"between {begin.tighter_mm:g} and {begin.fits_mm:g}, on the diameter"
        sheet.row(want, text, between)
    if begin.ends_mm is not None:
        sheet.row("looser", f"from {begin.ends_mm:g} mm", f"no longer just {want}")
    thread = finding.thread
    if thread:
        sheet.row("thread", f"{thread.name} {thread.classes}", _pitch(thread.pitch_diameter_mm))
        play = f"{thread.least_play_mm:.3f} to {thread.most_play_mm:.3f} mm"
        sheet.row("its play", play, "least and most, at the pitch diameter, by design")
    elif reckoning.now_mm is not None:
        what = "opened by what is set" if reckoning.way == "tried" else "as it is drawn"
        sheet.row("there is", f"{reckoning.now_mm:.3f} mm", what)
    if opened and finding.needed_mm is not None and begin.fits_mm is not None:
        verb = "open by" if finding.needed_mm > 0 else "close by"
        surely_mm = begin.fits_mm - (reckoning.now_mm or 0.0)
        remark = f"{abs(finding.needed_mm) / 2:.3f} per side in all; {surely_mm:.3f} to be sure"
        sheet.row(verb, f"{abs(finding.needed_mm):.3f} mm", remark)
    sheet.judged(finding.verdict, notes)
    if thread and finding.verdict.name == "correct":
        instead = f"classes {finding.looser} leave that much by design"
        if finding.looser is None:
            instead = "no usual class leaves that much: compensation has to"
        sheet.note(instead, "or")
    if opened:
        for name, set_mm, change_mm in (
            ("hole", reckoning.hole_set_mm, opened.hole_mm),
            ("contour", reckoning.contour_set_mm, opened.contour_mm),
        ):
            where = f"XY {name} compensation per side, in the slicer ({set_mm:+.2f} was set)"
            sheet.act("type", f"{set_mm + change_mm:+.2f} mm", where)
        if here.setup:
            hole_mm = reckoning.hole_set_mm + opened.hole_mm
            contour_mm = reckoning.contour_set_mm + opened.contour_mm
            said = f"metier entered hole {hole_mm:.2f} && metier entered contour {contour_mm:.2f}"
            sheet.next("say what you typed in:", said)
    if number is None and here.setup is None:
        sheet.gap()
        sheet.lines(*not_recorded(here.bench))
    return sheet.text()


def _clearance(one: Reading) -> float:
    return one.value_mm


def _pitch(diameter_mm: float) -> str:
    return f"pitch diameter {diameter_mm:.3f} mm"
