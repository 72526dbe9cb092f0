"""A trial of the limit, whatever shows it: the options of ``metier volumetric``, the outcome."""

from argparse import Namespace
from collections.abc import Mapping
from importlib import import_module
from typing import Any

from metier.core.limit.melting import ROUND_TO_MM3_S
from metier.core.limit.plan import Outline
from metier.core.limit.ramp import MARGIN, SIGHTED_WITHIN_MM
from metier.core.line.bead import LINES
from metier.core.values import LINE_MODELS
from metier.core.verdicts import Verdict
from metier.logbook.plain import S
from metier.logbook.trials import Outcome
from metier.trials.kind import C, F, Kind
from metier.trials.limit.kept import KEPT, WAYS, way_named
from metier.trials.table import Row, Table, given, instrument, planned, setting, told, usual
from metier.trials.tried.settings import said_of_flow
from metier.words.arguments import (
    flow,
    length,
    length_or_zero,
    mm3_s,
    percent,
    positive,
    reading,
    small_text,
    speed,
    typed_mm3_s,
    walls,
    whole_or_zero,
)

# What may be seen on a ramp.
SEEN = {
    "gaps": "the first gaps show",
    "good": "it still looks good",
    "matte": "the surface changes",
    "failed": "it failed",
}


def _outline(text: str) -> Outline:
    """Read what a ramp goes round: ``50``, a side between its corners, or ``r25``, a radius."""
    is_round = text[:1] in "rR" and len(text) > 1
    return Outline("round" if is_round else "square", length(text[is_round:]))


def _sightings() -> list[Row]:
    rows = []
    for name, what in SEEN.items():
        at, where = ("to", "up to which") if name == "good" else ("at", "where")
        height, off_preview = f"height {where} {what}", f"or the flow {where} {what}, off a preview"
        rows.append(told(f"--{name}-{at} MM …", height, reading, dest=f"{name}_at"))
        rows.append(told(f"--{name}-flow Q …", off_preview, typed_mm3_s))
    return rows


TABLE: Table = (
    told("action compare|speeds", "list known limits; or flow and speed of a line, without any "
         "trial", ("compare", "speeds"), nargs="?"),
    "what speeds turns into the other (one of these)",
    told("--limit Q", "a flow, in mm³/s", mm3_s),
    told("--speed V", "a speed, in mm/s", speed),
    "the ramp (flows in mm³/s; else as planned or as last time)",
    told("--from Q", "flow it begins at", mm3_s, dest="start"),
    told("--rise-per-mm Q", "rise for a mm of height", positive),
    told("--step Q", "or: rise by steps of so much", mm3_s),
    told("--every MM", "one step every so many mm", length),
    told("--to Q", "flow it ends at", mm3_s),
    told("--base MM", "height of the foot (0)", length_or_zero),
    told("--sliced FILE", "or take all that from the sliced file"),
    setting("walls", "--walls N", "lines a wall (should be 1)", walls, given, planned),
    told("--outline MM|rMM", "a side of it between its corners, or r25: round, of that radius",
         _outline),
    told("--accel MM/S2", "acceleration it is printed with: with --outline it tells the flow "
         "really reached", positive),
    "what was seen; several values are several sightings",
    *_sightings(),
    setting("marker_every_mm", "--marker-every MM", "markers on the part", length, given, planned),
    told("--clean-markers N", "the last clean marker", whole_or_zero),
    told("--clean", "no gaps to its end; needs --to"),
    setting("within_mm", "--within MM", f"how well heights are known (±{SIGHTED_WITHIN_MM})",
            length, given, planned, usual(SIGHTED_WITHIN_MM)),
    "other ways to a limit",
    told("--feed FILE.csv", "lengths fed: flow_mm3_s, asked_mm, moved_mm"),
    instrument("what the lengths were measured with (calipers)"),
    told("--strength FILE.csv", "coupons: flow_mm3_s, strength_mpa or force_n; alone with --plan, "
         "to print them", nargs="?", const=""),
    told("--tried Q=WORDS …", "a part of yours at several flows: 14=starved 12=even/broken "
         "10=even/held", said_of_flow),
    told("--coupon-flows Q …", "flows of coupons to print", mm3_s),
    told("--coupons N", "how many of each (3)", walls),
    told("--coupon-diameter MM", "diameter of the coupons, for force_n", length),
    told("--coupon-length MM", "gauge length; with --accel tells the part of it printed at speed",
         length),
    told("--layer-path MM", "length of the lines of a layer", length),
    told("--layer-time S", "least time that a layer takes", positive),
    "how to calculate",
    told("--margin PERCENT", f"below the last good flow ({100 * MARGIN:g})", percent,
         kept="filament"),
    told("--round-to Q", f"round the limit down to ({ROUND_TO_MM3_S:g})", mm3_s, kept="bench"),
    "the speeds it means (else for lines as the bench prints)",
    told("--width MM …", "line width, or some", length),
    told("--layer MM …", "layer height, or some", length),
    told("--flow PERCENT", "flow (else the one in force)", flow),
    told("--line-model", "how the slicer doses a line", LINE_MODELS),
    told("--speeds LINE=MM/S …", f"speeds set: {', '.join(LINES)}; outer=150@0.45x0.2 for its own "
         "line", small_text),
    "what compare lists (else this printer and this spool)",
    told("--printer PRINTER", "limits on one printer only"),
    told("--spool SPOOL", "limits of one roll only"),
)  # fmt: skip


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


class LimitTrial(Kind[S, C, F]):
    """A trial of the limit by one of the ways."""

    title = "Volumetric limit"
    kept = KEPT
    table = TABLE
    draws = True
    printed = True
    lacking = (
        "nothing was seen: give --gaps-at, --gaps-flow, --good-to, --clean-markers or "
        "--clean, or type the heights in"
    )
    description = (
        "Find the volumetric speed limit: from a single-line wall whose flow rises with height, "
        "from lengths fed faster and faster, from coupons or from a part of yours. 'metier "
        "volumetric compare' lists the limits known."
    )
    job = "gaps-flow from step every gaps-at matte-at failed-at sliced margin speeds strength feed"
    example = (
        "  metier volumetric --gaps-flow 13\n"
        "  metier volumetric --from 4 --step 0.4 --every 2.5 --to 24 \\\n"
        "    --matte-at 22 --gaps-at 31.5 32 --width 0.5 --layer 0.2"
    )

    def way_of(self, settings: Mapping[str, object]) -> Kind[Any, Any, Any]:
        way: Kind[Any, Any, Any] = import_module(f"{WAYS[way_named(settings)]}.kind").KIND
        return way

    def outcomes(self, settings: S, finding: F) -> list[Outcome]:
        result: Any = self.result(settings, finding)
        now, new = result.limit_now_mm3_s, result.limit_unrounded_mm3_s
        return [Outcome("limit", now, new, None, result.limit_to_type_mm3_s)]


def limit_to_type(
    verdict: Verdict, limit_mm3_s: float | None, limit_now_mm3_s: float | None
) -> float | None:
    """Return what to type: the new limit, or the present one where that may stay."""
    if verdict.name == "correct":
        return limit_mm3_s
    return limit_now_mm3_s if verdict.name != "recheck" else None
