"""Flow as a surface over speed and temperature, through points that were measured.

``e = b0 + b1·v + b2·T``, as far as speeds and temperatures differ; a square of the speed, or the
product of both, comes in where an F test at 95 % asks for it (Draper and Smith, Applied Regression
Analysis). What counts is how much plastic goes through in a second, so a speed is reckoned times
the flow it was printed at: v is the speed of a line of 100 % that asks for as much. Walls of one
print, and all that were measured with one pair of jaws, share errors: least squares with their
covariance (Aitken, 1935).
"""

import math
from collections.abc import Callable, Sequence
from typing import Literal, NamedTuple

from metier.core.errors import BadInput
from metier.core.flow.rows import DosedWall, covariance, dot, inverse
from metier.core.measure.readings import PRIOR_DOF
from metier.core.measure.student import NORMAL95, f_quantile
from metier.core.measure.thresholds import exceeds
from metier.core.values import TEMPERATURE_C


class Place(NamedTuple):
    """A speed in mm/s and a temperature in °C, None where nobody noted one."""

    speed_mm_s: float
    temperature_c: float | None


class Points(NamedTuple):
    """Shares found at places, the flow each was printed at (a ratio), and what their errors have
    in common, pair by pair. ``starved`` and ``rising`` are by how much each moves (1 u) with how
    starved lines share what is lacking, and with the part of a surplus that rises: they are the
    same for all, and never fitted, since a bend in the points would pass for them."""

    places: tuple[Place, ...]
    flows: tuple[float, ...]
    shares: tuple[float, ...]
    common: tuple[tuple[float, ...], ...]
    starved: tuple[float, ...]
    rising: tuple[float, ...]

    def of(self, wanted: Sequence[int]) -> "Points":
        """Return those of these numbers alone."""
        return Points(
            tuple(self.places[i] for i in wanted),
            tuple(self.flows[i] for i in wanted),
            tuple(self.shares[i] for i in wanted),
            tuple(tuple(self.common[i][j] for j in wanted) for i in wanted),
            tuple(self.starved[i] for i in wanted),
            tuple(self.rising[i] for i in wanted),
        )


def points_of(walls: Sequence[DosedWall], places: Sequence[Place], print_scatter: float) -> Points:
    """Return walls as shares at the places where they were printed.

    Each wall tells its share, texture's usual part taken off. How starved lines share what is
    lacking nobody knows, nor how much of a surplus rises: anything between, all alike.

    Raises:
        BadInput: a wall thinner than its lines could be.
    """
    shares, slopes, open_starved, open_rising = [], [], [], []
    for wall in walls:
        most, least = (_share_of(wall, starved, 0.25) for starved in (0.0, 1.0))
        share, highest = ((most + least) / 2, _share_of(wall, 0.5, 0.5))
        lowest = _share_of(wall, 0.5, 0.0)
        slopes.append(wall.slope(share, 0.5, 0.25))
        shares.append(share)
        open_starved.append((most - least) / math.sqrt(12))
        open_rising.append((highest - lowest) / math.sqrt(12))
    common = covariance(walls, print_scatter)
    return Points(
        tuple(places),
        tuple(wall.line_mm / wall.spacing_mm for wall in walls),
        tuple(shares),
        tuple(
            tuple(each / slopes[i] / slopes[j] for j, each in enumerate(row))
            for i, row in enumerate(common)
        ),
        tuple(open_starved),
        tuple(open_rising),
    )


def _share_of(wall: DosedWall, starved: float, rising: float) -> float:
    """Return the share that a wall tells: lines grow with it, so halving finds it."""
    low, high = 0.05, 4.0
    most_mm = wall.lines_mm(high, starved, rising)
    if not wall.lines_mm(low, starved, rising) < wall.value < most_mm:
        if starved == 0.0 and wall.value < most_mm:
            # So thin a wall cannot be of lines that kept their distance.
            return _share_of(wall, 0.5, rising)
        raise BadInput(f"a wall of {wall.wall_mm:.3f} mm is not of the lines it was printed with")
    for _ in range(50):
        middle = (low + high) / 2
        thinner = wall.lines_mm(middle, starved, rising) < wall.value
        low, high = (middle, high) if thinner else (low, middle)
    return (low + high) / 2


