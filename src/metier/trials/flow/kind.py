"""A cube's walls through the pipeline: its options, its settings, its part in the job."""

import argparse
from collections.abc import Sequence

from metier.core.flow.correction import FlowFinding
from metier.core.flow.rule import FLOW_RULES
from metier.core.measure.slips import refuse_slip
from metier.core.refusal import Refusal
from metier.core.values import VALUES
from metier.formats import quantity
from metier.logbook.inforce import steps_in_force
from metier.logbook.machines import set_printer
from metier.logbook.plain import from_plain
from metier.logbook.trials import Conditions, Outcome, Reading, latest_on, readings
from metier.show.sheet import Sheet
from metier.show.values import value_text
from metier.trials.flow.earlier import EarlierCube, FlowContext
from metier.trials.flow.given import add_cube_options, cube_settings, given_cube
from metier.trials.flow.judging import MOST_EARLIER, context_of, judge_cube
from metier.trials.flow.kept import KEPT, Found
from metier.trials.flow.settings import FORM, FlowSettings
from metier.trials.flow.sheet import write_sheet
from metier.trials.kind import Kind, Measured, Plan, Settled, refuse_planned_readings
from metier.trials.on_bench import OnBench, figures_of, instrument_name
from metier.words.arguments import percent, reading, signed_length
from metier.words.asked import Asked


