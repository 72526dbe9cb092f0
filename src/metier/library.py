"""Metier as a library: readings in, as plain numbers, results out; what the commands reckon, by the
same calls, without a logbook.

``import metier`` has all of it: ``metier.flow(read_mm=[1.26, 1.27], width_mm=0.42, walls=3,
layer_mm=0.2, flow_percent=97, line_model="rounded")``. What cannot be is a `BadInput`.
"""

import math
from collections.abc import Iterable, Mapping, Sequence
from typing import Any, NamedTuple

from metier.core.errors import BadInput
from metier.core.fit.feel import Feel
from metier.core.fit.thread import Drawn
from metier.core.measure.instruments import InstrumentKind, Named, Use
from metier.core.values import VALUES, LineModel
from metier.logbook.bench import EMPTY
from metier.logbook.trials import Conditions, Reading, Through
from metier.show.figures import with_u95
from metier.trials.kind import Kind, Measured, Settled, judge
from metier.trials.on_bench import OnBench, on_bench
from metier.trials.registry import kind_named

Numbers = float | Iterable[float]
# Where nothing is recorded, and nothing known.
_NOWHERE = OnBench(None, EMPTY, None)  # type: ignore[arg-type]


class Instrument(NamedTuple):
    """What something was measured with; figures that are None are those of its kind."""

    kind: InstrumentKind = "calipers"
    accuracy_mm: float | None = None
    resolution_mm: float | None = None
    zero_mm: float | None = None
    accuracy_g: float | None = None
    resolution_g: float | None = None
    zero_g: float | None = None


class Value(NamedTuple):
    """A value that a result calls for, in the unit people see: ± U at 95 %, and the interval that
    holds it 95 times in 100; None where nothing tells."""

    value: float | None
    unit: str
    u95: float | None
    interval: tuple[float, float] | None


class Result:
    """What readings say. ``values`` has each value by its name, the first one stands for all;
    ``record`` is all of it, with units in its names; ``chance`` is that of the value that is set to
    be right, from 0 to 1, where it is reckoned."""

    def __init__(self, made: Measured[Any, Any, Any], values: Mapping[str, Value]) -> None:
        self._made, self.values, self.record = made, dict(values), made.result
        first = next(iter(self.values.values()))
        self.value, self.unit, self.u95, self.interval = first
        self.verdict, self.reason, self.remedies = made.verdict
        self.notes = made.notes
        sure_percent = getattr(made.result, "sure_percent", None)
        self.chance: float | None = None if sure_percent is None else sure_percent / 100

    def to_dict(self) -> dict[str, object]:
        """Return all of it as JSON has it."""
        return self._made.payload

    def __repr__(self) -> str:
        known = []
        for name, of in self.values.items():
            if of.value is not None:
                shown = with_u95(of.value, of.u95) if of.u95 else f"{of.value:g}"
                known.append(f"{name} {shown} {of.unit}".rstrip())
        return f"<{', '.join(known) or self._made.kind.name}: {self.verdict}, {self.reason}>"


class Logbook:
    """A logbook to read: nothing is ever written to it.

    Raises:
        Error: there is none, or it cannot be read.
    """

    def __init__(self, path: str) -> None:
        self._path = path
        with self._open():
            pass

    def _open(self) -> Any:
        import os

        from metier.logbook.opening import open_existing

        if not os.path.isfile(self._path):
            raise BadInput(f"there is no logbook {self._path}")
        return open_existing(self._path)

    def profile(self) -> dict[str, object]:
        """Return every value of the bench, as ``metier profile --json`` has it.

        Raises:
            BadInput: no bench is chosen in it.
        """
        from metier.commands.profile import profile_object

        with self._open() as book:
            return profile_object(on_bench(book))

    def trials(self, kind: str | None = None) -> list[dict[str, object]]:
        """Return its trials, newest first, as ``metier history --json`` has them."""
        from metier.commands.history import trial_object
        from metier.logbook.trials import trials

        with self._open() as book:
            return [trial_object(book, trial) for trial in trials(book, 10**9, test=kind)]