Term = Literal["constant", "speed", "temperature", "speed squared", "speed x temperature"]
# Beyond the points' range by this part of it, an answer is given and said to be beyond.
GRACE = 0.10
# How often a share is reckoned anew with the flow it asks for; what it may come to on the way.
_ROUNDS, _LEAST, _STEEPEST = 12, 0.1, 0.3
_SURE = 0.95


class Share(NamedTuple):
    """The share at a place where the right flow is typed, with its ±; ``beyond`` tells that it lies
    a little outside the points."""

    place: Place
    share: float
    u95: float
    beyond: bool = False

    @property
    def flow(self) -> float:
        """The flow to type there, a ratio."""
        return 1 / self.share

    @property
    def flow_u95(self) -> float:
        """The ± of that."""
        return self.u95 / self.share**2


class Effect(NamedTuple):
    """What going from the lowest to the highest of something does to the share, with its ±, and
    whether it matters (F test at 95 %)."""

    name: Term
    low: float
    high: float
    change: float
    u95: float
    matters: bool


class Surface:
    """A fit through points; ``terms`` are those in it."""

    def __init__(self, points: Points, terms: tuple[Term, ...]) -> None:
        self.points, self.terms = points, terms
        self._asked = [
            place.speed_mm_s * flow for place, flow in zip(points.places, points.flows, strict=True)
        ]
        self._heats = [place.temperature_c or 0.0 for place in points.places]
        self._middle, self._half = _scaled(self._asked, self._heats)
        weights = inverse([list(row) for row in points.common]).rows
        rows = [
            self._row(asked, heat) for asked, heat in zip(self._asked, self._heats, strict=True)
        ]
        columns = list(zip(*rows, strict=True))
        weighted = [[dot(row, column) for row in weights] for column in columns]
        self._spread = inverse(
            [[dot(column, other) for other in weighted] for column in columns]
        ).rows
        # How each term follows each point.
        self._gain = [
            [math.fsum(row[at] * column[i] for at, column in enumerate(weighted))
             for i in range(len(points.shares))]
            for row in self._spread
        ]  # fmt: skip
        self._found = [dot(row, points.shares) for row in self._gain]
        residuals = [
            share - dot(self._found, row) for share, row in zip(points.shares, rows, strict=True)
        ]
        self.squares = dot(residuals, [dot(row, residuals) for row in weights])
        self.dof = len(points.shares) - len(terms)

    @property
    def scatter(self) -> float:
        """By how much points scatter about the fit, as a multiple of what is known of them."""
        return math.sqrt(max(1.0, (PRIOR_DOF + self.squares) / (PRIOR_DOF + self.dof)))

    def _row(self, asked_mm_s: float, heat_c: float) -> list[float]:
        speed = (asked_mm_s - self._middle[0]) / self._half[0]
        heat = (heat_c - self._middle[1]) / self._half[1]
        values = {
            "constant": 1.0,
            "speed": speed,
            "temperature": heat,
            "speed squared": speed * speed,
            "speed x temperature": speed * heat,
        }
        return [values[term] for term in self.terms]

    def _u(self, row: Sequence[float]) -> float:
        variance = self.scatter**2 * dot(row, [dot(each, row) for each in self._spread])
        follows = [dot(row, term) for term in zip(*self._gain, strict=True)]
        open_to = (dot(follows, self.points.starved), dot(follows, self.points.rising))
        return math.hypot(math.sqrt(max(0.0, variance)), *open_to)

    def _u95(self, row: Sequence[float]) -> float:
        return NORMAL95 * self._u(row)

    def at(self, place: Place) -> Share | None:
        """Return the share at a place; None where it is too far from all points."""
        speeds = [place.speed_mm_s for place in self.points.places]
        heat_c = place.temperature_c or 0.0
        outside = max(
            _outside(speeds, place.speed_mm_s, place.speed_mm_s / 2),
            _outside(self._heats, heat_c, 10 * TEMPERATURE_C),
        )
        if exceeds(outside, GRACE):
            return None
        share = math.fsum(self.points.shares) / len(speeds)
        for _ in range(_ROUNDS):
            # Less flow is less plastic a second, which may be another share.
            share = max(_LEAST, self._share(place.speed_mm_s / share, heat_c))
        asked = place.speed_mm_s / share
        slope = (self._share(1.001 * asked, heat_c) - share) / 0.001 / share
        u95 = self._u95(self._row(asked, heat_c)) / max(_STEEPEST, 1 + slope)
        return Share(place, share, u95, exceeds(outside, 0.0))

    def needed(self) -> list[float]:
        """Return the flow that each point alone asks for: that of the fit there, and what the point
        lies off it by."""
        flows = []
        for place, share, asked, heat in zip(
            self.points.places, self.points.shares, self._asked, self._heats, strict=True
        ):
            fitted = self.at(place)
            off = share - self._share(asked, heat)
            flows.append(1 / max(_LEAST, (fitted.share if fitted else share) + off))
        return flows

    def _share(self, asked_mm_s: float, heat_c: float) -> float:
        return dot(self._found, self._row(asked_mm_s, heat_c))

    def effects(self) -> list[Effect]:
        """Return what each thing that differs between the points does to the share."""
        effects = []
        for at, term in enumerate(self.terms):
            if term == "constant":
                continue
            row = [0.0] * len(self.terms)
            # From one end of the range to the other is twice its half; a curve bends by once that.
            row[at] = 2.0 if term in ("speed", "temperature") else 1.0
            change = dot(self._found, row)
            matters = (change / self._u(row)) ** 2 > f_quantile(_SURE, 1, PRIOR_DOF + self.dof)
            speeds = [place.speed_mm_s for place in self.points.places]
            ends = self._heats if term == "temperature" else speeds
            effects.append(Effect(term, min(ends), max(ends), change, self._u95(row), matters))
        return effects

    def temperature_for(self, flow: float, speed_mm_s: float) -> tuple[float, float] | None:
        """Return the temperature at which a flow, a ratio, serves at a speed, and its ±; None where
        no temperature in the points' range does it."""
        if "temperature" not in self.terms:
            return None
        asked = speed_mm_s * flow
        return self._heat_where(lambda heat_c: self._row(asked, heat_c), 1 / flow)

    def level_temperature(self, flow: float) -> tuple[float, float] | None:
        """Return the temperature at which one flow serves the slowest and the fastest alike, and
        its ±; None where no temperature in the points' range does it."""
        if "speed x temperature" not in self.terms:
            return None
        speeds = [place.speed_mm_s for place in self.points.places]
        slow, fast = flow * min(speeds), flow * max(speeds)

        def apart(heat_c: float) -> list[float]:
            rows = self._row(fast, heat_c), self._row(slow, heat_c)
            return [term - other for term, other in zip(*rows, strict=True)]

        return self._heat_where(apart, 0.0)

    def _heat_where(
        self, row: Callable[[float], list[float]], wanted: float
    ) -> tuple[float, float] | None:
        """Return where in the range of temperatures a combination comes to what is wanted; all are
        linear in the temperature, so that one secant is exact."""
        low, high = min(self._heats), max(self._heats)
        room = GRACE * (high - low)
        low, high = low - room, high + room
        at_low, at_high = (dot(self._found, row(end)) - wanted for end in (low, high))
        if at_low * at_high > 0 or at_low == at_high:
            return None
        heat_c = low + (high - low) * at_low / (at_low - at_high)
        slope = (at_high - at_low) / (high - low)
        return heat_c, abs(self._u95(row(heat_c)) / slope)

    def least_known(self, places: Sequence[Place]) -> Share | None:
        """Return the place whose share is known least: a print there would narrow most."""
        known = [at_place for at_place in (self.at(place) for place in places) if at_place]
        return max(known, key=lambda point: point.u95 / point.share, default=None)


