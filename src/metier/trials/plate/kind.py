"""A plate through the pipeline: its options, its settings, its finding, its part in the job."""

import math
from argparse import Namespace
from collections.abc import Sequence

from metier.core.errors import BadInput
from metier.core.fit.plate import Feature
from metier.formats.tables import read_plate
from metier.logbook.inforce import last_doubted
from metier.logbook.trials import Conditions, Outcome, Reading, latest_on, latest_on_printer
from metier.logbook.trials import trial as recorded_trial
from metier.packages import FITS
from metier.trials.kind import Expected, Kind, Settled
from metier.trials.on_bench import Known, OnBench, figures_of
from metier.trials.plate.given import (
    ask_plate,
    compensation_set,
    corrected_feature,
    given_hole,
    given_pin,
    given_post,
    listed_features,
    opened_then,
    part_warmth,
    remarks_on,
    typed_features,
    usual_plate,
)
from metier.trials.plate.judged import Judged, PlateContext
from metier.trials.plate.kept import KEPT, DrawnFeature, PlateResult, PlateSettings, readings_of
from metier.trials.table import (
    Plan,
    Row,
    Seeking,
    Source,
    given,
    instrument,
    planned,
    setting,
    told,
)
from metier.words.arguments import (
    compensation,
    length,
    option_reader,
    small_text,
    temperature,
    whole,
)
from metier.words.missing import Asked

# How many plates before are looked at for how much they differ.
_MOST_PLATES = 8


def _of_features(name: str) -> Source:
    """What all holes of a plan have alike."""

    def source(seeking: Seeking, _: Row) -> Known | None:
        features = seeking.plan.settings.features if seeking.plan else ()
        value = next(
            (getattr(feature, name) for feature in features if getattr(feature, name)), None
        )
        return value and Known(value)

    return source


