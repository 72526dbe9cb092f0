"""What a print weighed beside its walls: the filament that it was asked for, and its density."""

from metier.core.errors import BadInput
from metier.core.flow.trials import FlowTrial
from metier.core.measure.instruments import Scale, weighed
from metier.core.measure.student import NORMAL95
from metier.core.weighing import Density, Strand, density_of, weigh
from metier.formats.quantity import read_positive
from metier.logbook.inforce import last_doubted, steps_in_force
from metier.logbook.instruments import Instrument
from metier.logbook.items import listed
from metier.logbook.machines import Spool
from metier.logbook.trials import Conditions, latest_on
from metier.trials.diameter.kept import measured_diameter
from metier.trials.flow.settings import FlowSettings, KeptWeight
from metier.trials.kind import WantedLine
from metier.trials.on_bench import OnBench
from metier.trials.table import Plan
from metier.trials.weigh.kept import KEPT as WEIGH
from metier.trials.weigh.kept import weighed_strand

# A strand that nobody measured is what its maker says, to this (1 u).
_NOMINAL_U_MM = 0.02
# How many of a bench's newest weighings are looked at.
_NEWEST = 6


def known_strand(bench: OnBench, before: int | None = None) -> tuple[Strand, int] | None:
    """Return what a metre of the roll weighs, and the trial that says so; before a trial's
    number."""
    known = weighed_strand(bench.book, bench.setup.spool, before) if bench.setup else None
    if known is None:
        return None
    grams = known.g_per_m
    return Strand(grams / 1000, known.u95_g_per_m / NORMAL95 / grams), known.trial


def known_density(
    bench: OnBench,
    strand: Strand | None,
    measured_mm: float | None = None,
    nominal_mm: float | None = None,
    maker_g_cm3: float | None = None,
) -> Density | None:
    """Return how dense the plastic on the bench is; None for foaming, and where nothing tells."""
    spool = bench.setup and bench.setup.spool
    if spool is None:
        u_mm = _NOMINAL_U_MM
        diameter_mm = measured_mm or nominal_mm or 1.75
        return density_of(None, maker_g_cm3, strand, diameter_mm, u_mm)
    if spool.foaming:
        return None
    diameter_mm, u_mm = measured_mm or nominal_mm or spool.diameter_mm, _NOMINAL_U_MM
    by_jaws = measured_diameter(bench.book, spool)
    if by_jaws and measured_mm is None:
        diameter_mm, u_mm = by_jaws[1].diameter_mm, by_jaws[1].diameter_u95_mm / NORMAL95
    maker_g_cm3 = maker_g_cm3 or spool.density_g_cm3
    return density_of(spool.material, maker_g_cm3, strand, diameter_mm, u_mm)


def asked_of_part(
    bench: OnBench, number: int, settings: FlowSettings, conditions: Conditions
) -> float:
    """Return the filament that the part of a flow trial takes, where Metier wrote its lines.

    Raises:
        BadInput: nothing tells.
    """
    from metier.trials.flow.part import part_of
    from metier.trials.part_files import facts_of

    if settings.dose is None or settings.dose.source != "part":
        raise BadInput(
            f"--of: what trial {number} was asked for is not known: give its --sliced FILE, or "
            "--filament MM as the slicer says"
        )
    tube = part_of(Plan(number, settings, conditions), bench, WantedLine())
    return facts_of(tube, bench).filament_mm


def weight_of(
    grams: list[float], bench: OnBench, plan: Plan[FlowSettings] | None, scale: Scale
) -> KeptWeight:
    """Return what a print weighed, as its trial keeps it.

    Raises:
        BadInput: what it was asked for is not known, how dense it is, or a slip.
    """
    if plan is None:
        raise BadInput(
            "--grams goes with --trial N, a part that Metier wrote; of another print: metier weigh"
        )
    asked_mm = asked_of_part(bench, plan.number, plan.settings, plan.conditions)
    return kept_weight(grams, bench, asked_mm, plan.settings.diameter_mm, scale)


def kept_weight(
    grams: list[float], bench: OnBench, asked_mm: float, slicer_mm: float | None, scale: Scale
) -> KeptWeight:
    """Return a mass beside the filament asked for, in the light of what is known of the roll.

    Raises:
        BadInput: how dense it is is not known, or a slip.
    """
    strand = known_strand(bench)
    density = known_density(bench, strand[0] if strand else None)
    mass, diameter_mm = weighed(grams, scale), slicer_mm or 1.75
    if density is None:
        raise BadInput(
            "the plastic's density is not known: metier spool set NAME --density 1.25, or weigh a "
            "metre of strand: metier weigh --strand G --length 1000"
        )
    weigh(mass, asked_mm, density=density, slicer_mm=diameter_mm)
    return KeptWeight(mass.value, mass.u, asked_mm, diameter_mm, density.g_cm3, density.u)


def scale_of(bench: OnBench) -> Scale | None:
    """Return the workshop's scale; None where there is none."""
    for kept in listed(bench.book, Instrument) if bench.setup else ():
        if kept.instrument.weighs:
            return kept.instrument.scale
    return None


def ask_weight(bench: OnBench, plan: Plan[FlowSettings]) -> KeptWeight | None:
    """Ask what a part that Metier wrote weighs, where there is a scale to weigh it with; Enter
    leaves it out."""
    scale, dose = scale_of(bench), plan.settings.dose
    if scale is None or dose is None or dose.source != "part":
        return None
    from metier.words.question import ask_or_leave

    def read(text: str) -> KeptWeight:
        return weight_of([read_positive(text, "grams", ("g",))], bench, plan, scale)

    return ask_or_leave("What does the tube weigh, in g? (Enter leaves it out)", read)


def weighed_alone(
    bench: OnBench, spool: Spool, steps_now: float | None, before: int | None = None
) -> list[FlowTrial]:
    """Return prints that were weighed and not measured, as the calculation takes them, oldest
    first."""
    if bench.setup is None or spool.foaming:
        return []
    since = last_doubted(bench.book, bench.setup, "flow", before)
    steps_now = steps_now or steps_in_force(bench.book, bench.setup.printer)
    prints = []
    for trial in reversed(latest_on(bench.book, bench.setup, WEIGH.name, _NEWEST, before, since)):
        told = WEIGH.of(trial).told
        settings = WEIGH.settings.of(bench.book, trial)
        if told is None or settings.of_trial is not None or trial.verdict == "recheck":
            continue
        now, then = steps_now, settings.esteps
        rescale = then / now if now and then else 1.0
        prints.append(FlowTrial.of_weight(trial.number, told, rescale))
    return prints
