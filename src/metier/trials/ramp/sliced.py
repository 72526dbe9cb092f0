"""The ramp that is in a sliced file: for ``volumetric --sliced`` and ``sliced ramp``."""

from metier.core.job.cost import Motion
from metier.core.job.sliced_ramp import SlicedRamp, ramp_in
from metier.core.limit.plan import ACCELERATION_MM_S2, CORNERING_MM_S, MOSTLY
from metier.core.limit.ramp import Ramp
from metier.formats.gcode import diameter_of, only_tool, read_notes, sliced_file
from metier.trials.on_bench import OnBench

_HELD = (
    "acceleration holds the flow at {:.3g} mm³/s where the file asks for up to {:.3g}: nothing "
    "above that is tested; a larger outline or thicker layers"
)
_TAKEN = "an acceleration of {:g} mm/s² is taken: --accel says otherwise"
_CAPPED = (
    "the upper end is flat at {:.4g} mm³/s: the slicer capped it, and nothing above was tested; "
    "lift its volumetric limit and slice again"
)


def read_ramp_file(
    path: str,
    bench: OnBench,
    accel_mm_s2: float | None,
    *,
    tool: int | None = None,
    diameter_mm: float | None = None,
) -> tuple[SlicedRamp, tuple[str, ...]]:
    """Return the ramp of a file, and what is to be said of it.

    Raises:
        BadInput: not such a file, or no ramp in it.
    """
    sliced = only_tool(sliced_file(path), tool)
    diameter_mm, notes = diameter_of(diameter_mm, bench.slicer_mm, sliced.said)
    motion = Motion(accel_mm_s2 or ACCELERATION_MM_S2, sliced.said.cornering_mm_s or CORNERING_MM_S)
    sliced_ramp = ramp_in(sliced.moves, diameter_mm, motion, own_acceleration=accel_mm_s2 is None)
    said = [*read_notes(sliced.said), *notes]
    slow = min(step.at_speed for step in sliced_ramp.steps) < MOSTLY
    if slow and accel_mm_s2 is None and not (sliced.moves.acceleration > 0).any():
        said.append(_TAKEN.format(ACCELERATION_MM_S2))
    if sliced_ramp.held:
        said.append(_HELD.format(sliced_ramp.to_mm3_s, sliced_ramp.asked_mm3_s))
    elif sliced_ramp.capped:
        said.append(_CAPPED.format(sliced_ramp.to_mm3_s))
    return sliced_ramp, tuple(said)


def ramp_of_file(
    path: str, bench: OnBench, accel_mm_s2: float | None
) -> tuple[Ramp, tuple[str, ...]]:
    """Return it as a ramp that a limit is read off.

    Raises:
        BadInput: as `read_ramp_file`.
    """
    sliced_ramp, notes = read_ramp_file(path, bench, accel_mm_s2)
    return sliced_ramp.ramp(), notes
