"""``metier volumetric``: which way to the limit is meant, and the limits known."""

from argparse import Namespace
from typing import Any

from metier.core.errors import BadInput
from metier.logbook.book import Logbook
from metier.trials.kind import Kind
from metier.trials.limit.base import LimitTrial, seen_options
from metier.trials.limit.kept import WAYS
from metier.words.parser import Answer


class Limit(LimitTrial[Any, Any, Any]):
    """The command: which way is meant, and the list of limits known."""

    def way(self, options: Namespace) -> Kind[Any, Any, Any]:
        seen = seen_options(options)
        ways = [options.action] if options.action else []
        rods = options.strength is not None
        ways += [f"--{name}" for name in ("plan", "feed", "tried") if getattr(options, name)]
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
        if options.plot and (options.action or options.feed or options.tried):
            what = "a comparison" if options.action else "lengths fed, or flows that were tried"
            raise BadInput(f"--plot draws a ramp or coupons, not {what}")
        if options.action:
            return self
        others = (name for name in WAYS if name != "ramp")
        way = next((name for name in others if getattr(options, name) is not None), "ramp")
        return self.way_of({"way": way})

    def given(self, options: Namespace) -> bool:
        return True

    def instead(self, options: Namespace, book: Logbook) -> Answer | None:
        from metier.trials.limit.compare import compare, turned

        return (turned if options.action == "speeds" else compare)(options, book)


KIND = Limit()
