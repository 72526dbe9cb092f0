"""What a ramp takes to print, and what its limit leaves of speeds."""

from metier.core.limit.onset import LimitFinding
from metier.core.limit.plan import Proposal
from metier.core.line.speeds import CappedSpeed, cap_speeds
from metier.trials.limit.settings import RampSettings


def at_speed(settings: RampSettings, finding: LimitFinding) -> float | None:
    """Return the share of the outline that the last good flow was printed at, where known."""
    line, reach, good = settings.line.printed, settings.reach, finding.last_good_mm3_s
    if line is None or reach is None or good is None:
        return None
    return reach.share(line.speed_mm_s(good))


def capped(settings: RampSettings, finding: LimitFinding) -> tuple[CappedSpeed, ...]:
    """Return what the limit leaves of the set speeds."""
    line, limit = settings.line.printed, finding.limit_mm3_s
    if not settings.set_speeds or limit is None or line is None:
        return ()
    return cap_speeds(limit, settings.set_speeds, line.line_model, line.flow)


def figures_of(proposal: Proposal) -> dict[str, object]:
    """Return what printing a planned ramp takes."""
    return {
        "outline": proposal.reach.outline.shape,
        "outline_mm": proposal.reach.outline.size_mm,
        "accel_mm_s2": proposal.reach.accel_mm_s2,
        "at_speed": proposal.at_speed,
        "height_mm": proposal.height_mm,
        "time_s": proposal.time_s,
        "filament_mm": proposal.filament_mm,
        "volume_mm3": proposal.volume_mm3,
        "from_mm_s": proposal.from_mm_s,
        "to_mm_s": proposal.to_mm_s,
        "least_layer_s": proposal.least_layer_s,
    }
