"""The limit from a part of one's own, printed slower and slower: what is even and holds."""

import math
from collections.abc import Sequence
from typing import NamedTuple

from metier.core.errors import BadInput
from metier.core.limit.verdict import MOST_MM3_S, judge_limit
from metier.core.measure.thresholds import exceeds
from metier.core.verdicts import Verdict

# Where nothing held, the next print is slower by this part.
_SLOWER = 0.2


class TriedFlow(NamedTuple):
    """A flow that a part was printed at; ``held`` is None where nobody tried to break it."""

    flow_mm3_s: float
    even: bool
    held: bool | None = None

    @property
    def good(self) -> bool:
        """Whether it starved nowhere and did not break."""
        return self.even and self.held is not False


class TriedFinding(NamedTuple):
    """The highest flow that is even and holds; ``bound`` tells that nothing faster, or nothing
    slower, was tried."""

    tried: tuple[TriedFlow, ...]
    limit_mm3_s: float | None
    bound: str | None
    verdict: Verdict
    notes: tuple[str, ...]


def limit_from_tried(
    tried: Sequence[TriedFlow], round_to_mm3_s: float, limit_now_mm3_s: float | None
) -> TriedFinding:
    """Return the highest flow that was both even and held: a part of one's own needs no margin.

    >>> tried = [TriedFlow(14, False), TriedFlow(12, True, False), TriedFlow(10, True, True)]
    >>> limit_from_tried(tried, 0.5, None).limit_mm3_s
    10

    Raises:
        BadInput: nothing was tried, a flow twice, or one that cannot be.
    """
    ordered = tuple(sorted(tried))
    if not ordered:
        raise BadInput("nothing was tried: give --tried 14=starved 12=even/broken 10=even/held")
    for flow in ordered:
        if not 0 < flow.flow_mm3_s <= MOST_MM3_S or math.isnan(flow.flow_mm3_s):
            raise BadInput(f"{flow.flow_mm3_s:g} mm³/s is no flow of a hot end")
    if len({flow.flow_mm3_s for flow in ordered}) < len(ordered):
        raise BadInput("a flow is there twice: say of each once how it came out")
    good = [flow.flow_mm3_s for flow in ordered if flow.good]
    bad = [flow.flow_mm3_s for flow in ordered if not flow.good]
    if not good:
        slower = ordered[0].flow_mm3_s * (1 - _SLOWER)
        reason = f"even the slowest, {ordered[0].flow_mm3_s:g} mm³/s, starves or breaks"
        verdict = Verdict("unclear", reason, (f"the part once more at {slower:.3g} mm³/s",))
        return TriedFinding(ordered, None, "upper", verdict, ())
    limit = max(good)
    if bad and exceeds(limit, min(bad)):
        reason = f"{limit:g} mm³/s came out well and {min(bad):g} did not"
        verdict = Verdict("recheck", reason, ("both once more: one of them is mixed up",))
        return TriedFinding(ordered, limit, None, verdict, ())
    notes = []
    if not bad:
        notes.append(f"nothing was too fast: more than {limit:g} mm³/s may do")
    if next(flow.held for flow in ordered if flow.flow_mm3_s == limit) is None:
        notes.append(f"nobody tried to break the part of {limit:g} mm³/s")
    verdict = judge_limit(limit, None, round_to_mm3_s, limit, limit_now_mm3_s)
    return TriedFinding(ordered, limit, None if bad else "lower", verdict, tuple(notes))
