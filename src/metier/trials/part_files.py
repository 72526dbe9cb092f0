"""A part as a file, alone or with its plan: what is written of it, what it takes to print."""

import csv
import io
from collections.abc import Sequence
from importlib.metadata import version
from typing import Any, NamedTuple

from metier.core.errors import BadInput
from metier.core.job.cost import Motion, job_cost
from metier.core.job.moves import moves_of
from metier.core.limit.plan import ACCELERATION_MM_S2
from metier.core.line.runs import Layer, extent_of
from metier.core.materials import material_of
from metier.formats.gcode_written import gcode_of, refuse_height, shift_on
from metier.logbook.recording import plan_trial
from metier.parts.cooling import Pacing, paced
from metier.parts.part import Part
from metier.parts.solid import bounds_of
from metier.show.figures import about, proposed
from metier.show.sheet import Sheet
from metier.trials.kind import Kind, Settled, WantedLine
from metier.trials.on_bench import (
    GCODE,
    MESHES,
    TABLE,
    OnBench,
    bed_c_of,
    bench_phrase,
    needed_setup,
    part_ending,
)
from metier.trials.printing import machine_of, retract_of
from metier.trials.table import Plan
from metier.trials.takes import grams_of
from metier.whole_file import write_whole


class PartFile(NamedTuple):
    """A part that is ready to be written: its content, and what it takes to print it."""

    part: Part
    content: str | bytes
    facts: "PartFacts"


class PartFacts(NamedTuple):
    """The size of a part with its tab, and what printing it takes; grams where its plastic's
    density is known."""

    wide_mm: float
    deep_mm: float
    high_mm: float
    time_s: float
    filament_mm: float
    volume_mm3: float
    grams: float | None


def made_part(
    kind: Kind[Any, Any, Any], plan: Plan[Any], bench: OnBench, wanted: WantedLine, ending: str
) -> PartFile:
    """Return the part of a plan as a file of that ending.

    Raises:
        BadInput: it cannot be printed so on this bench, or there is no such file of it.
    """
    part = kind.part(plan, bench, wanted)
    if ending == GCODE:
        machine = machine_of(bench)
        layers = printed_layers(part, bench)
        extent = extent_of(tuple(layers)).grown(part.line.width_mm / 2)
        high_mm = max(layer.top_mm for layer in layers)
        shift = shift_on(machine.bed, extent, high_mm, primed=machine.start is None)
        text = gcode_of(layers, machine, shift, _comments(part, bench))
        return PartFile(part, text, _facts(part, bench, layers))
    if ending == TABLE:
        return PartFile(part, _table(part), facts_of(part, bench))
    assert ending in MESHES
    from metier.parts.mesh import mesh_bytes

    refuse_height(
        needed_setup(bench.chosen).printer.bed_z_mm, max(body.height_mm for body in part.bodies())
    )

    return PartFile(part, mesh_bytes(part.bodies(), ending), facts_of(part, bench))


def _table(part: Part) -> str:
    rows = part.table()
    if not rows:
        raise BadInput(
            f"nothing changes with height on a {part.name}: {TABLE} is for a ramp or for "
            "temperature steps"
        )
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow(rows[0].told)
    writer.writerows([f"{value:.6g}" for value in row.told.values()] for row in rows)
    return out.getvalue()


def facts_of(part: Part, bench: OnBench) -> PartFacts:
    """Return what printing a part takes, by the lines that it would be written with."""
    return _facts(part, bench, printed_layers(part, bench))


def printed_layers(part: Part, bench: OnBench) -> list[Layer]:
    """Return the lines of a part, none of its layers printed sooner than its plastic sets."""
    layers = part.layers()
    if part.pacing == "kept":
        return layers
    material = material_of(needed_setup(bench.chosen).spool.material)
    return paced(layers, part.line, Pacing(part.pacing == "slower", material))


def _facts(part: Part, bench: OnBench, layers: Sequence[Layer]) -> PartFacts:
    bodies = part.bodies()
    low_x, low_y, high_x, high_y = bounds_of(bodies)
    return PartFacts(
        high_x - low_x,
        high_y - low_y,
        max(body.height_mm for body in bodies),
        *taken_by(layers, bench),
    )


class Taken(NamedTuple):
    """What printing takes."""

    time_s: float
    filament_mm: float
    volume_mm3: float
    grams: float | None


def taken_by(layers: Sequence[Layer], bench: OnBench) -> Taken:
    """Return what printing these layers takes on this bench."""
    ready = needed_setup(bench.chosen)
    accel_mm_s2 = ready.printer.accel_mm_s2 or ACCELERATION_MM_S2
    filament_mm = bench.slicer_mm or ready.spool.diameter_mm
    moves = moves_of(layers, filament_mm, retract_of(ready))
    cost = job_cost(moves, filament_mm, Motion(accel_mm_s2))
    mass = grams_of(bench, cost.filament_mm, cost.volume_mm3)
    return Taken(cost.time_s, cost.filament_mm, cost.volume_mm3, mass and mass.grams)


