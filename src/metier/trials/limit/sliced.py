"""The ramp that is in a sliced file: for ``volumetric --sliced`` and ``sliced ramp``."""

from metier.core.job.sliced_ramp import SlicedRamp, ramp_in
from metier.core.limit.ramp import Ramp
from metier.formats.sliced_file import diameter_of, only_tool, read_notes, sliced_file
from metier.trials.on_bench import OnBench

_CAPPED = (
    "the upper end is flat at {:.4g} mm³/s: the slicer capped it, and nothing above was tested; "
    "lift its volumetric limit and slice again"
)


def read_ramp_file(
    path: str, here: OnBench, tool: int | None = None, diameter_mm: float | None = None
) -> tuple[SlicedRamp, tuple[str, ...]]:
    """Return the ramp of a file, and what is to be said of it.

    Raises:
        Refusal: not such a file, or no ramp in it.
    """
    sliced = only_tool(sliced_file(path), tool)
    diameter_mm, notes = diameter_of(diameter_mm, here.spool_mm, sliced)
    found = ramp_in(sliced.moves, diameter_mm)
    capped = (_CAPPED.format(found.to_mm3_s),) if found.capped else ()
    return found, (*read_notes(sliced), *notes, *capped)


def ramp_of_file(path: str, here: OnBench) -> tuple[Ramp, tuple[str, ...]]:
    """Return it as a ramp that a limit is read off.

    Raises:
        Refusal: as `read_ramp_file`.
    """
    found, notes = read_ramp_file(path, here)
    return found.ramp(), notes
