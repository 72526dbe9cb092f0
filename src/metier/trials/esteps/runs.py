"""Runs of a length, judged by the way they were measured."""

from collections.abc import Sequence

from metier.core.esteps import measured
from metier.core.esteps.measured import EstepsFinding
from metier.core.measure.readings import Instrument
from metier.core.refusal import Refusal
from metier.logbook.trials import Reading
from metier.trials.esteps.settings import EstepsSettings


def finding_of(
    settings: EstepsSettings, readings: Sequence[Reading], decimals: int
) -> EstepsFinding:
    asked_mm, mark_mm, steps_now = settings.asked_mm, settings.mark_mm, settings.steps
    if settings.way == "swallowed":
        return measured.swallowed(mark_mm=mark_mm or 0.0, asked_mm=asked_mm, steps_now=steps_now)
    instrument = settings.instrument_mm
    assert instrument is not None
    values_mm = [reading.value for reading in readings]
    if settings.asked_each_mm:
        return _of_lengths(settings, values_mm, instrument, decimals)
    if settings.way == "cut":
        strands: dict[str, list[float]] = {}
        for reading in readings:
            strands.setdefault(reading.side, []).append(reading.value)
        return measured.from_cut(
            list(strands.values()), asked_mm=asked_mm, steps_now=steps_now, instrument=instrument,
            decimals=decimals, within=settings.accept_percent / 100,
        )  # fmt: skip
    if settings.way == "short":
        return measured.from_gauge(
            values_mm, asked_mm=asked_mm, steps_now=steps_now, instrument=instrument,
            decimals=decimals, within=settings.accept_percent / 100,
        )  # fmt: skip
    return measured.from_mark(
        values_mm, mark_mm=mark_mm or 0.0, asked_mm=asked_mm, steps_now=steps_now,
        instrument=instrument, decimals=decimals, within=settings.accept_percent / 100,
    )  # fmt: skip


def _of_lengths(
    settings: EstepsSettings, left_mm: Sequence[float], instrument: Instrument, decimals: int
) -> EstepsFinding:
    if len(left_mm) != len(settings.asked_each_mm):
        raise Refusal(
            f"{len(settings.asked_each_mm)} lengths were asked: read what is left of each"
        )
    mark_mm = settings.mark_mm or 0.0
    return measured.from_lengths(
        [mark_mm - left for left in left_mm], asked_mm=settings.asked_each_mm,
        steps_now=settings.steps, instrument=instrument, decimals=decimals,
        within=settings.accept_percent / 100,
    )  # fmt: skip
