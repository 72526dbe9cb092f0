"""What a length of filament weighs: by the roll's strand where it was weighed, else by density."""

from typing import NamedTuple

from metier.core.materials import material_of
from metier.trials.on_bench import OnBench
from metier.trials.weigh.kept import weighed_strand


class Mass(NamedTuple):
    """Grams, and what they are reckoned by."""

    grams: float
    by: str


def grams_of(here: OnBench, filament_mm: float, volume_mm3: float) -> Mass | None:
    """Return what a job weighs with the roll on the bench; None where nothing tells."""
    if here.setup is None:
        return None
    spool = here.setup.spool
    known = weighed_strand(here.book, spool)
    if known:
        number, found = known
        return Mass(filament_mm * found.strand_g_per_m / 1000, f"its strand, trial {number}")
    density = material_of(spool.material).density_g_cm3
    if density is None:
        return None
    return Mass(volume_mm3 / 1000 * density, f"{spool.material}, {density:g} g/cm³")
