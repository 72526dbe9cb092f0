"""Whether what is stated at 95 % holds, for all that is not flow: made-up printers and people.

    python benchmarks/coverage_rest.py [--times 2000] [--seed 1]

Pen marks are set and read by hand, filament slips into its path with a little play, calipers are
off by up to what new ones may be, strands and plates differ, gaps are seen late and at heights that
scatter. Each is measured as the docs say and judged by Metier; counted is how often the
truth lies within what is stated, and how often a claim is wrong.
"""

from __future__ import annotations

import argparse
import math
import random
from collections.abc import Callable
from typing import NamedTuple

from metier.core.diameter import judge_diameter
from metier.core.esteps import measured
from metier.core.fit.feel import Pair, begin_of
from metier.core.fit.offsets import fit_offsets
from metier.core.fit.plate import Feature, FeatureKind
from metier.core.limit.onset import Height
from metier.core.limit.ramp import Continuous, Ramp, Stepped
from metier.core.limit.shortfall import Fed, limit_from_feed
from metier.core.limit.strength import judge_strength
from metier.core.limit.verdict import Seen, limit_from_ramp
from metier.core.measure.instruments import figures

MARK = figures("calipers", "mark")
STRAND = figures("calipers", "strand")
PART = figures("calipers", "part")
SIZES_MM = (4.0, 6.0, 10.0, 16.0, 30.0)


class Went(NamedTuple):
    """One try: whether the truth lay within what was stated, and whether a claim was wrong.

    None where nothing was stated or claimed.
    """

    held: bool | None
    wrong: bool | None = None


Try = Callable[[random.Random], Went]


def _within(value: float, u95: float | None, truth: float) -> bool | None:
    return None if u95 is None else abs(value - truth) <= u95


def steps_by_mark(play_mm: float, runs: int) -> Try:
    """150 mm fed, the mark set anew for each run; up to so much play takes part in all of them."""

    def once(rng: random.Random) -> Went:
        off, play = rng.uniform(-0.03, 0.03), rng.uniform(0, play_mm)
        left = [180 - 150 * (1 + off) + play + rng.gauss(0, 0.25 * 2**0.5) for _ in range(runs)]
        found = measured.from_mark(left, mark_mm=180, asked_mm=150, steps_now=412, instrument=MARK)
        assert found.steps_new is not None
        truth, verdict = 412 / (1 + off), found.verdict.name
        wrong = (verdict == "keep" and abs(off) > 0.01) or (
            verdict == "correct" and abs(off) < 0.0025
        )
        return Went(_within(found.steps_new, found.steps_new_u95, truth), wrong)

    return once


def steps_by_lengths(play_mm: float) -> Try:
    """Two lengths, twice each."""

    def once(rng: random.Random) -> Went:
        off, play = rng.uniform(-0.03, 0.03), rng.uniform(0, play_mm)
        asked = [50.0, 200.0, 50.0, 200.0]
        moved = [a * (1 + off) - play + rng.gauss(0, 0.25 * 2**0.5) for a in asked]
        found = measured.from_lengths(moved, asked_mm=asked, steps_now=412, instrument=MARK)
        assert found.steps_new is not None
        wrong = found.verdict.name == "keep" and abs(off) > 0.01
        return Went(_within(found.steps_new, found.steps_new_u95, 412 / (1 + off)), wrong)

    return once


def strand(rng: random.Random) -> Went:
    """Five places, twice at right angles: a strand off by up to 2 %, oval, and uneven."""
    mean_mm, jaws_mm = 1.75 * rng.uniform(0.98, 1.02), rng.uniform(-0.02, 0.02)
    oval_mm = rng.uniform(0, 0.02)
    places = []
    for _ in range(5):
        here = mean_mm + rng.gauss(0, 0.006) + jaws_mm
        places.append(
            [round(here + sign * oval_mm / 2 + rng.gauss(0, 0.012), 2) for sign in (1, -1)]
        )
    found = judge_diameter(places, 1.75, STRAND)
    off = (mean_mm / 1.75) ** 2 - 1
    wrong = found.verdict.name == "correct" and abs(off) < 0.005
    return Went(_within(found.diameter.value, found.diameter.u95, mean_mm), wrong)


def plate(kind: FeatureKind) -> Try:
    """A plate of five holes and five posts, with jaws off by up to 0.03."""

    def once(rng: random.Random) -> Went:
        scale, kappa = rng.uniform(0.997, 1.001), rng.uniform(0, 0.1)
        hole, post = rng.uniform(0.05, 0.15), rng.uniform(-0.02, 0.08)
        jaws_mm = rng.uniform(-0.03, 0.03)
        apart = {"hole": rng.gauss(0, 0.012), "post": rng.gauss(0, 0.012)}
        features = []
        for n in SIZES_MM:
            small = scale * n - 2 * (hole + apart["hole"] + kappa / n)
            large = scale * n + 2 * (post + apart["post"])
            for each, size in (("hole", small + jaws_mm), ("post", large + jaws_mm)):
                read = round(size + rng.gauss(0, 0.03), 2)
                features.append(Feature("hole" if each == "hole" else "post", n, (read,)))
        found = fit_offsets(features, PART)
        inverse = math.fsum(1 / n for n in SIZES_MM) / len(SIZES_MM)
        truth = hole + kappa * inverse if kind == "hole" else -post
        one = found.hole if kind == "hole" else found.contour
        assert one is not None
        return Went(_within(one.per_side_mm, one.u95_mm, truth))

    return once