def proven(surface: Surface) -> Surface:
    """Return the fit with those terms alone that an F test asks for: what is not shown to matter is
    in no verdict. A square or a product keeps what it bends."""
    shown = {effect.name for effect in surface.effects() if effect.matters}
    bent = shown & {"speed squared", "speed x temperature"}
    kept = tuple(
        term
        for term in surface.terms
        if term == "constant"
        or term in shown
        or (bent and term == "speed")
        or ("speed x temperature" in bent and term == "temperature")
    )
    return surface if kept == surface.terms else Surface(surface.points, kept)


def fit(points: Points) -> Surface:
    """Return the fit that the points ask for.

    Speed and temperature are in it wherever they differ, so that its ± is that of a choice made
    before; a curve or a product only where the F test asks.

    Raises:
        BadInput: no points, or two places that differ in whether a temperature is known.
    """
    if not points.shares:
        raise BadInput("there is nothing to map yet: no walls with a known speed")
    if len({place.temperature_c is None for place in points.places}) > 1:
        known = [i for i, place in enumerate(points.places) if place.temperature_c is not None]
        return fit(points.of(known))
    speeds = {round(place.speed_mm_s, 3) for place in points.places}
    heats = {place.temperature_c for place in points.places}
    terms: tuple[Term, ...] = ("constant",)
    if len(speeds) > 1:
        terms = (*terms, "speed")
    if len(heats) > 1 and _apart(points):
        terms = (*terms, "temperature")
    surface = Surface(points, terms)
    places = {(round(place.speed_mm_s, 3), place.temperature_c) for place in points.places}
    candidates: list[Term] = []
    if len(speeds) > 2 and len(places) > len(terms):
        candidates.append("speed squared")
    if "speed" in terms and "temperature" in terms and len(places) > len(terms):
        candidates.append("speed x temperature")
    while candidates:
        tried = [Surface(points, (*surface.terms, term)) for term in candidates]
        best = min(tried, key=lambda surface: surface.squares)
        gain = (surface.squares - best.squares) / best.scatter**2
        if gain <= f_quantile(_SURE, 1, PRIOR_DOF + best.dof):
            break
        surface = best
        candidates = [
            candidate
            for candidate in candidates
            if candidate not in surface.terms and len(places) > len(surface.terms)
        ]
    return surface


