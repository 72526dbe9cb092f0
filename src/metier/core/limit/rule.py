"""How a limit to type is made of the last good flow."""

from typing import NamedTuple

MARGIN = 0.10
ROUND_TO_MM3_S = 0.5


class LimitRule(NamedTuple):
    """How to make a limit of the last good flow: the margin (a ratio) and the step to round to."""

    margin: float = MARGIN
    round_to_mm3_s: float = ROUND_TO_MM3_S
