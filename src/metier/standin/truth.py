"""What is true of a stand-in printer and nobody is told: drawn by seed, one item at a time."""

import random
from typing import Literal, NamedTuple, get_args

Filament = Literal["pla", "petg", "foaming", "flexible"]
FILAMENTS: tuple[Filament, ...] = get_args(Filament)
Item = Literal["board", "gear", "nozzle", "roll"]
ITEMS: tuple[Item, ...] = get_args(Item)

# Where the melting limit of a hot end is drawn at.
REFERENCE_C = 210.0


class Gear(NamedTuple):
    """What drives the filament: the steps that move 1 mm where nothing slips, and the share that
    slips where the hot end is at its limit."""

    steps_per_mm: float
    slip: float


class Nozzle(NamedTuple):
    """A nozzle in its hot end: the flow it melts at 210 °C, by what ratio more a degree, at which
    share of it gaps begin, and how steeply what is delivered falls off before."""

    bore_mm: float
    melts_mm3_s: float
    rise_a_degree: float
    gaps_share: float
    steepness: float


class Foam(NamedTuple):
    """How much larger plastic grows at most, at what heat half of that, over how many degrees,
    and how long it takes to."""

    growth: float
    half_c: float
    width_c: float
    dwell_s: float


class Heats(NamedTuple):
    """What heat does to a roll's plastic, in °C: from where there are few and many strings, bridges
    sag and fall, walls are rough; below which they are dull and rough, columns break hard or
    easily."""

    few_strings_c: float
    many_strings_c: float
    sags_c: float
    falls_c: float
    rough_c: float
    dull_c: float
    cold_rough_c: float
    hard_c: float
    easy_c: float


class Roll(NamedTuple):
    """A roll: its strand (mean, a wave along it, unevenness, out of round), its density, how much
    its walls' texture adds, how far the jaws press them in, from which share of the limit they
    are dull, its foam, and what heat does to it."""

    filament: Filament
    diameter_mm: float
    wave_mm: float
    wave_length_mm: float
    uneven_mm: float
    oval_mm: float
    density_g_cm3: float
    texture_mm: float
    squeeze_mm: float
    dull_share: float
    foam: Foam | None
    heats: Heats


class Frame(NamedTuple):
    """What is printed against what is drawn: ratios along x and y; holes small per side, the more
    the smaller they are; posts large per side; a foot that bulges; and the ratio by which one
    print differs from the next, in plastic and in what it melts."""

    scale_x: float
    scale_y: float
    hole_mm: float
    hole_mm2: float
    post_mm: float
    foot_mm: float
    print_spread: float
    melt_spread: float
    size_spread_mm: float
    blend_mm: float
    slides_from_mm: float
    rising: float
    starved: float
    voids: float
    ends: float
    sides_mm: float

    def another_print(self, luck: random.Random) -> "Frame":
        """Return it as it prints the next time: bed, belts and heat are never quite the same."""
        return self._replace(
            hole_mm=self.hole_mm + luck.gauss(0, self.size_spread_mm),
            post_mm=self.post_mm + luck.gauss(0, self.size_spread_mm),
        )


class Hand(NamedTuple):
    """Calipers, pen, ruler and who holds them: noise by use, what closed jaws show, how far off
    they are, how far a cut piece stays curled, how often a digit is misread, whether one side of a
    part is all that is read, and what walls are rounded to."""

    jaws_noise_mm: float
    size_noise_mm: float
    pen_noise_mm: float
    cut_noise_mm: float
    curl_mm: float
    zero_mm: float
    off_mm: float
    misread: float
    reads_one_side: bool
    rounds_to_mm: float


class Board(NamedTuple):
    """The control board: the steps/mm it comes with."""

    factory_steps: float


class Truth(NamedTuple):
    """All that is true of a stand-in as it stands now."""

    board: Board
    gear: Gear
    nozzle: Nozzle
    roll: Roll
    frame: Frame
    hand: Hand


class Fitted(NamedTuple):
    """Which item of each sort is in it: counted from 0, and what the roll is of."""

    board: int = 0
    gear: int = 0
    nozzle: int = 0
    roll: int = 0
    filament: Filament = "pla"
    bore_mm: float = 0.5


_AS_BOUGHT = Fitted()


def truth_of(seed: int, fitted: Fitted = _AS_BOUGHT) -> Truth:
    """Return what is true of the stand-in of this seed with these items in it.

    >>> truth_of(4) == truth_of(4), truth_of(4).gear == truth_of(5).gear
    (True, False)
    """
    usual = _luck(seed, "make").choice((93.0, 140.0, 400.0, 412.0, 690.0, 830.0))
    return Truth(
        _board(_luck(seed, "board", fitted.board), usual),
        _gear(_luck(seed, "gear", fitted.gear), usual),
        _nozzle(_luck(seed, "nozzle", fitted.nozzle), fitted.bore_mm),
        _roll(
            _luck(seed, "roll", fitted.roll),
            _heats(_luck(seed, "heats", fitted.roll), fitted.filament),
            fitted.filament,
        ),
        _frame(_luck(seed, "frame")),
        _hand(_luck(seed, "hand")),
    )


