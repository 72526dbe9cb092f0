"""Real parts through the pipeline: their options, settings, finding."""

import argparse
import os
from argparse import Namespace
from collections.abc import Sequence
from types import MappingProxyType
from typing import Literal, NamedTuple

from metier.core.errors import BadInput
from metier.core.flow.posterior import BAND
from metier.core.line.bead import LINE_MODELS
from metier.core.proof import ProofFinding, later, prove
from metier.core.values import VALUES
from metier.logbook.trials import Conditions, Reading, readings, trials
from metier.show.sheet import Sheet
from metier.trials.kind import Kind, Measured, Plan, Settled, refuse_planned_readings
from metier.trials.on_bench import OnBench, figures_of, instrument_name
from metier.trials.proof.given import (
    Expected,
    GivenPlace,
    expected_wall,
    place,
    read_place,
    with_expected,
)
from metier.trials.proof.kept import FORM, KEPT, ProofSettings
from metier.trials.proof.sheet import write_sheet
from metier.words.arguments import length, option, positive, signed_length, small_text, walls
from metier.words.missing import Asked

_PART = "part"
# How many real parts are looked through for the first print of one.
_MOST = 500


class Before(NamedTuple):
    """The first print of a part, and what it came to."""

    number: int
    at: str
    finding: ProofFinding


class ProofContext(NamedTuple):
    """What else bears on a part: its first print, where this is another."""

    first: Before | None = None


