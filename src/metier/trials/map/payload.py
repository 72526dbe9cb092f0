"""A map as JSON and the logbook have it; flows in percent."""

from metier.core.flow.mapped import MapFinding
from metier.trials.map.mapping import as_row


def payload_of(finding: MapFinding) -> dict[str, object]:
    """Return a map without its notes."""
    level, narrows = finding.level, finding.narrows
    return {
        "flows": [one._asdict() for one in as_row(finding)],
        "sure_percent": [100 * sure for sure in finding.sure],
        "one_flow_percent": 100 * finding.one_flow,
        "temperatures": [one._asdict() for one in finding.heats],
        "level_temperature_c": level and level[0],
        "level_temperature_u95_c": level and level[1],
        "effects": [
            {
                "name": one.name,
                "low": one.low,
                "high": one.high,
                "share_change_percent": 100 * one.change,
                "u95_percent": 100 * one.u95,
                "matters": one.matters,
            }
            for one in finding.effects
        ],
        "narrows": narrows and narrows.place._asdict(),
        "points": [
            {**place._asdict(), "flow_percent": 100 * flow}
            for place, flow in zip(
                finding.surface.points.places, finding.surface.needed(), strict=True
            )
        ],
        "verdict": finding.verdict.name,
        "reason": finding.verdict.reason,
    }
