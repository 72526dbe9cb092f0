"""What all ways to the limit share: the options, the row in history, when a ramp is due."""

import argparse
from argparse import Namespace
from collections.abc import Mapping
from types import MappingProxyType
from typing import Any

from metier.core.errors import BadInput
from metier.core.limit.plan import Outline
from metier.core.limit.ramp import MARGIN, ROUND_TO_MM3_S, SIGHTED_WITHIN_MM, LimitRule
from metier.core.verdicts import Verdict
from metier.logbook.book import Logbook
from metier.logbook.plain import S, from_plain
from metier.logbook.trials import Outcome
from metier.trials.kind import C, F, Kind
from metier.trials.limit.kept import KEPT, Found
from metier.trials.limit.lines import add_line_options
from metier.trials.limit.settings import FORM, SEEN
from metier.words.arguments import (
    length,
    length_or_zero,
    mm3_s,
    option,
    percent,
    positive,
    reading,
    speed,
    typed_mm3_s,
    walls,
    whole_or_zero,
)
from metier.words.parser import Answer

_OTHER_WAYS = ("feed", "strength")


def _outline(text: str) -> Outline:
    """Read what a ramp goes round: ``50``, a side between its corners, or ``r25``, a radius."""
    is_round = text[:1] in "rR" and len(text) > 1
    return Outline("round" if is_round else "square", length(text[is_round:]))


class LimitTrial(Kind[S, C, F]):
    """A trial of the volumetric speed limit, whatever shows it."""

    title = "Volumetric limit"
    kept = KEPT
    draws = True
    printed = True
    lacking = (
        "nothing was seen: give --gaps-at, --gaps-flow, --good-to, --clean-markers or "
        "--clean, or type the heights in"
    )
    description = (
        "Find the volumetric speed limit: from a single-line wall whose flow rises with height, "
        "from lengths fed faster and faster, or from the strength of coupons. 'metier volumetric "
        "compare' lists the limits known."
    )
    example = (
        "  metier volumetric --from 4 --step 0.4 --every 2.5 --to 24 \\\n"
        "    --matte-at 22 --gaps-at 31.5 32 --width 0.5 --layer 0.2"
    )

    preferences = MappingProxyType({"margin": "filament", "round_to": "bench"})

    def way_of(self, settings: Mapping[str, object]) -> Kind[Any, Any, Any]:
        way = settings.get("way")
        if way == "feed":
            from metier.trials.limit.feed import FEED

            return FEED
        if way == "strength":
            from metier.trials.limit.strength import STRENGTH

            return STRENGTH
        from metier.trials.limit.ramp import RAMP

        return RAMP

    def outcomes(self, settings: S, finding: F) -> list[Outcome]:
        found = from_plain(Found, self.payload(settings, finding))
        now, new = found.limit_now_mm3_s, found.limit_unrounded_mm3_s
        return [Outcome("limit", now, new, None, found.limit_to_type_mm3_s)]


class Limit(LimitTrial[Any, Any, Any]):
    """The command: which way is meant, and the list of limits known."""

    form = FORM

    def add_options(self, parser: argparse.ArgumentParser) -> None:
        option(parser, "action compare|speeds", "list known limits; or flow and speed of a line, "
               "without any trial", ("compare", "speeds"), nargs="?")  # fmt: skip
        asked = parser.add_argument_group("what speeds turns into the other (one of these)")
        option(asked, "--limit Q", "a flow, in mm³/s", mm3_s)
        option(asked, "--speed V", "a speed, in mm/s", speed)
        _add_ramp_options(parser)
        _add_sightings(parser)
        _add_other_ways(parser)
        how = parser.add_argument_group("how to reckon")
        option(how, "--margin PERCENT", f"below the last good flow ({100 * MARGIN:g})", percent)
        rounding = f"round the limit down to ({ROUND_TO_MM3_S:g})"
        option(how, "--round-to Q", rounding, mm3_s)
        add_line_options(parser)
        compared = parser.add_argument_group(
            "what compare lists (else this printer and this spool)"
        )
        option(compared, "--printer PRINTER", "limits on one printer only")
        option(compared, "--spool SPOOL", "limits of one roll only")

    def way(self, options: Namespace) -> Kind[Any, Any, Any]:
        seen = seen_options(options)
        ways = [options.action] if options.action else []
        rods = options.strength is not None
        ways += [f"--{name}" for name in ("plan", "feed") if getattr(options, name)]
        ways += ["--strength"] if rods and not options.plan else []
        ways += seen[:1]
        if len(ways) > 1:
            raise BadInput(f"{ways[0]} and {ways[1]} do not go together: one at a time")
        if (options.limit or options.speed) and options.action != "speeds":
            raise BadInput(
                "--limit and --speed go with speeds: metier volumetric speeds --limit 15"
            )
        if (options.printer or options.spool) and options.action != "compare":
            raise BadInput("--printer and --spool go with compare; a trial belongs to the bench")
        if options.marker_every is not None and options.clean_markers is None and not options.plan:
            raise BadInput("--marker-every and --clean-markers go together")
        if (options.layer_path is None) != (options.layer_time is None):
            raise BadInput("--layer-path and --layer-time go together")
        if (options.coupon_flows or options.coupons) and not (rods and options.plan):
            raise BadInput("--coupon-flows and --coupons go with --strength --plan")
        of_coupons = rods and not options.plan and options.accel is not None
        if not options.plan and bool(of_coupons) != (options.coupon_length is not None):
            raise BadInput("--coupon-length and --accel go together")
        if options.plan and options.speeds:
            raise BadInput("--speeds is for a limit that is known: leave it out of the plan")
        if options.plot and (options.action or options.feed):
            what = "a comparison" if options.action else "lengths fed"
            raise BadInput(f"--plot draws a ramp or coupons, not {what}")
        if options.action:
            return self
        way = next((name for name in _OTHER_WAYS if getattr(options, name) is not None), "ramp")
        return self.way_of({"way": way})

    def given(self, options: Namespace) -> bool:
        return True

    def instead(self, options: Namespace, book: Logbook) -> Answer | None:
        if options.action == "speeds":
            from metier.trials.limit.compare import turned

            return turned(options, book)
        from metier.trials.limit.compare import compare

        return compare(options, book)


