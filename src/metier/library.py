"""Metier as a library: readings in, as plain numbers, results out; what the commands reckon, by the
same calls, without a logbook.

``import metier`` has all of it: ``metier.flow(read_mm=[1.26, 1.27], width_mm=0.42, walls=3,
layer_mm=0.2, flow_percent=97, line_model="rounded")``. What cannot be is a `BadInput`.
"""

from collections.abc import Iterable, Mapping, Sequence
from typing import Any

from metier.core.errors import BadInput
from metier.core.fit.feel import Feel
from metier.core.fit.thread import Drawn
from metier.core.values import LineModel
from metier.logbook.trials import Conditions, Reading, Through
from metier.plain_numbers import (
    Instrument,
    Numbers,
    Result,
    check,
    figures_of,
    judged,
    named_instrument,
    number,
    numbers,
    readings,
    readings_at,
)
from metier.trials.kind import Settled
from metier.trials.on_bench import on_bench
from metier.trials.registry import kind_named


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
        return open_existing(self._path, to_read=True)

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
    way, asked = told[0], numbers("asked_mm", asked_mm)
    if way in ("left", "swallowed") and mark_mm is None:
        raise BadInput("mark_mm is needed: how far from the inlet the pen mark was, in mm")
    kind, each = kind_named("esteps"), tuple(asked) if len(set(asked)) > 1 else ()
    check(kind, accept_percent=accept_percent)
    settings = EstepsSettings(
        way=way,
        asked_mm=max(asked),
        mark_mm=mark_mm,
        steps=number("steps", steps),
        instrument_mm=figures_of(instrument, "cut" if way == "cut" else "mark"),
        asked_each_mm=each,
        accept_percent=accept_percent,
    )
    named = "strand" if way == "cut" else "run"
    taken = readings(named, numbers(f"{way}_mm", ways.get(way) or (), least=0.0))
    return judged(kind, Settled(settings, Conditions(through=through)), taken)


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
    kind, percent = kind_named("flow"), number("flow_percent", flow_percent)
    refuse_width(width_mm, number("layer_mm", layer_mm), None)
    accept, sure = accept_percent or ACCEPT_PERCENT, sure_percent or SURE_PERCENT
    check(kind, accept_percent=accept, sure_needed_percent=sure, round_to_percent=round_to_percent)
    sides = [(f"side {nth}", side) for nth, side in enumerate(sides_mm or (), 1)]
    if read_mm is not None:
        sides = [("", read_mm)]
    taken = readings_at(sides, "reading")
    settings = FlowSettings(
        layer_mm=layer_mm,
        flow_percent=percent,
        sections=(PrintedWalls(walls, len(taken)),),
        instrument_mm=figures_of(instrument, "wall"),
        width_mm=width_mm,
        line_model=line_model,
        aim_mm=aim_mm,
        set_percent=percent,
        accept_percent=accept,
        sure_needed_percent=sure,
        round_to_percent=round_to_percent,
    )
    return judged(kind, Settled(settings), taken)


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

    places = [(f"place {nth}", place) for nth, place in enumerate(read_mm, 1)]
    taken = readings_at(places, "read_mm")
    settings = DiameterSettings(number("slicer_mm", slicer_mm), figures_of(instrument, "strand"))
    return judged(kind_named("diameter"), Settled(settings), taken)


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
        number("from_mm3_s", from_mm3_s), rise_mm3_s_mm=rise_mm3_s_mm, step_mm3_s=step_mm3_s,
        every_mm=every_mm, base_mm=base_mm, to_mm3_s=to_mm3_s,
    )  # fmt: skip
    margin = 100 * MARGIN if margin_percent is None else margin_percent
    reckoning = Reckoning(margin, round_to_mm3_s or ROUND_TO_MM3_S)
    settings = RampSettings(
        way="ramp",
        ramp=ramp,
        marker_every_mm=None,
        within_mm=SIGHTED_WITHIN_MM,
        reckoning=reckoning,
        line=KeptLine(),
        walls=None,
        on=HotEnd(None, None, limit_now_mm3_s),
    )
    seen = {"gaps": gaps_at_mm, "good": good_to_mm, "matte": matte_at_mm, "failed": failed_at_mm}
    taken = [
        reading
        for name, heights in seen.items()
        for reading in readings(name, numbers(f"{name}_mm", heights), counted=False)
    ]
    if clean:
        taken += readings(CLEAN_TO, [number("to_mm3_s", to_mm3_s)], counted=False)
    return judged(KIND, Settled(settings), taken)


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

    settings = StrengthSettings(
        way="strength",
        on=HotEnd(None, None, limit_now_mm3_s),
        round_to_mm3_s=round_to_mm3_s or ROUND_TO_MM3_S,
        coupon_diameter_mm=None,
        coupon_length_mm=None,
        accel_mm_s2=None,
        layer_path_mm=None,
        layer_time_s=None,
        area_mm2=None,
    )
    by_flow = [(f"{mm3_s:g} mm³/s", values) for mm3_s, values in coupons_mpa.items()]
    return judged(KIND, Settled(settings), readings_at(by_flow, "coupons"))


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
        Feature(kind, number(kind, size), readings_mm=tuple(numbers(f"{kind} {size:g}", read)))
        for kind, sizes in plate.items()
        for size, read in sizes.items()
    ]
    settings = PlateSettings(
        hole_set_mm=hole_set_mm,
        contour_set_mm=contour_set_mm,
        free_scale=free_scale or None,
        instrument_mm=figures_of(instrument, "part"),
        features=tuple(DrawnFeature.of(feature) for feature in features),
        for_mm=for_mm,
    )
    return judged(kind_named("xy"), Settled(settings), readings_of(features))


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
    from metier.trials.fit.given import USUAL_HOLE_SHARE
    from metier.trials.fit.kept import FitSettings

    for name, word, known in (("want", want, FEELS), ("drawn", drawn, DRAWN)):
        if word not in known:
            raise BadInput(f"{name} is {word[:20]!r}: {', '.join(known)}")
    odd = [feel for feel in pairs.values() if feel not in FEELS]
    if odd:
        raise BadInput(f"{str(odd[0])[:20]!r} is no feel: {', '.join(FEELS)}")
    settings = FitSettings(
        way="pair",
        want=want,
        now_mm=clearance_mm if thread is None else thread_of(thread).play_mm(drawn),
        hole_set_mm=hole_set_mm,
        contour_set_mm=contour_set_mm,
        hole_share=USUAL_HOLE_SHARE,
        thread=thread,
        drawn=drawn,
    )
    taken = [
        Reading(feel, number("clearance", mm, least=0.0), f"{mm:g}={feel}")
        for mm, feel in pairs.items()
    ]
    return judged(kind_named("fit"), Settled(settings), taken)


