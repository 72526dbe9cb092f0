"""A plate through the pipeline: its options, its settings, its finding, its part in the job."""

import argparse
import math
from argparse import Namespace
from collections.abc import Sequence
from types import MappingProxyType
from typing import TYPE_CHECKING

from metier.core.errors import BadInput
from metier.core.fit.plate import Feature
from metier.formats.tables import read_plate
from metier.logbook.inforce import last_doubted
from metier.logbook.plain import from_plain
from metier.logbook.trials import Conditions, Outcome, Reading, latest_on, latest_on_printer
from metier.logbook.trials import trial as recorded_trial
from metier.packages import FITS
from metier.show.sheet import Sheet
from metier.trials.kind import Expected, Kind, Measured, Plan, Settled, WantedLine
from metier.trials.on_bench import OnBench, figures_of, instrument_name
from metier.trials.plate.given import (
    compensation_set,
    corrected_feature,
    given_hole,
    given_pin,
    given_post,
    listed_features,
    opened_then,
    part_warmth,
    remarks_on,
    usual_plate,
)
from metier.trials.plate.judged import Judged, PlateContext, came_so
from metier.trials.plate.kept import FORM, KEPT, DrawnFeature, Found, PlateSettings, readings_of
from metier.words.arguments import (
    length,
    option,
    signed_length,
    small_text,
    temperature,
    typed,
    whole,
)
from metier.words.missing import Asked

if TYPE_CHECKING:
    from metier.parts.part import Part

# How many plates before are looked at for how much they differ.
_MOST_PLATES = 8