def seen_options(options: Namespace) -> list[str]:
    """Return the options that tell what was seen on a ramp."""
    seen = [
        f"--{name}-{'to' if (name, how) == ('good', 'at') else how}"
        for name in SEEN
        for how in ("at", "flow")
        if getattr(options, f"{name}_{how}")
    ]
    seen += ["--clean-markers"] if options.clean_markers is not None else []
    return seen + (["--clean"] if options.clean else [])


def limit_rule(options: Namespace, planned: LimitRule | None) -> LimitRule:
    """Return how a limit is made of the last good flow: as given, else as planned."""
    margin, round_to_mm3_s = planned or LimitRule()
    if options.margin is not None:
        if 0 < options.margin < 1:
            raise BadInput(
                f"--margin is percent: type {100 * options.margin:g} for {options.margin:g}"
            )
        if not 0 <= options.margin <= 90:
            raise BadInput(f"--margin: {options.margin:g} must be from 0 to 90 percent")
        margin = options.margin / 100
    return LimitRule(margin, options.round_to or round_to_mm3_s)


def limit_to_type(
    verdict: Verdict, limit_mm3_s: float | None, limit_now_mm3_s: float | None
) -> float | None:
    """Return what to type: the new limit, or the present one where that may stay."""
    if verdict.name == "correct":
        return limit_mm3_s
    return limit_now_mm3_s if verdict.name != "recheck" else None


def _add_ramp_options(parser: argparse.ArgumentParser) -> None:
    ramp = parser.add_argument_group("the ramp (flows in mm³/s; else as planned or as last time)")
    option(ramp, "--from Q", "flow it begins at", mm3_s, dest="start")
    option(ramp, "--rise-per-mm Q", "rise for a mm of height", positive)
    option(ramp, "--step Q", "or: rise by steps of so much", mm3_s)
    option(ramp, "--every MM", "one step every so many mm", length)
    option(ramp, "--to Q", "flow it ends at", mm3_s)
    option(ramp, "--base MM", "height of the foot (0)", length_or_zero)
    option(ramp, "--sliced FILE", "or take all that from the sliced file")
    option(ramp, "--walls N", "lines a wall (should be 1)", walls)
    option(ramp, "--outline MM|rMM", "a side of it between its corners, or r25: round, of that "
           "radius", _outline)  # fmt: skip
    option(ramp, "--accel MM/S2", "acceleration it is printed with: with --outline it tells the "
           "flow really reached", positive)  # fmt: skip


def _add_sightings(parser: argparse.ArgumentParser) -> None:
    seen = parser.add_argument_group("what was seen; several values are several sightings")
    for name, what in SEEN.items():
        at, where = ("to", "up to which") if name == "good" else ("at", "where")
        option(seen, f"--{name}-{at} MM …", f"height {where} {what}", reading, dest=f"{name}_at")
        option(
            seen, f"--{name}-flow Q …", f"or the flow {where} {what}, off a preview", typed_mm3_s
        )
    option(seen, "--marker-every MM", "markers on the part", length)
    option(seen, "--clean-markers N", "the last clean marker", whole_or_zero)
    option(seen, "--clean", "no gaps to its end; needs --to")
    within = f"how well heights are known (±{SIGHTED_WITHIN_MM})"
    option(seen, "--within MM", within, length)


def _add_other_ways(parser: argparse.ArgumentParser) -> None:
    others = parser.add_argument_group("other ways to a limit")
    option(others, "--feed FILE.csv", "lengths fed: flow_mm3_s, asked_mm, moved_mm")
    option(others, "--instrument NAME", "what the lengths were measured with (calipers)")
    option(others, "--strength FILE.csv", "coupons: flow_mm3_s, strength_mpa or force_n; alone "
           "with --plan, to print them", nargs="?", const="")  # fmt: skip
    option(others, "--coupon-flows Q …", "flows of coupons to print", mm3_s)
    option(others, "--coupons N", "how many of each (3)", walls)
    option(others, "--coupon-diameter MM", "diameter of the coupons, for force_n", length)
    option(others, "--coupon-length MM", "gauge length; with --accel tells the part of it "
           "printed at speed", length)  # fmt: skip
    option(others, "--layer-path MM", "length of the lines of a layer", length)
    option(others, "--layer-time S", "least time that a layer takes", positive)


KIND = Limit()
