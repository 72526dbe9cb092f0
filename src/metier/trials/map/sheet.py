"""A map of flow: its sheet, and as JSON and the logbook have it."""

from metier.core.flow.mapped import MapFinding, level
from metier.core.flow.surface import Effect
from metier.show.figures import decimals_for, with_u95
from metier.show.sheet import Sheet, table
from metier.trials.map.kept import FlowAtSpeed
from metier.trials.map.mapping import as_row

# A slope of stiff filament beyond this is no matter of flow.
_MELTING = 0.03


def write_map(sheet: Sheet, found: MapFinding, row: tuple[FlowAtSpeed, ...], foaming: bool) -> None:
    """Write a map."""
    if row:
        sheet.gap()
        sheet.lines(*_table(found, row))
        sheet.gap()
    for effect in found.effects:
        sheet.row(_NAMES[effect.name], *_effect_text(effect))
    if found.level:
        heat_c, u95_c = found.level
        sheet.row(
            "one for all", f"{with_u95(heat_c, u95_c)} °C", "there one flow serves all speeds"
        )
    sheet.judged(found.verdict, found.notes)
    if not foaming and _falls(found):
        sheet.note(
            "stiff filament has no slope: that one shows is melting, or a gear that slips (metier "
            "volumetric)"
        )
    if row and found.verdict.name == "correct":
        values = ", ".join(f"{one.to_type_percent:g} %" for one in row)
        speeds = ", ".join(f"{one.speed_mm_s:g}" for one in row)
        sheet.act("type", values, f"flow at {speeds} mm/s, in the slicer, line by line")
    elif row and (found.verdict.name == "keep" or (len(row) > 1 and level(found))):
        sheet.act("leave", f"{100 * found.one_flow:.4g} %", "one flow, at every speed")


_NAMES = {
    "speed": "speed",
    "temperature": "temperature",
    "speed squared": "bend",
    "speed x temperature": "both",
}


def _table(found: MapFinding, row: tuple[FlowAtSpeed, ...]) -> list[str]:
    places = decimals_for(max(one.u95_percent for one in row), 1)
    heats = any(one.temperature_c is not None for one in found.heats)
    head: tuple[str, ...] = ("mm/s", "flow", "±", "type", "sure of one")
    rows: list[tuple[str, ...]] = []
    for one, sure, heat in zip(row, found.sure, found.heats, strict=True):
        cells: tuple[str, ...] = (
            f"{one.speed_mm_s:g}",
            f"{one.flow_percent:.{places}f} %",
            f"{one.u95_percent:.{places}f}",
            f"{one.to_type_percent:g} %",
            f"{100 * sure:.0f} %",
        )
        if heats:
            heat_text = "-"
            if heat.temperature_c is not None and heat.u95_c is not None:
                heat_text = f"{heat.temperature_c:.0f} ± {heat.u95_c:.0f} °C"
            cells = (*cells, heat_text)
        rows.append(cells)
    if heats:
        head = (*head, f"{100 * found.one_flow:.4g} % serves at")
    return table(head, rows, tuple(range(len(head))))


def _effect_text(effect: Effect) -> tuple[str, str]:
    value = f"{with_u95(100 * effect.change, 100 * effect.u95)} %"
    word = "matters" if effect.matters else "does not show"
    if effect.name == "speed":
        return value, f"more plastic from {effect.low:g} to {effect.high:g} mm/s: {word}"
    if effect.name == "temperature":
        return value, f"more from {effect.low:g} to {effect.high:g} °C: {word}"
    if effect.name == "speed squared":
        return value, f"the way there is no straight line: {word}"
    return value, f"speed counts another way when hotter: {word}"


def _falls(found: MapFinding) -> bool:
    return any(
        one.matters and one.change < -_MELTING for one in found.effects if one.name == "speed"
    )


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