class Proof(Kind[ProofSettings, ProofContext, ProofFinding]):
    """A real part, measured at places that its maker names."""

    kept = KEPT
    form = FORM
    title = "Proof"
    description = (
        "Judge a real part after the cube: its walls at places you name, how even they are, where "
        "it is thinnest; its grams and minutes against the file's. The same part again later is "
        "laid beside the first."
    )
    example = (
        "  metier proof --of globe --at root=0.44 belly=0.45/0.46 tip=0.41 --expect 0.45\n"
        "  metier proof --of globe --sliced globe.gcode --minutes 74 --grams 12.3 \\\n"
        "    --at root=0.44 belly=0.45 tip=0.41 --says 'a seam shows'"
    )
    draws = True
    lacking = "no places: give --at NAME=MM …, or type them in"
    preferences = MappingProxyType({"instrument": "bench"})

    def add_options(self, parser: argparse.ArgumentParser) -> None:
        option(parser, "--of PART", "which part it is", small_text)
        option(parser, "--at NAME=MM …", "a place and its wall, as root=0.44/0.45; with what it "
               "should be: tip=0.41:0.45", place)  # fmt: skip
        should = parser.add_argument_group("what its walls should be (else as the last cube)")
        option(should, "--expect MM", "the wall", length)
        option(should, "--sliced FILE", "or the file it was printed from")
        option(should, "--walls N", "or lines a wall", walls)
        option(should, "--width MM", "of such a width", length)
        option(should, "--layer MM", "layer height", length)
        option(should, "--line-model", "how lines are dosed", LINE_MODELS)
        took = parser.add_argument_group("what it took")
        option(took, "--grams G", "what it weighs", positive)
        option(took, "--file-grams G", "by its file", positive)
        option(took, "--minutes MIN", "how long it took", positive)
        option(took, "--estimate MIN", "by its file", positive)
        option(parser, "--says TEXT", "a word on how it looks", small_text)
        option(parser, "--photo FILE", "where a picture of it lies")
        option(parser, "--instrument NAME", "calipers (default), micrometer or your own")
        option(parser, "--zero MM", "what it shows when closed", signed_length)

    def given(self, options: Namespace) -> bool:
        refuse_planned_readings(options, bool(options.at), "a part")
        return bool(options.at)

    def settle(
        self, options: Namespace, here: OnBench, plan: Plan[ProofSettings] | None
    ) -> Settled[ProofSettings]:
        planned = plan and plan.settings
        part = options.of or (planned.part if planned else _PART)
        if planned and planned.places and not _tells_wall(options):
            wall_mm = planned.places[0].expected_mm
            expected = Expected(wall_mm, planned.layer_mm, planned.expected_from)
        else:
            expected = expected_wall(options, here)
        name = instrument_name(options, plan and plan.conditions)
        places = with_expected(tuple(options.at or ()), expected, part)
        if planned and not places:
            places = planned.places
            if expected.wall_mm and _tells_wall(options):
                places = tuple(one._replace(expected_mm=expected.wall_mm) for one in places)
        stands = here.stands("flow").in_force
        settings = ProofSettings(
            part,
            places,
            figures_of(here.book, name, "wall", options.zero),
            options.layer or expected.layer_mm or (planned and planned.layer_mm),
            options.grams,
            options.file_grams or expected.grams or (planned and planned.file_grams),
            options.minutes,
            options.estimate or expected.minutes or (planned and planned.file_minutes),
            _whose_minutes(options, expected, planned),
            options.says,
            _photo(options.photo),
            None if stands is None else VALUES["flow"].seen(stands),
            expected.source,
        )
        if expected.wall_mm and not places:
            # What is asked for one by one is held against this.
            settings = settings._replace(places=with_expected(_UNNAMED, expected, part))
        return Settled(settings, Conditions(instrument=name), expected.notes)

    def recipe(self, settled: Settled[ProofSettings], here: OnBench) -> list[tuple[str, str]]:
        settings = settled.settings
        steps = [("print", settings.part), ("measure", "its walls at three places or more")]
        if settings.places:
            steps.append(("should be", f"{settings.places[0].expected_mm:.3f} mm"))
        return [*steps, ("note", "its grams and its minutes")]

    def readings(
        self, options: Namespace, settled: Settled[ProofSettings], here: OnBench
    ) -> list[Reading]:
        return _readings(options.at)

    def asked(self, settled: Settled[ProofSettings], here: OnBench) -> Asked:
        settings = settled.settings
        return Asked(
            self.name,
            "Places of the part and their walls, one a line: root=0.44, or tip=0.41/0.42.",
            ("place …",),
            "Let the part cool. Name a place so that you find it again on the next print. Close "
            "the jaws until they just touch.",
            settings.instrument_mm,
            lambda *_: None,
            lambda text: [one.value_mm for one in read_place(text).readings],
        )

    def typed(
        self,
        settled: Settled[ProofSettings],
        lines: Sequence[tuple[str, str]],
        readings: list[Reading],
    ) -> tuple[Settled[ProofSettings], list[Reading]]:
        settings = settled.settings
        given = [read_place(text) for _, text in lines]
        known = settings.places[0].expected_mm if settings.places else None
        lacking = [one.name for one in given if one.expected_mm is None and known is None]
        if lacking:
            raise BadInput(f"--expect is needed: the wall that {lacking[0]} should have, in mm")
        expected = Expected(known, settings.layer_mm, settings.expected_from)
        places = with_expected(tuple(given), expected, settings.part)
        return settled._replace(settings=settings._replace(places=places)), _readings(given)

    def context(
        self,
        here: OnBench,
        settings: ProofSettings,
        conditions: Conditions,
        before: int | None = None,
    ) -> ProofContext:
        for one in reversed(trials(here.book, _MOST, test=self.name)):
            if one.state != "measured" or (before is not None and one.number >= before):
                continue
            earlier = self.form.of(here.book, one)
            if earlier.part.lower() == settings.part.lower():
                finding = self.judge(earlier, readings(here.book, one.number), ProofContext())
                return ProofContext(Before(one.number, one.at, finding))
        return ProofContext()

    def judge(
        self, settings: ProofSettings, readings: Sequence[Reading], context: ProofContext
    ) -> ProofFinding:
        return prove(
            settings.measured(readings), settings.instrument_mm, BAND, settings.layer_mm,
            settings.job,
        )  # fmt: skip

    def payload(self, settings: ProofSettings, finding: ProofFinding) -> dict[str, object]:
        return {
            "part": settings.part,
            "mean_mm": finding.mean.value,
            "mean_u95_mm": finding.mean.u95,
            "expected_mm": finding.expected_mm,
            "off_percent": 100 * finding.off,
            "off_u95_percent": 100 * finding.off_u95,
            "uneven_mm": finding.uneven_mm,
            "places": [
                {
                    "name": one.name,
                    "wall_mm": one.wall_mm,
                    "expected_mm": one.expected_mm,
                    "off_percent": 100 * one.off,
                    "off_u95_percent": 100 * one.off_u95,
                }
                for one in finding.places
            ],
            "thinnest": finding.thinnest.name,
            "thin": [one.name for one in finding.thin],
            "grams_off_percent": None if finding.grams_off is None else 100 * finding.grams_off,
            "time_factor": finding.factor,
            "estimate_from": settings.estimate_from,
        }

    def sheet(
        self, trial: Measured[ProofSettings, ProofContext, ProofFinding], sheet: Sheet
    ) -> None:
        first = trial.context.first
        pairs = later(first.finding, trial.finding) if first else []
        write_sheet(trial, sheet, first, pairs)

    def draw(
        self, path: str, title: str, trial: Measured[ProofSettings, ProofContext, ProofFinding]
    ) -> None:
        from metier.show.size_plots import plot_places

        first = trial.context.first
        plot_places(path, title, trial.finding, first and first.finding, first and first.number)


def _tells_wall(options: Namespace) -> bool:
    """Tell whether the options say what walls should be."""
    return any((options.expect, options.sliced, options.walls, options.width))


def _whose_minutes(
    options: Namespace, expected: Expected, planned: ProofSettings | None
) -> Literal["file", "given"]:
    """Tell whose estimate the file's minutes are: Metier's own, or one that was typed."""
    if options.estimate:
        return "given"
    if expected.minutes:
        return "file"
    return planned.estimate_from if planned else "given"


_UNNAMED = (GivenPlace("place", ()),)


def _readings(places: Sequence[GivenPlace]) -> list[Reading]:
    return [Reading(one.name, each.value_mm, each.text) for one in places for each in one.readings]


def _photo(path: str | None) -> str | None:
    if path is not None and not os.path.isfile(path):
        raise BadInput(f"--photo: there is no file {path[:80]}")
    return path and os.path.abspath(path)


KIND = Proof()