class Plate(Kind[PlateSettings, PlateContext, Judged]):
    """Holes and posts of known size, measured with jaws or tried with pins."""

    kept = KEPT
    form = KEPT.settings
    needs = FITS
    title = "Holes and contours"
    description = (
        "Find hole and contour compensation from a plate of holes and posts of known size, "
        "measured with the jaws of the calipers or tried with pins."
    )
    example = (
        "  metier xy --hole 10=9.8 --post 10=10.1\n"
        "  metier xy --hole 4=3.79 6=5.80 10=9.82 16=15.80 \\\n"
        "    --post 4=4.09 6=6.10 10=10.08 16=16.09"
    )
    draws = True
    printed = True
    told_by_part = frozenset({"print"})
    job = "hole post from hole-set contour-set jaw-land for"
    lacking = "no readings: give --hole and --post, or --from FILE.csv, or type them in"
    table = (
        "the features: size drawn = size measured, in mm",
        told("--hole N=M …", "10=9.82/9.84 at two angles; 20x= along an axis, 20@foot= at its "
             "foot, 1=none", option_reader(given_hole)),
        told("--post N=M …", "posts, bars, outlines: in the same form", option_reader(given_post)),
        told("--pin N=GO/NOGO …", "holes tried with pins: the one that goes in, the next that does "
             "not; 19.05=go", option_reader(given_pin)),
        told("--from FILE.csv", "kind, nominal, measured …", dest="file"),
        "how it was measured and printed",
        setting("jaw_land_mm", "--jaw-land MM", "flat tips of the inside jaws", length, given,
                _of_features("jaw_land_mm"), kept="bench"),
        setting("facets", "--facets K", "sides a round hole is drawn with", whole, given,
                _of_features("facets")),
        setting("hole_set_mm", "--hole-set MM", "compensation of holes set meanwhile, per side",
                compensation, compensation_set("hole")),
        setting("contour_set_mm", "--contour-set MM", "compensation of outlines set meanwhile, per "
                "side", compensation, compensation_set("contour")),
        told("--free-scale", "fit the scale freely"),
        setting("for_mm", "--for MM", "the hole that the compensation is wanted for (those of the "
                "plate)", length, given, planned, dest="for_mm"),
        instrument("calipers or your own (calipers)", kept="bench"),
        told("--part-temperature C", "how warm the part is while it is measured (20)", temperature),
        told("--material M", "of a warm part (the spool's)", small_text),
    )  # fmt: skip

    def given(self, options: Namespace) -> bool:
        listed = listed_features(options)
        if options.file and listed:
            raise BadInput("give the features in one way only: --hole and --post, or --from")
        unmeasured = [feature for feature in listed if not feature.taken and not feature.missing]
        if options.plan:
            if options.file or len(unmeasured) < len(listed):
                raise BadInput("--plan is for a plate not measured yet: give the sizes drawn alone")
        elif unmeasured:
            kind, size = unmeasured[0].kind, f"{unmeasured[0].nominal_mm:g}"
            raise BadInput(
                f"--{kind} {size}: what it measured is missing, "
                f"as --{kind} {size}=9.82 (or =none if it did not print)"
            )
        return bool(options.file or listed)

    def settle(
        self, options: Namespace, bench: OnBench, plan: Plan[PlateSettings] | None
    ) -> Settled[PlateSettings]:
        seen, before = self.sought(options, bench, plan), plan and plan.settings
        value = {name: known.value for name, known in seen.items()}
        features = read_plate(options.file) if options.file else listed_features(options)
        if not features:
            # As planned, or as this printer printed it last; nothing where neither is known.
            features = [feature.drawn() for feature in before.features] if before else []
            if options.plan:
                features = usual_plate()
            elif not before:
                features = self._last(bench)
        corrections = (value["jaw_land_mm"], value["facets"])
        settings = PlateSettings(
            value["hole_set_mm"],
            value["contour_set_mm"],
            options.free_scale or bool(before and before.free_scale) or None,
            figures_of(bench.book, value["instrument"], "part"),
            tuple(
                DrawnFeature.of(corrected_feature(feature, *corrections)) for feature in features
            ),
            value["for_mm"],
            *part_warmth(options, bench),
            *(opened_then(bench, name, before) for name in ("hole", "contour")),
        )
        sources = {name: seen[f"{name}_set_mm"].source for name in ("hole", "contour")}
        conditions = Conditions(instrument=value["instrument"])
        return Settled(settings, conditions, remarks_on(settings, sources), sources)

    def _last(self, bench: OnBench) -> list[Feature]:
        if bench.setup:
            for trial in latest_on_printer(bench.book, bench.setup.printer, self.name, 1):
                return [feature.drawn() for feature in self.form.of(bench.book, trial).features]
        return []

    def recipe(self, settled: Settled[PlateSettings], bench: OnBench) -> list[tuple[str, str]]:
        settings = settled.settings
        sizes = {
            kind: ", ".join(
                f"{feature.nominal_mm:g}" for feature in settings.features if feature.kind == kind
            )
            for kind in ("hole", "post")
        }
        return [
            ("print", "a plate about 5 mm high, with these, in mm:"),
            *((f"{kind}s", text) for kind, text in sizes.items() if text),
            ("hole set", f"{settings.hole_set_mm:+.2f} mm per side, in the slicer"),
            ("outlines", f"{settings.contour_set_mm:+.2f} mm per side, in the slicer"),
            ("measure", "above the first layers, each at two angles if you can"),
        ]

    def readings(
        self, options: Namespace, settled: Settled[PlateSettings], bench: OnBench
    ) -> list[Reading]:
        return readings_of(read_plate(options.file) if options.file else listed_features(options))

    def asked(self, settled: Settled[PlateSettings], bench: OnBench) -> Asked:
        settings = settled.settings
        return ask_plate([feature.drawn() for feature in settings.features], settings.instrument_mm)

    def taken_in(
        self,
        settled: Settled[PlateSettings],
        lines: Sequence[tuple[str, str]],
        readings: list[Reading],
    ) -> tuple[Settled[PlateSettings], list[Reading]]:
        features = typed_features(lines, [feature.drawn() for feature in settled.settings.features])
        drawn = tuple(DrawnFeature.of(feature) for feature in features)
        settings = settled.settings._replace(features=drawn)
        settled = settled._replace(settings=settings, remarks=remarks_on(settings, settled.sources))
        return settled, readings_of(features)

    def context(
        self,
        bench: OnBench,
        settings: PlateSettings,
        conditions: Conditions,
        before: int | None = None,
    ) -> PlateContext:
        if bench.setup is None:
            return PlateContext()
        since = last_doubted(bench.book, bench.setup, "hole", before)
        trials = latest_on(bench.book, bench.setup, self.name, _MOST_PLATES, before, since)
        return PlateContext(tuple(KEPT.of(trial) for trial in trials if trial.verdict != "recheck"))

    def judge(
        self, settings: PlateSettings, readings: Sequence[Reading], context: PlateContext
    ) -> Judged:
        from metier.core.fit.compensation import bound_note, bounds_alone, judge_plate
        from metier.core.fit.offsets import fit_offsets

        features = settings.measured(readings)
        bounds = [
            feature
            for feature in features
            if feature.go_mm is not None and feature.no_go_mm is None
        ]
        features = [feature for feature in features if feature not in bounds]
        if not any(feature.taken for feature in features) and bounds:
            return Judged(*bounds_alone(bounds))
        fit = fit_offsets(
            features,
            settings.instrument_mm,
            bool(settings.free_scale),
            settings.for_mm,
            context.differ_mm,
        )
        finding = judge_plate(
            fit,
            settings.hole_set_mm,
            settings.contour_set_mm,
            hole_opened_mm=settings.hole_opened_mm,
            contour_opened_mm=settings.contour_opened_mm,
        )
        notes = [bound_note(bound, fit) for bound in bounds]
        return Judged(fit, finding._replace(notes=(*finding.notes, *notes)))

    def result(self, settings: PlateSettings, finding: Judged) -> PlateResult:
        from metier.trials.plate.sheet import result_of

        return result_of(finding.fit, finding.finding)

    def outcomes(self, settings: PlateSettings, finding: Judged) -> list[Outcome]:
        from metier.trials.plate.sheet import outcomes_of

        return outcomes_of(finding.fit, finding.finding)

    def expected(self, bench: OnBench, name: str, value: float) -> list[Expected]:
        """Return what the middle one of the last plate's holes or posts should measure."""
        newest = bench.stands(name).newest
        kind = {"hole": "hole", "contour": "post"}.get(name)
        sizes_mm = sorted(
            feature.nominal_mm for feature in self._last(bench) if feature.kind == kind
        )
        if not (sizes_mm and newest and newest.value_new is not None and newest.u95):
            return []
        size_mm = sizes_mm[len(sizes_mm) // 2]
        then = KEPT.of(recorded_trial(bench.book, newest.trial))
        as_drawn_mm = then.hole_measured_mm if name == "hole" else then.contour_measured_mm
        assert as_drawn_mm is not None
        # Another plate is measured as well as the one before.
        u95_mm = math.sqrt(2) * 2 * newest.u95
        comes_to_mm = size_mm + 2 * (value - as_drawn_mm)
        return [Expected(f"a {kind} of {size_mm:g} mm", comes_to_mm, u95_mm, "mm")]


KIND = Plate()