def esteps(
    *,
    steps: float,
    asked_mm: Numbers,
    mark_mm: float | None = None,
    left_mm: Numbers | None = None,
    cut_mm: Numbers | None = None,
    short_mm: Numbers | None = None,
    swallowed: bool = False,
    through: Through | None = None,
    accept_percent: float = 0.5,
    instrument: str | Instrument = "calipers",
) -> Result:
    """Return corrected e-steps, in steps/mm, from what moved of the length asked for: what was
    ``left`` to a mark, pieces ``cut`` off, or how far a mark at just that length stopped ``short``.

    Raises:
        BadInput: readings that cannot be, or measured in none or several of the ways.
    """
    from metier.trials.esteps.kept import EstepsSettings, Way

    ways: dict[Way, Numbers | None] = {"left": left_mm, "cut": cut_mm, "short": short_mm}
    told = [way for way, readings in ways.items() if readings is not None]
    told += ["swallowed"] if swallowed else []
    if len(told) != 1:
        raise BadInput("give one of left_mm, cut_mm, short_mm and swallowed")
    way, asked = told[0], _numbers("asked_mm", asked_mm)
    if way in ("left", "swallowed") and mark_mm is None:
        raise BadInput("mark_mm is needed: how far from the inlet the pen mark was, in mm")
    kind, each = kind_named("esteps"), tuple(asked) if len(set(asked)) > 1 else ()
    _check(kind, accept_percent=accept_percent)
    figures = _figures(instrument, "cut" if way == "cut" else "mark")
    settings = EstepsSettings(
        *(way, max(asked), mark_mm, _number("steps", steps), figures),
        asked_each_mm=each,
        accept_percent=accept_percent,
    )
    named = "strand" if way == "cut" else "run"
    taken = _readings(named, _numbers(f"{way}_mm", ways.get(way) or (), least=0.0))
    return _judged(kind, Settled(settings, Conditions(through=through)), taken)


def flow(
    *,
    layer_mm: float,
    flow_percent: float,
    read_mm: Numbers | None = None,
    sides_mm: Sequence[Numbers] | None = None,
    width_mm: float | None = None,
    walls: int = 3,
    line_model: LineModel | None = None,
    aim_mm: float | None = None,
    accept_percent: tuple[float, float] | None = None,
    sure_percent: float | None = None,
    round_to_percent: float = 1.0,
    instrument: str | Instrument = "calipers",
) -> Result:
    """Return the flow, in percent, that walls of a hollow part call for, read all round or side by
    side; ``aim_mm`` is the wall wanted where no line model is to tell it.

    Raises:
        BadInput: readings that cannot be, or a line that is not known.
    """
    from metier.trials.flow.given import refuse_width
    from metier.trials.flow.settings import ACCEPT_PERCENT, SURE_PERCENT, FlowSettings, PrintedWalls

    if (read_mm is None) == (sides_mm is None):
        raise BadInput("give read_mm, or sides_mm side by side")
    if width_mm is None and aim_mm is None:
        raise BadInput("width_mm is needed: the line width the slicer printed with (or aim_mm)")
    if line_model not in (None, "rounded", "rectangular"):
        raise BadInput(f"line_model is {str(line_model)[:20]!r}: rounded or rectangular, or None")
    kind, percent = kind_named("flow"), _number("flow_percent", flow_percent)
    refuse_width(width_mm, _number("layer_mm", layer_mm), None)
    accept, sure = accept_percent or ACCEPT_PERCENT, sure_percent or SURE_PERCENT
    _check(kind, accept_percent=accept, sure_needed_percent=sure, round_to_percent=round_to_percent)
    sides = [read_mm] if sides_mm is None else sides_mm
    taken = [
        reading
        for number, side in enumerate(sides, 1)
        for reading in _readings(
            "" if sides_mm is None else f"side {number}", _numbers("reading", side), counted=False
        )
    ]
    settings = FlowSettings(
        *(layer_mm, percent, (PrintedWalls(walls, len(taken)),), _figures(instrument, "wall")),
        width_mm=width_mm,
        line_model=line_model,
        aim_mm=aim_mm,
        set_percent=percent,
        accept_percent=accept,
        sure_needed_percent=sure,
        round_to_percent=round_to_percent,
    )
    return _judged(kind, Settled(settings), taken)


