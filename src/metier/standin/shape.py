"""What is printed of what is drawn: walls of several lines, holes, posts."""

import math
from collections.abc import Callable

from metier.standin.truth import Frame, Heats


def wall_mm(lines: int, apart_mm: float, wide_mm: float, layer_mm: float, frame: Frame) -> float:
    """Return how thick a wall of fused lines is, without its texture.

    ``wide_mm`` is a line's plastic spread over its layer's height: neighbours that are wider than
    they lie apart push each other out, starved ones keep their distance, with a soft transition.
    """
    blend = frame.blend_mm
    step_mm = (apart_mm + wide_mm + math.hypot(apart_mm - wide_mm, blend)) / 2
    return (lines - 1) * step_mm + line_mm(wide_mm, layer_mm)


def line_mm(wide_mm: float, layer_mm: float) -> float:
    """Return the width of one line with its rounded sides."""
    return wide_mm + layer_mm * (1 - math.pi / 4)


def hole_mm(drawn_mm: float, frame: Frame, across: str) -> float:
    """Return how wide a hole comes out along x or y."""
    scale = frame.scale_x if across == "x" else frame.scale_y
    return scale * drawn_mm - 2 * (frame.hole_mm + frame.hole_mm2 / drawn_mm)


def post_mm(drawn_mm: float, frame: Frame, across: str) -> float:
    """Return how wide a post comes out along x or y."""
    scale = frame.scale_x if across == "x" else frame.scale_y
    return scale * drawn_mm + 2 * frame.post_mm


def words_of_step(heat_c: float, heats: Heats, seen_c: Callable[[float], float]) -> str:
    """Return what is seen and felt of a step that was printed so hot: strings, surface, bridge, how
    its column breaks; ``seen_c`` is where an eye puts a border."""

    def above(*borders_c: float) -> int:
        return sum(heat_c > seen_c(border) for border in borders_c)

    def below(*borders_c: float) -> int:
        return sum(heat_c < seen_c(border) for border in borders_c)

    rough = above(heats.rough_c) or below(heats.cold_rough_c)
    return "/".join(
        (
            ("none", "few", "many")[above(heats.few_strings_c, heats.many_strings_c)],
            "rough" if rough else ("even", "dull")[below(heats.dull_c)],
            ("straight", "sags", "fell")[above(heats.sags_c, heats.falls_c)],
            ("holds", "hard", "easy")[below(heats.hard_c, heats.easy_c)],
        )
    )


def feel(play_mm: float, frame: Frame, noise_mm: float) -> str:
    """Return how a pin goes in a hole that is so much larger."""
    slides_mm = frame.slides_from_mm
    felt_mm = play_mm + noise_mm
    for below_mm, word in (
        (slides_mm - 0.16, "stuck"),
        (slides_mm - 0.06, "press"),
        (slides_mm, "snug"),
        (slides_mm + 0.14, "slide"),
    ):
        if felt_mm < below_mm:
            return word
    return "loose"