def pairs(rng: random.Random) -> Went:
    """Six pairs from 0.05 to 0.4 mm, each felt with a noise of 0.03 mm."""
    begins = rng.uniform(0.12, 0.3)
    looser = begins + rng.uniform(0.1, 0.2)
    tried = []
    for clearance in (0.05, 0.10, 0.15, 0.20, 0.30, 0.40):
        felt = clearance + rng.gauss(0, 0.03)
        feel = "snug" if felt < begins else "slide" if felt < looser else "loose"
        tried.append(Pair(clearance, feel))  # type: ignore[arg-type]
    found = begin_of(tried, "slide")
    if found.begins_mm is None:
        return Went(None)
    low, high = found.interval_mm
    return Went(low <= begins <= high)


def ramp(of: Ramp, sightings: int) -> Try:
    """Gaps seen up to 1 mm late and to half a millimetre; ramps repeat to 3 %."""

    def once(rng: random.Random) -> Went:
        truth = rng.uniform(7, 18)
        here = truth * rng.gauss(1, 0.03)
        if isinstance(of, Stepped):
            step = math.ceil((here - of.from_mm3_s) / of.step_mm3_s - 1e-9)
            begins_mm = step * (of.every_mm or 0)
        else:
            begins_mm = (here - of.from_mm3_s) / of.rise_mm3_s_mm
        seen = [
            Height(round(2 * (begins_mm + rng.uniform(0, 1) + rng.gauss(0, 0.3))) / 2)
            for _ in range(sightings)
        ]
        found = limit_from_ramp(of, Seen(gaps=tuple(seen)))
        if found.onset is None or found.limit_mm3_s is None:
            return Went(None)
        wrong = found.limit_mm3_s > truth
        return Went(_within(found.onset.flow_mm3_s, found.onset.u95_mm3_s, truth), wrong)

    return once


def fed(rng: random.Random) -> Went:
    """Lengths fed at six flows; what moves falls short ever faster beyond some flow."""
    melts = rng.uniform(9, 16)
    sharp = rng.uniform(4, 8)
    flows = (3.0, 5.0, 7.0, 9.0, 11.0, 13.0)

    def short(flow: float) -> float:
        return 0.03 * (flow / melts) ** sharp

    lengths = [Fed(q, 100.0, 100 * (1 - short(q)) + rng.gauss(0, 0.25 * 2**0.5)) for q in flows]
    found = limit_from_feed(lengths, MARK)
    if found.onset is None:
        return Went(None)
    base = (short(3.0) + short(5.0)) / 2
    truth = melts * ((0.03 + base * 0.97) / 0.03) ** (1 / sharp)
    return Went(_within(found.onset.flow_mm3_s, found.onset.u95_mm3_s, truth))


def coupons(rng: random.Random) -> Went:
    """Three coupons at each of four flows; from a flow on, strength is lost or it is not."""
    at = rng.choice((12.0, 16.0, math.inf))
    true = {q: rng.uniform(0.75, 0.9) if q >= at else 1.0 for q in (4.0, 8.0, 12.0, 16.0)}
    broken = {q: [30 * part * rng.gauss(1, 0.05) for _ in range(3)] for q, part in true.items()}
    found = judge_strength(broken)
    wrong = any(
        (group.verdict == "lost" and true[group.flow_mm3_s] >= 0.95)
        or (group.verdict == "held" and true[group.flow_mm3_s] < 0.95)
        for group in found.groups
    )
    return Went(None, wrong)


TRIES: dict[str, Try] = {
    "e-steps, one run of 150": steps_by_mark(0.0, 1),
    "e-steps, three runs": steps_by_mark(0.0, 3),
    "e-steps, three runs, play to 0.5 mm": steps_by_mark(0.5, 3),
    "e-steps, two lengths, play to 0.5 mm": steps_by_lengths(0.5),
    "diameter, five places twice": strand,
    "hole, a plate": plate("hole"),
    "contour, a plate": plate("post"),
    "where slide begins, six pairs": pairs,
    "onset, ramp of steps, four sides": ramp(Stepped(4.0, 0.5, 2.0, 0.0, 24.0), 4),
    "onset, continuous ramp, one look": ramp(Continuous(4.0, 0.25, 0.0, 24.0), 1),
    "onset, lengths fed": fed,
    "coupons, lost or held": coupons,
}


def report(tries: dict[str, Try]) -> None:
    """Print the table of these tries."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--times", type=int, default=2000)
    parser.add_argument("--seed", type=int, default=1)
    options = parser.parse_args()
    print(f"95 % asked for; {options.times} tries a row.\n")
    print("| what | holds | nothing stated | wrong claims |")
    print("| --- | --- | --- | --- |")
    for name, once in tries.items():
        rng = random.Random(f"{options.seed} {name}")
        went = [once(rng) for _ in range(options.times)]
        stated = [one.held for one in went if one.held is not None]
        claimed = [one.wrong for one in went if one.wrong is not None]

        def share(counted: list[bool]) -> str:
            return f"{100 * sum(counted) / len(counted):.1f}" if counted else ""

        none = f"{100 * (1 - len(stated) / len(went)):.1f}" if stated else ""
        print(f"| {name} | {share(stated)} | {none} | {share(claimed)} |", flush=True)


if __name__ == "__main__":
    report(TRIES)