def diameter(
    *,
    read_mm: Iterable[Numbers],
    slicer_mm: float = 1.75,
    instrument: str | Instrument = "calipers",
) -> Result:
    """Return a strand's diameter, in mm, from readings at several places, at each once or twice at
    right angles: ``read_mm=[(1.74, 1.72), (1.73, 1.71)]``.

    Raises:
        BadInput: readings that cannot be.
    """
    from metier.trials.diameter.kept import DiameterSettings

    figures = _figures(instrument, "strand")
    taken = [
        reading
        for number, place in enumerate(read_mm, 1)
        for reading in _readings(f"place {number}", _numbers("read_mm", place), counted=False)
    ]
    settings = DiameterSettings(_number("slicer_mm", slicer_mm), figures)
    return _judged(kind_named("diameter"), Settled(settings), taken)


def limit(
    *,
    from_mm3_s: float,
    step_mm3_s: float | None = None,
    every_mm: float | None = None,
    rise_mm3_s_mm: float | None = None,
    to_mm3_s: float | None = None,
    base_mm: float = 0.0,
    gaps_at_mm: Numbers = (),
    good_to_mm: Numbers = (),
    matte_at_mm: Numbers = (),
    failed_at_mm: Numbers = (),
    clean: bool = False,
    margin_percent: float | None = None,
    round_to_mm3_s: float | None = None,
    limit_now_mm3_s: float | None = None,
) -> Result:
    """Return the volumetric limit, in mm³/s, from a ramp that begins at a flow and rises by steps,
    or all the way, and the heights of what was seen on it; ``clean`` if no gaps to its end.

    Raises:
        BadInput: sightings that cannot be, or a ramp that is not described whole.
    """
    from metier.core.limit.melting import ROUND_TO_MM3_S
    from metier.core.limit.ramp import MARGIN, SIGHTED_WITHIN_MM, ramp_of
    from metier.trials.limit.settings import HotEnd, KeptLine, Reckoning
    from metier.trials.ramp.kind import CLEAN_TO, KIND
    from metier.trials.ramp.settings import RampSettings

    ramp = ramp_of(
        _number("from_mm3_s", from_mm3_s), rise_mm3_s_mm=rise_mm3_s_mm, step_mm3_s=step_mm3_s,
        every_mm=every_mm, base_mm=base_mm, to_mm3_s=to_mm3_s,
    )  # fmt: skip
    margin = 100 * MARGIN if margin_percent is None else margin_percent
    reckoning = Reckoning(margin, round_to_mm3_s or ROUND_TO_MM3_S)
    on = HotEnd(None, None, limit_now_mm3_s)
    settings = RampSettings("ramp", ramp, None, SIGHTED_WITHIN_MM, reckoning, KeptLine(), None, on)
    seen = {"gaps": gaps_at_mm, "good": good_to_mm, "matte": matte_at_mm, "failed": failed_at_mm}
    taken = [
        reading
        for name, heights in seen.items()
        for reading in _readings(name, _numbers(f"{name}_mm", heights), counted=False)
    ]
    if clean:
        taken += _readings(CLEAN_TO, [_number("to_mm3_s", to_mm3_s)], counted=False)
    return _judged(KIND, Settled(settings), taken)


def strength(
    coupons_mpa: Mapping[float, Numbers],
    *,
    round_to_mm3_s: float | None = None,
    limit_now_mm3_s: float | None = None,
) -> Result:
    """Return the flow, in mm³/s, up to which parts are as strong: ``{8: [41.0, 40.2], 12: …}``,
    coupons by the flow they were printed at.

    Raises:
        BadInput: too few flows or coupons to compare, or numbers that cannot be.
    """
    from metier.core.limit.melting import ROUND_TO_MM3_S
    from metier.trials.coupons.kind import KIND
    from metier.trials.coupons.settings import StrengthSettings
    from metier.trials.limit.settings import HotEnd

    nothing = (None,) * 6
    settings = StrengthSettings(
        "strength", HotEnd(None, None, limit_now_mm3_s), round_to_mm3_s or ROUND_TO_MM3_S, *nothing
    )
    taken = [
        reading
        for mm3_s, values in coupons_mpa.items()
        for reading in _readings(f"{mm3_s:g} mm³/s", _numbers("coupons", values), counted=False)
    ]
    return _judged(KIND, Settled(settings), taken)