class Flow(Kind[FlowSettings, FlowContext, FlowFinding]):
    """The walls of a hollow test cube, measured all round."""

    kept = KEPT
    form = FORM
    title = "Flow"
    description = (
        "Correct the flow from the wall thickness of a hollow cube (no top, no infill). Flow is "
        "percent; 0.93x is a multiplier and means the same."
    )
    example = (
        "  metier flow --width 0.44 --walls 1 --layer 0.2 --flow 100 \\\n"
        "    --side 0.47 0.49 --side 0.48 0.46 --side 0.47 0.48 --side 0.47 0.46"
    )
    draws = True
    lacking = "no readings: give --read, --side or --from FILE.csv, or type them in"

    def add_options(self, parser: argparse.ArgumentParser) -> None:
        ways = parser.add_argument_group("the wall readings, in mm (one of these)")
        ways.add_argument(
            "--read", nargs="+", action="extend", type=reading, metavar="MM", help="all round"
        )
        ways.add_argument(
            "--side", nargs="+", action="append", type=reading, metavar="MM",
            help="readings of one side; repeat it, every side counts alike",
        )  # fmt: skip
        ways.add_argument(
            "--from", dest="file", metavar="FILE.csv", help="columns reading and side"
        )
        add_cube_options(parser)
        how = parser.add_argument_group("how to reckon")
        how.add_argument(
            "--rule", choices=FLOW_RULES,
            help="bead geometry, the plain ratio, or the trend of several cubes",
        )  # fmt: skip
        how.add_argument(
            "--accept", nargs=2, type=percent, metavar=("LOW", "HIGH"),
            help="deviation kept, percent (-2.5 4.5)",
        )  # fmt: skip
        how.add_argument(
            "--round", choices=("nearest", "down", "up"), help="of the value to type (nearest)"
        )
        how.add_argument("--round-to", type=percent, metavar="PERCENT", help="step of flow (1)")
        how.add_argument(
            "--instrument", metavar="NAME", help="calipers (default), micrometer or your own"
        )
        how.add_argument(
            "--zero", type=signed_length, metavar="MM", help="what it shows when closed"
        )

    def given(self, options: argparse.Namespace) -> bool:
        ways = [way for way in ("read", "side", "file") if getattr(options, way)]
        if len(ways) > 1:
            raise Refusal("give the readings in one way only: --read, --side or --from")
        refuse_planned_readings(options, bool(ways), "a cube")
        return bool(ways)

    def settle(
        self, options: argparse.Namespace, here: OnBench, plan: Plan[FlowSettings] | None
    ) -> Settled[FlowSettings]:
        planned = plan and plan.settings
        conditions = plan.conditions if plan else Conditions()
        cube = given_cube(options)
        of_file: tuple[str, ...] = ()
        if options.sliced:
            from metier.trials.flow.sliced import filled_from_file

            cube, of_file = filled_from_file(cube, options.sliced, here, plan)
        used = here.in_use("flow", cube.flow, "--flow", planned and planned.cube.flow)
        known, where = planned, "planned"
        if known is None and here.setup:
            for trial in latest_on(here.book, here.setup, self.name, 1):
                known, where = self.form.of(here.book, trial), f"in trial {trial.number}"
        name = instrument_name(options, conditions)
        settings, taken = cube_settings(
            cube,
            known,
            planned,
            flow_percent=VALUES["flow"].seen(used.value),
            line_model=here.bench.printer and here.bench.printer.line_model,
            usual_step_percent=here.bench.flow_step_percent,
            bore_mm=here.setup and here.setup.nozzle.bore_mm,
            instrument=figures_of(here.book, name, "wall", options.zero),
            esteps=steps_in_force(here.book, here.setup.printer) if here.setup else None,
        )
        printer = here.bench.printer
        model_known = cube.line_model or (printer and printer.line_model)
        return Settled(
            _reckoned(options, settings),
            Conditions(speed_mm_s=cube.speed_mm_s or conditions.speed_mm_s, instrument=name),
            (*of_file, *used.notes),
            {
                "flow": used.source,
                "line": f"{taken} as {where}" if taken else "",
                "line model": "" if model_known else ", the slicer's not known",
                "learnt": cube.line_model or "",
            },
        )

    def recipe(self, settled: Settled[FlowSettings], here: OnBench) -> list[tuple[str, str]]:
        cube = settled.settings.cube
        return [
            ("print", "a hollow cube: no top, no infill, a few centimetres wide"),
            ("walls", f"{cube.walls} line{'s' if cube.walls > 1 else ''} a wall"),
            ("line", f"{cube.width_mm:g} mm wide, {cube.layer_mm:g} mm high"),
            ("flow", value_text("flow", cube.flow, here.writing)),
            ("wall", f"should then measure {cube.target_mm():.3f} mm ({cube.line_model})"),
        ]

    def readings(
        self, options: argparse.Namespace, settled: Settled[FlowSettings], here: OnBench
    ) -> list[Reading]:
        if options.file:
            from metier.formats.readings_csv import read_readings

            return [Reading(*found) for found in read_readings(options.file)]
        sides = options.side or [options.read]
        named = [f"side {n}" for n in range(1, len(sides) + 1)] if options.side else [""]
        return [
            Reading(name, one.value_mm, one.text)
            for name, side in zip(named, sides, strict=True)
            for one in side
        ]

    def asked(self, settled: Settled[FlowSettings], here: OnBench) -> Asked:
        target_mm, instrument = settled.settings.cube.target_mm(), settled.settings.instrument_mm
        return Asked(
            self.name,
            "The walls of the cube, going round it as seen from above: front (towards you), right, "
            "back, left, and round again.",
            ("front", "right", "back", "left"),
            "Let the part cool. Measure the upper layers, never the first ones, away from corners "
            "and seam. Close the jaws until they just touch, without squeezing. Zero them first.",
            instrument,
            lambda value_mm, _: refuse_slip(value_mm, target_mm + instrument.zero_mm, "reading"),
            lambda text: [quantity.read_length_mm(text, "reading")],
        )

    def context(
        self,
        here: OnBench,
        settings: FlowSettings,
        conditions: Conditions,
        before: int | None = None,
    ) -> FlowContext:
        earlier = []
        if here.setup:
            for trial in latest_on(here.book, here.setup, self.name, MOST_EARLIER, before):
                earlier.append(EarlierCube.of(trial, self.form.of(here.book, trial)))
        return context_of(here, earlier, conditions)

    def judge(
        self, settings: FlowSettings, readings: Sequence[Reading], context: FlowContext
    ) -> FlowFinding:
        return judge_cube(settings, readings, context)

    def payload(self, settings: FlowSettings, finding: FlowFinding) -> dict[str, object]:
        percent = VALUES["flow"].seen
        to_type, trend = finding.flow_to_type, finding.trend
        return {
            "wall_mm": finding.wall.value,
            "wall_u95_mm": finding.wall.u95,
            "wall_u_mm": finding.wall.u,
            "wall_readings": finding.wall.n,
            "target_mm": finding.target_mm,
            "targets_mm": finding.targets_mm._asdict(),
            "line_model": settings.line_model,
            "flow_now_percent": percent(finding.flow_now),
            "flow_new_percent": 100 * finding.flow_new,
            "flow_new_u95_percent": 100 * finding.flow_new_u95,
            "flow_plain_percent": 100 * finding.flow_plain,
            "flow_trend_percent": None if trend is None else 100 * trend.flow,
            "flow_under_percent": {
                model: 100 * ratio for model, ratio in finding.flow_under._asdict().items()
            },
            "flow_to_type_percent": None if to_type is None else percent(to_type),
            "rule": finding.rule,
        }

    def outcomes(self, settings: FlowSettings, finding: FlowFinding) -> list[Outcome]:
        now, new = finding.flow_now, finding.flow_new
        return [Outcome("flow", now, new, finding.flow_new_u95, finding.flow_to_type)]

    def learn(self, settled: Settled[FlowSettings], here: OnBench) -> None:
        model = settled.settings.line_model
        if here.setup and settled.sources["learnt"] not in ("", here.setup.printer.line_model):
            set_printer(here.book, here.setup.printer, line_model=model)

    def sheet(self, trial: Measured[FlowSettings, FlowContext, FlowFinding], sheet: Sheet) -> None:
        write_sheet(trial, sheet)

    def draw(
        self, path: str, title: str, trial: Measured[FlowSettings, FlowContext, FlowFinding]
    ) -> None:
        """Draw this cube after those like it, recorded or not."""
        from metier.trials.flow.picture import plot_cubes

        found = from_plain(Found, self.payload(trial.settings, trial.finding))
        book = trial.here.book
        cubes = [
            (cube.number, cube.settings, cube.found, readings(book, cube.number))
            for cube in reversed(trial.context.like(trial.settings))
        ]
        this = (trial.number, trial.settings, found, list(trial.readings))
        bench = title.removeprefix(self.title).rpartition(", trial")[0]
        plot_cubes(path, f"Walls of the test cubes{bench}", [*cubes, this])


def _reckoned(options: argparse.Namespace, settings: FlowSettings) -> FlowSettings:
    """Return how to reckon: as given, else as it was settled."""
    if options.accept is not None:
        low, high = options.accept
        if not -50 <= low <= 0 <= high <= 50:
            raise Refusal(
                f"--accept: {low:g} {high:g} must be a LOW from -50 to 0 and a HIGH from 0 to 50"
            )
        settings = settings._replace(accept_percent=(low, high))
    if options.round_to is not None:
        if not 0.01 <= options.round_to <= 10:
            raise Refusal(f"--round-to: {options.round_to:g} must be from 0.01 to 10 percent")
        settings = settings._replace(round_to_percent=options.round_to)
    return settings._replace(
        rule=options.rule or settings.rule, round=options.round or settings.round
    )


KIND = Flow()