class Plate(Kind[PlateSettings, PlateContext, Judged]):
    """Holes and posts of known size, measured with jaws or tried with pins."""

    kept = KEPT
    form = FORM
    needs = FITS
    title = "Holes and contours"
    description = (
        "Find hole and contour compensation from a plate of holes and posts of known size, "
        "measured with the jaws of the calipers or tried with pins."
    )
    example = (
        "  metier xy --hole 4=3.79 6=5.80 10=9.82 16=15.80 \\\n"
        "    --post 4=4.09 6=6.10 10=10.08 16=16.09"
    )
    draws = True
    printed = True
    told_by_part = frozenset({"print"})
    lacking = "no readings: give --hole and --post, or --from FILE.csv, or type them in"
    preferences = MappingProxyType({"jaw_land": "bench", "instrument": "bench"})

    def add_options(self, parser: argparse.ArgumentParser) -> None:
        ways = parser.add_argument_group("the features: size drawn = size measured, in mm")
        option(ways, "--hole N=M …", "10=9.82/9.84 at two angles; 20x= along an axis, 20@foot= "
               "at its foot, 1=none", typed(given_hole))  # fmt: skip
        option(ways, "--post N=M …", "posts, bars, outlines: in the same form", typed(given_post))
        option(ways, "--pin N=GO/NOGO …", "holes tried with pins: the one that goes in, the next "
               "that does not; 19.05=go", typed(given_pin))  # fmt: skip
        option(ways, "--from FILE.csv", "kind, nominal, measured …", dest="file")
        how = parser.add_argument_group("how it was measured and printed")
        option(how, "--jaw-land MM", "flat tips of the inside jaws", length)
        option(how, "--facets K", "sides a round hole is drawn with", whole)
        option(how, "--hole-set MM", "compensation of holes set meanwhile, per side", signed_length)
        option(how, "--contour-set MM", "compensation of outlines set meanwhile, per side",
               signed_length)  # fmt: skip
        option(how, "--free-scale", "fit the scale freely")
        option(how, "--for MM", "the hole that the compensation is wanted for (those of the "
               "plate)", length, dest="for_mm")  # fmt: skip
        option(how, "--instrument NAME", "calipers or your own (calipers)")
        option(how, "--part-temperature C", "how warm the part is while it is measured (20)",
               temperature)  # fmt: skip
        option(how, "--material M", "of a warm part (the spool's)", small_text)

    def given(self, options: Namespace) -> bool:
        listed = listed_features(options)
        if options.file and listed:
            raise BadInput("give the features in one way only: --hole and --post, or --from")
        unmeasured = [one for one in listed if not one.taken and not one.missing]
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
        self, options: Namespace, here: OnBench, plan: Plan[PlateSettings] | None
    ) -> Settled[PlateSettings]:
        planned = plan and plan.settings
        name = instrument_name(options, plan and plan.conditions)
        features = read_plate(options.file) if options.file else listed_features(options)
        if not features:
            # As planned, or as this printer printed it last; nothing where neither is known.
            features = [one.drawn() for one in planned.features] if planned else []
            if options.plan:
                features = usual_plate()
            elif not planned:
                features = self._last(here)
        jaw_land_mm, facets = options.jaw_land, options.facets
        for one in planned.features if planned else ():
            jaw_land_mm, facets = jaw_land_mm or one.jaw_land_mm, facets or one.facets
        hole_set_mm, hole_remark = compensation_set(here, "hole", options.hole_set, planned)
        contour_set_mm, contour_remark = compensation_set(
            here, "contour", options.contour_set, planned
        )
        settings = PlateSettings(
            hole_set_mm,
            contour_set_mm,
            options.free_scale or bool(planned and planned.free_scale) or None,
            figures_of(here.book, name, "part"),
            tuple(DrawnFeature.of(corrected_feature(one, jaw_land_mm, facets)) for one in features),
            options.for_mm or (planned and planned.for_mm),
            *part_warmth(options, here),
            *(opened_then(here, name, planned) for name in ("hole", "contour")),
        )
        sources = {"hole": hole_remark, "contour": contour_remark}
        remarks = remarks_on(settings, sources)
        return Settled(settings, Conditions(instrument=name), remarks, sources)

    def _last(self, here: OnBench) -> list[Feature]:
        if here.setup:
            for trial in latest_on_printer(here.book, here.setup.printer, self.name, 1):
                return [one.drawn() for one in self.form.of(here.book, trial).features]
        return []

    def recipe(self, settled: Settled[PlateSettings], here: OnBench) -> list[tuple[str, str]]:
        settings = settled.settings
        sizes = {
            kind: ", ".join(f"{one.nominal_mm:g}" for one in settings.features if one.kind == kind)
            for kind in ("hole", "post")
        }
        return [
            ("print", "a plate about 5 mm high, with these, in mm:"),
            *((f"{kind}s", text) for kind, text in sizes.items() if text),
            ("hole set", f"{settings.hole_set_mm:+.2f} mm per side, in the slicer"),
            ("outlines", f"{settings.contour_set_mm:+.2f} mm per side, in the slicer"),
            ("measure", "above the first layers, each at two angles if you can"),
        ]

    def part(self, plan: Plan[PlateSettings], here: OnBench, wanted: WantedLine) -> "Part":
        from metier.trials.plate.part import plate_of

        return plate_of(plan, here, wanted)

    def readings(
        self, options: Namespace, settled: Settled[PlateSettings], here: OnBench
    ) -> list[Reading]:
        return readings_of(read_plate(options.file) if options.file else listed_features(options))

    def asked(self, settled: Settled[PlateSettings], here: OnBench) -> Asked:
        from metier.trials.plate.given import ask_plate

        settings = settled.settings
        return ask_plate([one.drawn() for one in settings.features], settings.instrument_mm)

    def typed(
        self,
        settled: Settled[PlateSettings],
        lines: Sequence[tuple[str, str]],
        readings: list[Reading],
    ) -> tuple[Settled[PlateSettings], list[Reading]]:
        from metier.trials.plate.given import typed_features

        known = [one.drawn() for one in settled.settings.features]
        features = typed_features(lines, known)
        drawn = tuple(DrawnFeature.of(feature) for feature in features)
        settings = settled.settings._replace(features=drawn)
        settled = settled._replace(settings=settings, remarks=remarks_on(settings, settled.sources))
        return settled, readings_of(features)

    def context(
        self,
        here: OnBench,
        settings: PlateSettings,
        conditions: Conditions,
        before: int | None = None,
    ) -> PlateContext:
        if here.setup is None:
            return PlateContext()
        since = last_doubted(here.book, here.setup, "hole", before)
        trials = latest_on(here.book, here.setup, self.name, _MOST_PLATES, before, since)
        found = (from_plain(Found, one.findings) for one in trials if one.verdict != "recheck")
        return PlateContext(tuple(found))

    def judge(
        self, settings: PlateSettings, readings: Sequence[Reading], context: PlateContext
    ) -> Judged:
        from metier.core.fit.compensation import bound_note, bounds_alone, judge_plate
        from metier.core.fit.offsets import fit_offsets

        features = settings.measured(readings)
        bounds = [one for one in features if one.go_mm is not None and one.no_go_mm is None]
        features = [one for one in features if one not in bounds]
        if not any(one.taken for one in features) and bounds:
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
        notes = [bound_note(one, fit) for one in bounds]
        return Judged(fit, finding._replace(notes=(*finding.notes, *notes)))

    def payload(self, settings: PlateSettings, finding: Judged) -> dict[str, object]:
        from metier.trials.plate.sheet import findings_of

        return findings_of(finding.fit, finding.finding)

    def outcomes(self, settings: PlateSettings, finding: Judged) -> list[Outcome]:
        from metier.trials.plate.sheet import outcomes_of

        return outcomes_of(finding.fit, finding.finding)

    def expected(self, here: OnBench, name: str, value: float) -> list[Expected]:
        """Return what the middle one of the last plate's holes or posts should measure."""
        newest = here.stands(name).newest
        kind = {"hole": "hole", "contour": "post"}.get(name)
        sizes_mm = sorted(one.nominal_mm for one in self._last(here) if one.kind == kind)
        if not (sizes_mm and newest and newest.value_new is not None and newest.u95):
            return []
        size_mm = sizes_mm[len(sizes_mm) // 2]
        told = from_plain(Found, recorded_trial(here.book, newest.trial).findings)
        as_drawn_mm = told.hole_measured_mm if name == "hole" else told.contour_measured_mm
        assert as_drawn_mm is not None
        # Another plate is measured as well as the one before.
        u95_mm = math.sqrt(2) * 2 * newest.u95
        comes_to_mm = size_mm + 2 * (value - as_drawn_mm)
        return [Expected(f"a {kind} of {size_mm:g} mm", comes_to_mm, u95_mm, "mm")]

    def sheet(self, trial: Measured[PlateSettings, PlateContext, Judged], sheet: Sheet) -> None:
        from metier.trials.plate.sheet import write_sheet

        fit, finding = trial.finding
        write_sheet(sheet, fit, finding, trial.notes)
        for text in came_so(finding, trial.context):
            sheet.note(text, "forecast")

    def draw(
        self, path: str, title: str, trial: Measured[PlateSettings, PlateContext, Judged]
    ) -> None:
        from metier.show.size_plots import plot_plate

        finding = trial.finding.finding
        if not trial.finding.fit.rows:
            raise BadInput("--plot: there is nothing to draw of a bound alone")
        plot_plate(
            path,
            title,
            trial.finding.fit,
            {
                "hole": finding.hole and finding.hole.to_type_mm,
                "post": finding.contour and finding.contour.to_type_mm,
            },
        )


KIND = Plate()