def compensation(
    *,
    holes: Mapping[float, Numbers] | None = None,
    posts: Mapping[float, Numbers] | None = None,
    hole_set_mm: float = 0.0,
    contour_set_mm: float = 0.0,
    for_mm: float | None = None,
    free_scale: bool = False,
    instrument: str | Instrument = "calipers",
) -> Result:
    """Return hole and contour compensation per side, in mm, from sizes drawn and those measured:
    ``holes={10: 9.8, 6: [5.81, 5.79]}``.

    Raises:
        BadInput: sizes that cannot be, or too few.
        Error: NumPy is not installed.
    """
    from metier.core.fit.plate import Feature, FeatureKind
    from metier.packages import FITS, require
    from metier.trials.plate.kept import DrawnFeature, PlateSettings, readings_of

    require(FITS)
    plate: dict[FeatureKind, Mapping[float, Numbers]] = {"hole": holes or {}, "post": posts or {}}
    features = [
        Feature(kind, _number(kind, size), readings_mm=tuple(_numbers(f"{kind} {size:g}", read)))
        for kind, sizes in plate.items()
        for size, read in sizes.items()
    ]
    settings = PlateSettings(
        *(hole_set_mm, contour_set_mm, free_scale or None, _figures(instrument, "part")),
        tuple(DrawnFeature.of(feature) for feature in features),
        for_mm,
    )
    return _judged(kind_named("xy"), Settled(settings), readings_of(features))


def fit(
    pairs: Mapping[float, str],
    *,
    want: Feel = "slide",
    clearance_mm: float | None = None,
    thread: str | None = None,
    drawn: Drawn = "mid",
    hole_set_mm: float = 0.0,
    contour_set_mm: float = 0.0,
) -> Result:
    """Return the clearance on the diameter, in mm, at which pairs begin to feel as wanted:
    ``{0.1: "press", 0.2: "snug", 0.3: "slide"}``; with the clearance that a part has, or a thread,
    also by how much to open it.

    Raises:
        BadInput: a feel or a thread that there is not, or nothing to tell from.
    """
    from metier.core.fit.feel import FEELS
    from metier.core.fit.thread import DRAWN, thread_of
    from metier.trials.fit.kept import FitSettings

    for name, word, known in (("want", want, FEELS), ("drawn", drawn, DRAWN)):
        if word not in known:
            raise BadInput(f"{name} is {word[:20]!r}: {', '.join(known)}")
    odd = [feel for feel in pairs.values() if feel not in FEELS]
    if odd:
        raise BadInput(f"{str(odd[0])[:20]!r} is no feel: {', '.join(FEELS)}")
    now_mm = clearance_mm
    if thread is not None:
        now_mm = thread_of(thread).play_mm(drawn)
    settings = FitSettings(*("pair", want, now_mm, hole_set_mm, contour_set_mm, 0.5, thread, drawn))
    taken = [
        Reading(feel, _number("clearance", mm, least=0.0), f"{mm:g}={feel}")
        for mm, feel in pairs.items()
    ]
    return _judged(kind_named("fit"), Settled(settings), taken)


