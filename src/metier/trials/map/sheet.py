"""A map of flow: its sheet, and as JSON and the logbook have it."""

from metier.core.flow.mapped import MapFinding, level
from metier.core.flow.surface import Effect
from metier.show.figures import decimals_for, proposed, with_u95
from metier.show.sheet import Sheet, table
from metier.trials.flow.settings import FlowSettings
from metier.trials.kind import Measured
from metier.trials.map.kept import FlowAtPlace, FlowAtSpeed, MapEffect, MapResult
from metier.trials.map.mapping import MapContext, as_row

# A slope of stiff filament beyond this is no matter of flow.
_MELTING = 0.03


def write(trial: Measured[FlowSettings, MapContext, MapFinding], sheet: Sheet) -> None:
    """Write the map that a tube makes with what was known before."""
    write_map(sheet, trial.finding, trial.context.foaming)
    sheet.next("what all prints say, and what would narrow it most:", proposed("map"))


def draw(path: str, title: str, trial: Measured[FlowSettings, MapContext, MapFinding]) -> None:
    """Draw a map."""
    from metier.show.flow_plots import plot_map

    plot_map(path, title, trial.finding)


def write_map(sheet: Sheet, finding: MapFinding, foaming: bool) -> None:
    """Write a map."""
    row = as_row(finding)
    if row:
        sheet.lines(*_table(finding, row))
        sheet.gap()
    for effect in finding.effects:
        sheet.row(_NAMES[effect.name], *_effect_text(effect))
    if finding.level:
        heat_c, u95_c = finding.level
        sheet.row(
            "one for all", f"{with_u95(heat_c, u95_c)} °C", "there one flow is right at all speeds"
        )
    sheet.judged(finding.verdict, finding.notes)
    if not foaming and _falls(finding):
        sheet.note(
            "stiff filament has no slope: that one shows is melting, or a gear that slips (metier "
            "volumetric)"
        )
    if row and finding.verdict.name == "correct":
        values = ", ".join(f"{at_speed.to_type_percent:g} %" for at_speed in row)
        speeds = ", ".join(f"{at_speed.speed_mm_s:g}" for at_speed in row)
        sheet.act("type", values, f"flow at {speeds} mm/s, in the slicer, line by line")
    elif row and (finding.verdict.name == "keep" or (len(row) > 1 and level(finding))):
        sheet.act("leave", f"{100 * finding.one_flow:.3g} %", "one flow, at every speed")


_NAMES = {
    "speed": "speed",
    "temperature": "temperature",
    "speed squared": "bend",
    "speed x temperature": "both",
}


def _table(finding: MapFinding, row: tuple[FlowAtSpeed, ...]) -> list[str]:
    places = decimals_for(max(at_speed.u95_percent for at_speed in row), 1)
    heats = any(heat.temperature_c is not None for heat in finding.heats)
    head: tuple[str, ...] = ("mm/s", "flow", "±", "type", "sure of one")
    rows: list[tuple[str, ...]] = []
    for at_speed, sure, heat in zip(row, finding.sure, finding.heats, strict=True):
        cells: tuple[str, ...] = (
            f"{at_speed.speed_mm_s:g}",
            f"{at_speed.flow_percent:.{places}f} %",
            f"{at_speed.u95_percent:.{places}f}",
            f"{at_speed.to_type_percent:g} %",
            f"{100 * sure:.0f} %",
        )
        if heats:
            heat_text = "-"
            if heat.temperature_c is not None and heat.u95_c is not None:
                heat_text = f"{heat.temperature_c:.0f} ± {heat.u95_c:.0f} °C"
            cells = (*cells, heat_text)
        rows.append(cells)
    if heats:
        head = (*head, f"{100 * finding.one_flow:.3g} % is right at")
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


def _falls(finding: MapFinding) -> bool:
    return any(
        effect.matters and effect.change < -_MELTING
        for effect in finding.effects
        if effect.name == "speed"
    )


def result_of(finding: MapFinding) -> MapResult:
    """Return a map as it is kept."""
    level, points = finding.level, finding.surface.points
    return MapResult(
        flows=as_row(finding),
        sure_percent=tuple(100 * sure for sure in finding.sure),
        one_flow_percent=100 * finding.one_flow,
        temperatures=finding.heats,
        level_temperature_c=level and level[0],
        level_temperature_u95_c=level and level[1],
        effects=tuple(
            MapEffect(of.name, of.low, of.high, 100 * of.change, 100 * of.u95, of.matters)
            for of in finding.effects
        ),
        narrows=finding.narrows and finding.narrows.place,
        points=tuple(
            FlowAtPlace(*place, 100 * flow)
            for place, flow in zip(points.places, finding.surface.needed(), strict=True)
        ),
    )