def _comments(part: Part, bench: OnBench) -> list[str]:
    ready, line = needed_setup(bench.chosen), part.line
    return [
        headline(f"{part.name} of trial {part.number}", bench),
        f"line width {line.width_mm:g} mm",
        f"line distance {line.apart_mm:.9f} mm",
        f"layer height {line.layer_mm:g} mm",
        f"filament diameter {bench.slicer_mm or ready.spool.diameter_mm:g} mm",
    ]


def headline(what: str, bench: OnBench) -> str:
    """Return the first line of a file of G-code: what it is, and what bench it is for."""
    # What firmware cannot show it should not be sent.
    chosen = bench_phrase(needed_setup(bench.chosen)).replace(" °C", " C")
    return f"Metier {version('metier')}: {what}, {chosen}".encode("ascii", "replace").decode()


def part_rows(sheet: Sheet, part: Part, facts: PartFacts, bench: OnBench, ending: str) -> None:
    """Write what a part is and takes, and how to slice it where that is still to be done."""
    size = f"{facts.wide_mm:.0f} x {facts.deep_mm:.0f} x {facts.high_mm:.1f} mm"
    sheet.row(part.name, size, f"the tab in front has {part.number} on it")
    sheet.row("line", f"{part.line.width_mm:g} x {part.line.layer_mm:g} mm", "width x layer")
    takes_row(sheet, facts)
    if ending == GCODE:
        sheet.note("nothing to set: lines, dose, speed and heat are in the file", "slice")
        spool = needed_setup(bench.chosen).spool
        if spool.bed_c is None:
            usual = f"{bed_c_of(spool):g} °C, usual for {spool.material}"
            sheet.note(f"{usual} (metier spool set --bed-temperature, where it is another)", "bed")
    for label, text in () if ending == GCODE else part.slicing():
        sheet.note(text, label)
    lacking = _lacking(bench) if ending in MESHES and part.best_as_gcode else ""
    if lacking:
        sheet.note(f"it can be written ready to print, too: {lacking}, and a name in {GCODE}")


def takes_row(sheet: Sheet, taken: PartFacts | Taken) -> None:
    """Write what printing takes: the time, the filament, its grams where they are known."""
    grams = "" if taken.grams is None else f", {taken.grams:.1f} g"
    sheet.row("takes", about(taken.time_s), f"{taken.filament_mm / 1000:.2f} m of filament{grams}")


def _lacking(bench: OnBench) -> str:
    """Return the commands that tell what G-code for this bench lacks."""
    ready = needed_setup(bench.chosen)
    lacking = []
    if ready.printer.bed_x_mm is None:
        lacking.append(proposed("printer", "set", ready.printer.name, "--bed", "XxY"))
    if bed_c_of(ready.spool) is None:
        lacking.append(proposed("spool", "set", ready.spool.name, "--bed-temperature", "C"))
    return " and ".join(lacking)


def facts_object(part: Part, facts: PartFacts, path: str | None) -> dict[str, object]:
    """Return what a part is and takes, as JSON has it."""
    line = part.line
    return {
        "part": part.name,
        "file": path,
        "width_mm": line.width_mm,
        "layer_mm": line.layer_mm,
        "line_distance_mm": line.apart_mm,
        **facts._asdict(),
        "slicing": dict(part.slicing()),
        "table": [row.told for row in part.table()],
    }


_AS_PLANNED = WantedLine()


class PlannedPart(NamedTuple):
    """A trial as it is planned now, and its part as it was written."""

    plan: Plan[Any]
    settled: Settled[Any]
    made: PartFile
    ending: str

    def write(self, sheet: Sheet, bench: OnBench, path: str) -> dict[str, object]:
        """Write what the part is on the sheet of the plan; return it for programs."""
        sheet.gap()
        part_rows(sheet, self.made.part, self.made.facts, bench, self.ending)
        sheet.note(f"written to {path}", "file")
        return facts_object(self.made.part, self.made.facts, path)


def plan_with_part(
    kind: Kind[Any, Any, Any], bench: OnBench, settled: Settled[Any], path: str, force: bool
) -> PlannedPart:
    """Record a plan and write its part.

    Raises:
        BadInput: it cannot be printed so; nothing is recorded, nothing written.
        OSError: the file cannot be written; nothing is recorded.
    """
    ending = part_ending(path, force)
    ready = needed_setup(bench.chosen)
    (number,) = bench.book.connection.execute(
        "SELECT coalesce(max(id), 0) + 1 FROM trial"
    ).fetchone()
    plan = kind.as_part(Plan(number, settled.settings, settled.conditions), bench, ending)
    settled = settled._replace(settings=plan.settings, conditions=plan.conditions)
    made = made_part(kind, plan, bench, _AS_PLANNED, ending)
    kept = kind.form.keep(settled.settings, settled.remarks)
    # A part takes seconds to make: the lock is held only for writing it down.
    with bench.book.transaction():
        number = plan_trial(bench.book, ready, kind.name, kept, settled.conditions)
        if number != plan.number:
            plan = plan._replace(number=number)
            made = made_part(kind, plan, bench, _AS_PLANNED, ending)
        write_whole(path, made.content, overwrite=force)
    return PlannedPart(plan, settled, made, ending)