def weigh(
    *,
    strand_g: Numbers,
    length_mm: float = 1000.0,
    part_g: Numbers = (),
    asked_mm: float | None = None,
    flow_percent: float | None = None,
    steps: float | None = None,
    slicer_mm: float | None = None,
    diameter_mm: float | None = None,
    instrument: str | Instrument = "scale",
) -> Result:
    """Return what a print delivered of what was asked for, in percent, by its grams and those of a
    strand of the same roll; of a strand alone, what a metre weighs in g.

    Raises:
        BadInput: masses that cannot be, or a print without what it was asked for.
    """
    from metier.core.weighing import Diameters
    from metier.trials.weigh.kept import PRINT, STRAND, WeighSettings

    scale = _named(instrument).scale
    settings = WeighSettings(
        *(scale, _number("length_mm", length_mm), asked_mm, "given", flow_percent, steps),
        diameters=Diameters(slicer_mm, diameter_mm),
    )
    grams = {STRAND: strand_g, PRINT: part_g}
    taken = [
        reading
        for side, values in grams.items()
        for reading in _readings(side, _numbers("grams", values), counted=False)
    ]
    if _numbers("part_g", part_g) and asked_mm is None:
        raise BadInput("asked_mm is needed: the filament that the print was asked for, in mm")
    return _judged(kind_named("weigh"), Settled(settings), taken)


def _judged(kind: Kind[Any, Any, Any], settled: Settled[Any], taken: list[Reading]) -> Result:
    if not taken and getattr(settled.settings, "way", None) != "swallowed":
        raise BadInput("no readings: there is nothing to reckon from")
    made = judge(kind, _NOWHERE, settled, taken)
    record, values = made.result, {}
    for outcome in made.outcomes:
        row = VALUES[outcome.kind]
        new, u95 = (None if of is None else row.seen(of) for of in (outcome.value_new, outcome.u95))
        interval = getattr(record, "interval_percent", None) if outcome.kind == "flow" else None
        values[outcome.kind] = _value(new, row.unit, u95, interval)
    if kind.name == "fit":
        begins = (record.begins_mm, "mm", record.begins_u95_mm, record.begins_interval_mm)
        values["clearance"] = _value(*begins)
    elif kind.name == "weigh" and record.part_g is None:
        values["strand"] = _value(record.strand_g_per_m, "g/m", record.strand_u95_g_per_m)
    elif kind.name == "weigh":
        delivered = record.delivered_percent, "%", record.delivered_u95_percent
        values["delivered"] = _value(*delivered)
    return Result(made, values)


def _value(
    value: float | None, unit: str, u95: float | None, interval: Sequence[float] | None = None
) -> Value:
    if interval and len(interval) == 2:
        return Value(value, unit, u95, (interval[0], interval[1]))
    around = None if value is None or u95 is None else (value - u95, value + u95)
    return Value(value, unit, u95, around)


def _number(name: str, value: float | None, *, least: float | None = None) -> float:
    """Return a number that can be: finite, and above zero, or no less than the least."""
    good = isinstance(value, int | float) and not isinstance(value, bool) and math.isfinite(value)
    if not good or value is None or (value <= 0 if least is None else value < least):
        raise BadInput(
            f"{name} is {str(value)[:20]}: a number {'above' if least is None else 'from'} 0"
        )
    return float(value)


def _numbers(name: str, values: Numbers | None, *, least: float | None = None) -> list[float]:
    if values is None or isinstance(values, str):
        raise BadInput(f"{name} is {values!r}: give numbers")
    several = values if isinstance(values, Iterable) else (values,)
    return [_number(name, value, least=least) for value in several]


def _readings(side: str, values: Iterable[float], *, counted: bool = True) -> list[Reading]:
    """Return readings of a place, or each of one of its own."""
    return [
        Reading(f"{side} {number}" if counted else side, value, f"{value:g}")
        for number, value in enumerate(values, 1)
    ]


def _named(instrument: str | Instrument) -> Named:
    from metier.core.measure.instruments import KINDS

    named = instrument if isinstance(instrument, str) else instrument.kind
    figures = () if isinstance(instrument, str) else instrument[1:]
    for kind in KINDS:
        if kind == named:
            return Named(kind, kind, *figures)
    raise BadInput(f"no instrument {named[:20]!r}: {', '.join(KINDS)}")


def _figures(instrument: str | Instrument, use: Use) -> Any:
    return _named(instrument).figures(use)


def _check(kind: Kind[Any, Any, Any], **settings: object) -> None:
    """Refuse settings that the command would refuse."""
    for row in kind.table:
        if not isinstance(row, str) and row.check and row.name in settings:
            row.check(settings[row.name])
