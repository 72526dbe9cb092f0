"""The part of a planned print of walls: the tube, its lines and its dose."""

from metier.core.errors import BadInput
from metier.core.flow.trials import Dose
from metier.core.line.bead import PrintedLine, rounding_mm
from metier.parts.tube import Tube, TubeSection
from metier.trials.flow.settings import FlowSettings, KeptDose, TubeShape
from metier.trials.kind import WantedLine
from metier.trials.on_bench import GCODE, OnBench, needed_setup
from metier.trials.printing import inner_speed, part_speed, refuse_line
from metier.trials.table import Plan


def as_tube(plan: Plan[FlowSettings], bench: OnBench, ending: str) -> Plan[FlowSettings]:
    """Return a plan as a file of that ending lets it be printed; without one, as it is.

    In G-code the dose and the speed are known; a mesh is dosed by the slicer that it goes to.

    Raises:
        BadInput: what a slicer cannot do, or a line that the nozzle does not print.
    """
    settings, conditions = plan.settings, plan.conditions
    if not ending:
        return plan
    line = _line(settings)
    if ending == GCODE:
        refuse_line(line, needed_setup(bench.chosen).nozzle.bore_mm)
        speed_mm_s = part_speed(bench, _richest(settings, line), conditions.speed_mm_s)
        dose = KeptDose(line.area_mm2, line.apart_mm, "part")
        return plan._replace(
            settings=settings._replace(dose=dose),
            conditions=conditions._replace(speed_mm_s=speed_mm_s),
        )
    if len(settings.sections) > 1:
        named = ", ".join(section.named for section in settings.sections)
        raise BadInput(
            f"a slicer prints walls alike all the way up, and {named} are planned: write the tube "
            f"as {GCODE}, or plan it with --walls 3"
        )
    if settings.dose and settings.dose.source == "part":
        settings = settings._replace(dose=None)
    return plan._replace(settings=settings)


def part_of(plan: Plan[FlowSettings], bench: OnBench, wanted: WantedLine) -> Tube:
    """Return the tube of a plan.

    Raises:
        BadInput: another line than planned is wanted.
    """
    settings = plan.settings
    if any(wanted):
        raise BadInput(
            f"line and speed of trial {plan.number} are those of its plan: mend them with "
            f"metier trial {plan.number} --width …, or plan it anew"
        )
    line = _line(settings)
    speed_mm_s = part_speed(bench, _richest(settings, line), plan.conditions.speed_mm_s)
    sections = tuple(
        TubeSection(
            section.walls,
            settings.flow_of(section) or 1.0,
            settings.speed_of(section, section.width_mm and speed_mm_s),
            section.width_mm,
        )
        for section in settings.sections
    )
    inner_mm_s = inner_speed(bench, line, speed_mm_s)
    shape = settings.tube or TubeShape()
    return Tube(plan.number, line, sections, speed_mm_s, *shape, inner_mm_s)


def _line(settings: FlowSettings) -> PrintedLine:
    """Return the line of a tube, at the flow that it is printed at where no section has its own."""
    layer_mm, width_mm = settings.layer_mm, settings.width_mm
    if settings.aim_mm is not None:
        aimed = Dose.of_aim(settings.aim_mm, settings.sections[0].walls, layer_mm, 1.0)
        assert aimed.spacing_mm is not None
        width_mm = aimed.spacing_mm + rounding_mm(layer_mm)
    if width_mm is None:
        raise BadInput(
            "the line width of that plan is not known, only its dose: plan it with --width"
        )
    return PrintedLine(width_mm, layer_mm, "rounded", settings.flow or 1.0)


def _richest(settings: FlowSettings, line: PrintedLine) -> PrintedLine:
    """Return the line at the flow of the richest section, which asks the most of the hot end."""
    flows = [settings.flow_of(section) or 1.0 for section in settings.sections]
    return line._replace(flow=max(flows))
