"""How a printer moves through a sliced file: its acceleration and cornering, and where they are
from."""

from metier.core.job.motion import Motion
from metier.core.limit.reach import ACCELERATION_MM_S2, CORNERING_MM_S
from metier.formats.gcode import Sliced


def motion_of(
    sliced: Sliced, accel_mm_s2: float | None, cornering_mm_s: float | None
) -> tuple[Motion, str]:
    """Return acceleration and cornering: as given, else as the file has them, else the usual; and
    where they come from."""
    file_sets = bool((sliced.moves.acceleration > 0).any())
    accel, corner = accel_mm_s2 or ACCELERATION_MM_S2, cornering_mm_s
    words = [
        "the file's own acceleration"
        if file_sets and accel_mm_s2 is None
        else f"{accel:g} mm/s²" + ("" if accel_mm_s2 else " (taken)")
    ]
    if corner is None:
        corner = sliced.cornering_mm_s or CORNERING_MM_S
        source = "the file's" if sliced.cornering_mm_s else "taken"
        words.append(f"cornering {corner:g} mm/s ({source})")
    else:
        words.append(f"cornering {corner:g} mm/s")
    return Motion(accel, corner), ", ".join(words)