def _luck(seed: int, *what: object) -> random.Random:
    return random.Random(f"{seed} {what}")


def _board(luck: random.Random, usual: float) -> Board:
    return Board(round(usual * luck.uniform(0.97, 1.03), 1))


def _gear(luck: random.Random, usual: float) -> Gear:
    return Gear(usual * luck.gauss(1.0, 0.025), luck.uniform(0.0, 0.006))


def _nozzle(luck: random.Random, bore_mm: float) -> Nozzle:
    return Nozzle(
        bore_mm,
        luck.uniform(9.0, 20.0) * (bore_mm / 0.5) ** 0.7,
        luck.uniform(0.015, 0.03),
        luck.uniform(0.96, 1.04),
        luck.uniform(2.0, 3.0),
    )


def _heats(luck: random.Random, filament: Filament) -> Heats:
    usual_c = {"pla": 208.0, "petg": 238.0, "foaming": 225.0, "flexible": 222.0}[filament]
    few_c, sags_c = usual_c + luck.uniform(2, 14), usual_c + luck.uniform(6, 20)
    easy_c = usual_c - luck.uniform(10, 22)
    return Heats(
        few_strings_c=few_c,
        many_strings_c=few_c + luck.uniform(5, 12),
        sags_c=sags_c,
        falls_c=sags_c + luck.uniform(8, 15),
        rough_c=usual_c + luck.uniform(16, 30),
        dull_c=usual_c - luck.uniform(2, 10),
        cold_rough_c=usual_c - luck.uniform(22, 35),
        hard_c=easy_c + luck.uniform(5, 10),
        easy_c=easy_c,
    )


def _roll(luck: random.Random, heats: Heats, filament: Filament) -> Roll:
    soft = filament == "flexible"
    densities = {"pla": 1.24, "petg": 1.27, "foaming": 1.20, "flexible": 1.21}
    foam = Foam(luck.uniform(0.6, 1.2), luck.uniform(222, 238), luck.uniform(6, 10), 5.0)
    return Roll(
        filament=filament,
        diameter_mm=luck.gauss(1.75, 0.012),
        wave_mm=luck.uniform(0.0, 0.008),
        wave_length_mm=luck.uniform(400, 3000),
        uneven_mm=luck.uniform(0.001, 0.004),
        oval_mm=luck.uniform(0.0, 0.012),
        density_g_cm3=densities[filament] * luck.gauss(1.0, 0.012),
        texture_mm=luck.uniform(0.0, 0.03),
        squeeze_mm=luck.uniform(0.02, 0.06) if soft else luck.uniform(0.0, 0.012),
        dull_share=luck.uniform(0.75, 0.9),
        foam=foam if filament == "foaming" else None,
        heats=heats,
    )


def _frame(luck: random.Random) -> Frame:
    scale, apart = luck.uniform(0.994, 1.002), luck.gauss(0.0, 0.0006)
    return Frame(
        scale_x=scale + apart,
        scale_y=scale - apart,
        hole_mm=luck.uniform(0.02, 0.12),
        hole_mm2=luck.uniform(0.0, 0.2),
        post_mm=luck.uniform(0.0, 0.08),
        foot_mm=luck.uniform(0.1, 0.25),
        print_spread=luck.uniform(0.003, 0.015),
        melt_spread=luck.uniform(0.02, 0.04),
        size_spread_mm=luck.uniform(0.006, 0.018),
        blend_mm=luck.uniform(0.004, 0.012),
        slides_from_mm=luck.uniform(0.05, 0.15),
        rising=luck.uniform(0.0, 0.5),
        starved=luck.uniform(0.0, 1.0),
        voids=luck.uniform(0.0, 0.025),
        ends=luck.uniform(0.0, 0.02),
        sides_mm=luck.uniform(0.002, 0.012),
    )


def _hand(luck: random.Random) -> Hand:
    return Hand(
        luck.uniform(0.008, 0.02),
        luck.uniform(0.02, 0.04),
        luck.uniform(0.18, 0.35),
        luck.uniform(0.12, 0.25),
        luck.uniform(0.1, 0.5),
        round(luck.uniform(-0.02, 0.02), 2),
        luck.uniform(-0.02, 0.02),
        1 / 200,
        luck.random() < 1 / 3,
        0.05 if luck.random() < 1 / 20 else 0.01,
    )
