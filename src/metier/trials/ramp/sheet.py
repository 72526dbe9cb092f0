"""A ramp on its sheet, and as a picture."""

from collections.abc import Sequence

from metier.core.errors import BadInput
from metier.core.limit.ramp import Ramp, Stepped
from metier.core.limit.verdict import LimitFinding
from metier.core.line.bead import CappedSpeed
from metier.logbook.trials import Reading
from metier.show.figures import influences_text, with_u95
from metier.show.sheet import Sheet, table
from metier.trials.kind import Measured
from metier.trials.limit.lines import limit_act, speed_table, what_next
from metier.trials.proposals import planning
from metier.trials.ramp.kind import FLOW_UNIT, RampContext, capped, markers_of
from metier.trials.ramp.settings import RampSettings

Trial = Measured[RampSettings, RampContext, LimitFinding]
_NAMES = {"matte": "surface", "good": "good", "gaps": "gaps", "failed": "failed"}


def write(trial: Trial, sheet: Sheet) -> None:
    """Write a ramp: what was seen, the limit, the speeds it means, what to do."""
    finding, settings = trial.finding, trial.settings
    limit, reckoning = finding.limit_mm3_s, settings.reckoning
    if settings.ramp:
        sheet.row("ramp", *_ramp_words(settings.ramp, trial.settled.sources.get("ramp", "")))
    for name in _NAMES:
        _sighted(sheet, name, trial)
    if finding.onset:
        begin = with_u95(finding.onset.flow_mm3_s, finding.onset.u95_mm3_s)
        sheet.row("onset", f"{begin} mm³/s", "where gaps begin; they show a little late")
        sheet.detail("± from", *influences_text(finding.onset.influences, "mm³/s"))
    if finding.last_good_mm3_s is not None:
        sheet.detail("last good", f"{finding.last_good_mm3_s:.4g} mm³/s", _last_good_of(finding))
    if limit is not None:
        # Where only a failure was seen twice the margin is taken, and none at a mere bound.
        margin = 0.0 if finding.bound else reckoning.margin_percent * (1 if finding.gaps else 2)
        less = f"less {margin:g} %, " if margin else ""
        rounded = f"{less}rounded down to {reckoning.round_to_mm3_s:g}"
        sheet.row("limit", f"{limit:g} mm³/s", rounded)
    if finding.even_looks_mm3_s is not None:
        remark = "up to there the surface stays as it is"
        sheet.row("even looks", f"{finding.even_looks_mm3_s:g} mm³/s", remark)
    sheet.judged(trial.verdict, trial.notes)
    limit_act(sheet, finding.verdict, limit, settings.on.limit_now_mm3_s)
    sheet.details(*speed_table(trial.bench, limit, settings.line))
    held = capped(settings, finding)
    if held:
        sheet.gap()
        sheet.lines(*_capped_table(held))
    what_next(sheet, trial.number, finding.verdict, limit)
    if finding.next_ramp:
        low, high = finding.next_ramp
        words = ("--from", f"{low:g}", "--to", f"{high:g}")
        command = planning(trial.bench, "volumetric", *words)
        sheet.next("print a ramp over the range that is left:", command)


def _ramp_words(ramp: Ramp, taken: str) -> tuple[str, str]:
    """Return «4 to 24 mm³/s» and how it rises."""
    end = "" if ramp.to_mm3_s is None else f" to {ramp.to_mm3_s:g}"
    foot = f", foot {ramp.base_mm:g} mm" if ramp.base_mm else ""
    where = f"; {taken}" if taken else ""
    return f"from {ramp.from_mm3_s:g}{end} mm³/s", f"{ramp.rises()}{foot}{where}"


def _sighted(sheet: Sheet, name: str, trial: Trial) -> None:
    ramp, readings = trial.settings.ramp, trial.readings
    markers = markers_of(trial.settings, readings)
    if name == "gaps" and markers:
        remark = f"one every {markers.every_mm:g} mm"
        sheet.row("markers", f"{markers.clean} clean", remark)
        return
    heights_mm = [reading.value for reading in readings if reading.side == name]
    flows = _typed(readings, name + FLOW_UNIT)
    at = "to" if name == "good" else "at"
    # As typed in mm; what was typed in another unit is told in mm.
    plain = all(reading.typed.replace(",", ".").replace(".", "").isdigit() for reading in readings)
    shown = _typed(readings, name) if plain else "/".join(f"{high:g}" for high in heights_mm)
    values = [f"{at} {shown} mm"] if heights_mm else []
    values += [f"{at} {flows} mm³/s"] if flows else []
    if not values:
        return
    remark = {"matte": "changes", "good": "still", "gaps": "the first", "failed": ""}[name]
    if ramp and heights_mm:
        remark = f"{remark} at {ramp.flow_at(min(heights_mm)):.3g} mm³/s".strip()
    sheet.row(_NAMES[name], ", ".join(values), remark)


def _typed(readings: Sequence[Reading], side: str) -> str:
    return "/".join(reading.typed for reading in readings if reading.side == side)


def _last_good_of(finding: LimitFinding) -> str:
    if finding.bound == "lower":
        return "nothing worse was seen"
    if finding.gaps is None:
        return "before it failed"
    return "before the first gaps"


def _capped_table(capped: Sequence[CappedSpeed]) -> list[str]:
    """Return the set speeds with what the limit leaves of them."""
    rows = [
        (
            speed.name,
            f"{speed.set_mm_s:g}",
            f"{speed.width_mm:g} x {speed.layer_mm:g}",
            f"{speed.asked_mm3_s:.1f}",
            f"{speed.left_mm_s:.0f}" if speed.capped else f"{speed.set_mm_s:g}",
            f"-{100 * speed.lost:.0f} %" if speed.capped else "not capped",
        )
        for speed in capped
    ]
    header = ("speed", "set mm/s", "line", "asks mm³/s", "left mm/s", "lost")
    return table(header, rows, right=(1, 3, 4, 5))


def draw(path: str, title: str, trial: Trial) -> None:
    """Draw a ramp with what was seen on it, the limit and the set speeds.

    Raises:
        BadInput: there is no ramp to draw, or the file cannot be written.
    """
    from metier.show.limit_plots import RampPicture, plot_ramp

    settings, finding, ramp = trial.settings, trial.finding, trial.settings.ramp
    if ramp is None or (isinstance(ramp, Stepped) and ramp.every_mm is None):
        raise BadInput("--plot needs the ramp: how it begins and rises")
    seen = {"surface changes": finding.matte, "first gaps": finding.gaps, "failed": finding.failed}
    picture = RampPicture(
        ramp,
        {
            name: (threshold.height_mm, threshold.last_good_mm3_s)
            for name, threshold in seen.items()
            if threshold and threshold.height_mm is not None
        },
        finding.limit_mm3_s,
        finding.onset and (finding.onset.flow_mm3_s, finding.onset.u95_mm3_s),
        finding.even_looks_mm3_s,
        {speed.name: speed.asked_mm3_s for speed in capped(settings, finding)},
    )
    plot_ramp(path, title, picture)
