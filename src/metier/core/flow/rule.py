"""The rules that a flow may be reckoned by, and what of a deviation is kept."""

from typing import Literal, get_args

FlowRule = Literal["bead", "plain", "trend"]

FLOW_RULES: tuple[FlowRule, ...] = get_args(FlowRule)

# Deviations of the wall from its target that are not worth a correction.
ACCEPT = (-0.025, 0.045)