def weigh(
    *,
    strand_g: Numbers = (),
    length_mm: float = 1000.0,
    density_g_cm3: float | None = None,
    part_g: Numbers = (),
    asked_mm: float | None = None,
    flow_percent: float | None = None,
    steps: float | None = None,
    slicer_mm: float | None = None,
    diameter_mm: float | None = None,
    instrument: str | Instrument = "scale",
) -> Result:
    """Return what a print delivered of what was asked for, in percent, by its grams and the density
    of its plastic, or those of a strand of the same roll; of a strand alone, what a metre weighs.

    Raises:
        BadInput: masses that cannot be, or a print without what it was asked for.
    """
    from metier.core.weighing import Diameters
    from metier.trials.weigh.kept import PRINT, STRAND, WeighSettings

    settings = WeighSettings(
        scale_g=named_instrument(instrument).scale,
        length_mm=number("length_mm", length_mm),
        asked_mm=asked_mm,
        flow_percent=flow_percent,
        esteps=steps,
        diameters=Diameters(slicer_mm, diameter_mm),
        density_g_cm3=density_g_cm3,
    )
    taken = readings_at([(STRAND, strand_g), (PRINT, part_g)], "grams")
    if numbers("part_g", part_g) and asked_mm is None:
        raise BadInput("asked_mm is needed: the filament that the print was asked for, in mm")
    return judged(kind_named("weigh"), Settled(settings), taken)
