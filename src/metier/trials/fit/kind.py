"""Pairs of parts through the pipeline: their options, settings, judgement, row."""

from argparse import Namespace
from collections.abc import Sequence

from metier.core.errors import BadInput
from metier.core.fit.feel import FEELS, FitFinding, Pair, judge_pairs
from metier.core.fit.thread import DRAWN, thread_of
from metier.formats.felt_pairs import read_feel, read_pair, read_tried
from metier.logbook.trials import Conditions, Reading, latest_on, readings
from metier.trials.fit.given import USUAL_PAIRS, check_feels, clearance_now, felt, hole_share
from metier.trials.fit.kept import KEPT, FitResult, FitSettings, PrintedPairs, ThreadResult, Way
from metier.trials.kind import Kind, Settled, refuse_unplanned
from metier.trials.on_bench import OnBench
from metier.trials.table import Plan, given, known, of_bench, planned, setting, told, usual
from metier.words.arguments import compensation, length, length_or_zero, small_text

_COMPENSATIONS = ("hole", "contour")


class Fit(Kind[FitSettings, None, FitFinding]):
    """Pairs of parts that go together more or less easily."""

    kept = KEPT
    form = KEPT.settings
    title = "Fit"
    description = (
        "Find where parts begin to fit as wanted, and how much more to open hole and contour for "
        "it. Feels, from the tightest on: stuck, press, snug, slide, loose."
    )
    example = "  metier fit --pair 0.1=press 0.2=snug 0.3=slide 0.4=loose --clearance 0.15"
    asks = False
    draws = True
    printed = True
    told_by_part = frozenset({"print", "clearance"})
    job = "pair feel want clearance thread hole-set contour-set pin"
    lacking = "nothing was tried: give --pair 0.2=snug 0.3=slide …, --tried or --thread"
    table = (
        "what was tried (one of these)",
        told("--pair MM=FEEL …", "pairs by the clearance drawn, on the diameter", small_text),
        told("--tried HOLE/CONTOUR=FEEL …", "the same part printed at other compensations, per "
             "side", small_text),
        told("--feel FEEL …", "of the planned pairs, left to right, or of the planned bolt and "
             "nut", FEELS),
        "the pairs to print, with --plan",
        told("--pin MM", "diameter of the pin (8)", length),
        told("--clearances MM …", "how much wider each hole is drawn (0.05 to 0.4)",
             length_or_zero),
        "",
        setting("want", "--want", "the feel wanted (slide, or as planned)", FEELS, given, known,
                usual("slide"), kept="filament"),
        told("--clearance MM", "the clearance your part is drawn with", length_or_zero),
        setting("thread", "--thread THREAD", "a thread too stiff: 'M20x2.5 6H/6g', '3/4-10 UNC "
                "2B/2A'", small_text, given, planned),
        setting("drawn", "--drawn", "where in its class the thread is drawn (mid)", DRAWN, given,
                planned, usual("mid")),
        setting("hole_set_mm", "--hole-set MM", "compensation of holes now set, per side",
                compensation, given, planned,
                of_bench(lambda bench: bench.stands("hole").in_force)),
        setting("contour_set_mm", "--contour-set MM", "compensation of outlines now set, per side",
                compensation, given, planned,
                of_bench(lambda bench: bench.stands("contour").in_force)),
    )  # fmt: skip

    def given(self, options: Namespace) -> bool:
        if options.pair and options.tried:
            raise BadInput("--pair and --tried are two ways: one at a time")
        if options.tried and options.clearance is not None:
            raise BadInput("--tried is about one part as it is drawn: leave --clearance out")
        if options.feel and (options.pair or options.tried or not options.trial):
            raise BadInput("--feel is of pairs that were planned, in their order: give --trial N")
        if (options.pin or options.clearances) and not options.plan:
            raise BadInput("--pin and --clearances are of the pairs to print: they go with --plan")
        if (options.pin or options.clearances) and options.thread:
            raise BadInput("--thread is printed as a bolt and a nut: leave --pin, --clearances out")
        if options.drawn and not options.thread:
            raise BadInput("--drawn is of a thread: give --thread, too")
        if options.thread and options.clearance is not None:
            raise BadInput("--thread brings its own clearance: leave --clearance out")
        if options.thread:
            thread_of(options.thread)
        refuse_unplanned(self, options, bool(options.pair or options.tried), "a pair")
        return bool(options.pair or options.tried or options.thread or options.feel)

    def lacks(self, plan: Plan[FitSettings] | None) -> str:
        if plan is None:
            return self.lacking
        feels = ", ".join(FEELS)
        if plan.settings.thread:
            return f"say how the nut goes on the bolt, by hand: --feel and one of {feels}"
        listed = ", ".join(f"{mm:g}" for mm in (plan.settings.pairs or USUAL_PAIRS).clearances_mm)
        return (
            f"say how the pin goes in each hole, by hand, from left to right ({listed} mm): --feel "
            f"and as many of {feels}"
        )

    def before(self, bench: OnBench) -> Plan[FitSettings] | None:
        for trial in latest_on(bench.book, bench.setup, self.name, 10) if bench.setup else ():
            settings = self.form.of(bench.book, trial)
            if settings.way == "pair":
                return Plan(trial.number, settings, trial.conditions)
        return None

    def settle(
        self, options: Namespace, bench: OnBench, plan: Plan[FitSettings] | None
    ) -> Settled[FitSettings]:
        seen = {name: known.value for name, known in self.sought(options, bench, plan).items()}
        planned, before = plan and plan.settings, self.before(bench)
        way: Way = "pair" if options.pair or options.plan else "thread"
        if options.tried or options.feel or (options.plan and options.thread):
            way = "tried"
        if options.feel and planned and not planned.thread:
            way = "pair"
            check_feels(options.feel, planned)
        set_mm, source = (seen["hole_set_mm"], seen["contour_set_mm"]), ""
        remarks: tuple[str, ...] = ()
        unknown = [
            name for name, value in zip(_COMPENSATIONS, set_mm, strict=True) if value is None
        ]
        if unknown and not options.plan:
            flags = ", ".join(f"--{name}-set" for name in unknown)
            named = " and ".join(unknown)
            remarks = (f"no {named} compensation is known to be set: 0 is taken ({flags})",)
        hole_mm, contour_mm = (value or 0.0 for value in set_mm)
        if way == "thread":
            # The pairs tell what was lacking at the compensation they were printed with.
            then_mm = (hole_mm, contour_mm)
            if before is not None:
                then_mm = (before.settings.hole_set_mm, before.settings.contour_set_mm)
                source = f"pairs of trial {before.number}"
            if then_mm != (hole_mm, contour_mm):
                remarks = (
                    f"the pairs were printed at hole {then_mm[0]:+.2f}, contour "
                    f"{then_mm[1]:+.2f}: what to type is counted from there",
                )
            hole_mm, contour_mm = then_mm
        now_mm = clearance_now(options, way, hole_mm, contour_mm)
        if now_mm is None and planned:
            # Pairs tell what a thread that was planned is short of.
            now_mm = planned.now_play_mm if planned.thread else planned.now_mm
        if options.thread and not options.drawn:
            said = "the thread is taken as drawn at the middle of its class (--drawn least, most)"
            remarks = (*remarks, said)
        pairs = planned.pairs if planned else None
        if options.plan and way == "pair":
            pin_mm, clearances_mm = USUAL_PAIRS
            clearances_mm = tuple(sorted(set(options.clearances or clearances_mm)))
            pairs = PrintedPairs(options.pin or pin_mm, clearances_mm)
        settings = FitSettings(
            *(way, seen["want"], now_mm, hole_mm, contour_mm, hole_share(bench)),
            *(seen["thread"], seen["drawn"], pairs),
        )
        # A thread reckoned from pairs already kept is a question, not a trial.
        recorded, tried = way != "thread", before.number if source and before else None
        sources = {"tried": source}
        return Settled(settings, Conditions(), remarks, sources, recorded, of_trial=tried)

    def recipe(self, settled: Settled[FitSettings], bench: OnBench) -> list[tuple[str, str]]:
        settings = settled.settings
        set_mm = f"hole {settings.hole_set_mm:+.2f}, contour {settings.contour_set_mm:+.2f}"
        if settings.thread and settings.way == "tried":
            thread = thread_of(settings.thread)
            return [
                ("print", f"a bolt and a nut, {thread.name} {thread.classes}"),
                ("drawn", f"at the {settings.drawn} of its class: {settings.now_play_mm:.3f} mm "
                 "of play"),
                ("compensate", f"{set_mm} mm per side"),
                ("try", f"the nut on the bolt, by hand: {', '.join(FEELS)}"),
            ]  # fmt: skip
        pairs = settings.pairs or USUAL_PAIRS
        listed = ", ".join(f"{mm:g}" for mm in pairs.clearances_mm)
        return [
            ("print", f"a pin of {pairs.pin_mm:g} mm, upright, and holes for these clearances"),
            ("clearance", f"{listed} mm, on the diameter"),
            ("compensate", f"{set_mm} mm per side"),
            ("try", f"each by hand: {', '.join(FEELS)}"),
        ]

    def readings(
        self, options: Namespace, settled: Settled[FitSettings], bench: OnBench
    ) -> list[Reading]:
        if settled.settings.way == "thread":
            return readings(bench.book, settled.of_trial) if settled.of_trial else []
        if options.feel:
            return felt(settled.settings, options.feel)
        return [
            *(Reading(*read_pair(text), text) for text in options.pair or ()),
            *(Reading(*read_tried(text), text) for text in options.tried or ()),
        ]

    def judge(
        self, settings: FitSettings, readings: Sequence[Reading], context: None
    ) -> FitFinding:
        pairs = [Pair(reading.value, read_feel(reading.side)) for reading in readings]
        thread = thread_of(settings.thread) if settings.thread else None
        played_mm = thread.play_mm(settings.drawn) if thread and settings.way == "tried" else 0.0
        return judge_pairs(
            pairs, settings.want, settings.now_mm, settings.hole_share, thread, played_mm
        )

    def result(self, settings: FitSettings, finding: FitFinding) -> FitResult:
        begin, opened, thread = finding.begin, finding.opening, finding.thread
        hole_mm, contour_mm = settings.hole_set_mm, settings.contour_set_mm
        surely_mm = None
        if begin.sure_mm is not None and settings.now_mm is not None:
            surely_mm = begin.sure_mm - settings.now_mm
        return FitResult(
            want=settings.want,
            begins_mm=begin.begins_mm,
            begins_u95_mm=begin.u95_mm,
            begins_interval_mm=tuple(begin.interval_mm),
            tighter_mm=begin.tighter_mm,
            fits_mm=begin.fits_mm,
            ends_mm=begin.ends_mm,
            contradictory=begin.contradictory,
            now_mm=settings.now_mm,
            open_mm=finding.needed_mm,
            open_surely_mm=surely_mm,
            hole_change_mm=opened and opened.hole_mm,
            contour_change_mm=opened and opened.contour_mm,
            hole_to_type_mm=opened and round(hole_mm + opened.hole_mm, 10),
            contour_to_type_mm=opened and round(contour_mm + opened.contour_mm, 10),
            thread=thread
            and ThreadResult(
                *(thread.name, thread.classes, thread.pitch_diameter_mm),
                *(thread.least_play_mm, thread.most_play_mm, thread.allowance_mm),
                *(thread.internal_tolerance_mm, thread.external_tolerance_mm, finding.looser),
            ),
        )


KIND = Fit()