def _apart(points: Points) -> bool:
    """Tell whether speed and temperature can be told apart: not where one goes with the other."""
    places = points.places
    (v, _), (t, _) = (
        _mean([place.speed_mm_s for place in places]),
        _mean([place.temperature_c or 0.0 for place in places]),
    )
    vv = math.fsum((place.speed_mm_s - v) ** 2 for place in places)
    tt = math.fsum(((place.temperature_c or 0.0) - t) ** 2 for place in places)
    vt = math.fsum((place.speed_mm_s - v) * ((place.temperature_c or 0.0) - t) for place in places)
    return vv == 0 or vt * vt < 0.98 * vv * tt


def _mean(values: Sequence[float]) -> tuple[float, int]:
    return math.fsum(values) / len(values), len(values)


def _scaled(
    asked: Sequence[float], heats: Sequence[float]
) -> tuple[tuple[float, float], tuple[float, float]]:
    """Return the middle and half the range of speeds and of temperatures; 1 for no range."""
    middle = ((min(asked) + max(asked)) / 2, (min(heats) + max(heats)) / 2)
    half = ((max(asked) - min(asked)) / 2 or 1.0, (max(heats) - min(heats)) / 2 or 1.0)
    return middle, half


def _outside(values: Sequence[float], value: float, alone: float) -> float:
    """Return how far a value lies outside of others, as a part of their range, or of ``alone``
    where there is but one."""
    low, high = min(values), max(values)
    beyond = max(low - value, value - high, 0.0)
    return beyond / (high - low or alone)
