"""What a file takes: how a printer moves through it, and what its filament weighs."""

from typing import NamedTuple

from metier.core.job.cost import Motion
from metier.core.limit.plan import ACCELERATION_MM_S2, CORNERING_MM_S
from metier.core.materials import material_of
from metier.formats.gcode import Said
from metier.trials.on_bench import OnBench
from metier.trials.weigh.kept import weighed_strand


class Mass(NamedTuple):
    """Grams, and what they are reckoned by."""

    grams: float
    by: str


def grams_of(bench: OnBench, filament_mm: float, volume_mm3: float) -> Mass | None:
    """Return what a job weighs with the roll on the bench; None where nothing tells."""
    if bench.setup is None:
        return None
    spool = bench.setup.spool
    known = weighed_strand(bench.book, spool)
    if known:
        return Mass(filament_mm * known.g_per_m / 1000, f"its strand, trial {known.trial}")
    density = material_of(spool.material).density_g_cm3
    if density is None:
        return None
    return Mass(volume_mm3 / 1000 * density, f"{spool.material}, {density:g} g/cm³")


def motion_of(
    said: Said, accel_mm_s2: float | None, cornering_mm_s: float | None
) -> tuple[Motion, str]:
    """Return acceleration and cornering: as given, else as the file has them, else the usual; and
    where they come from."""
    accel, corner = accel_mm_s2 or ACCELERATION_MM_S2, cornering_mm_s
    words = [
        "the file's own acceleration"
        if said.accelerates and accel_mm_s2 is None
        else f"{accel:g} mm/s²" + ("" if accel_mm_s2 else " (taken)")
    ]
    if corner is None:
        corner = said.cornering_mm_s or CORNERING_MM_S
        source = "the file's" if said.cornering_mm_s else "taken"
        words.append(f"cornering {corner:g} mm/s ({source})")
    else:
        words.append(f"cornering {corner:g} mm/s")
    return Motion(accel, corner), ", ".join(words)
