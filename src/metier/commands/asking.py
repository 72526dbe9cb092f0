"""What each test asks for when readings are typed one by one."""

import argparse

from metier.commands.entry import Asked, Entry
from metier.core.cube import Cube
from metier.core.ramp import Ramp
from metier.core.readings import Instrument
from metier.core.refusal import Refusal
from metier.core.slips import refuse_slip
from metier.formats import quantity


def ask_walls(options: argparse.Namespace, cube: Cube, instrument: Instrument) -> Entry:
    """Ask for the walls of a cube, side by side."""

    def check(value_mm: float, _: str) -> None:
        refuse_slip(value_mm, cube.target_mm() + instrument.zero_mm, "reading")

    return Entry(
        options,
        Asked(
            "flow",
            "The walls of the cube, going round it as seen from above: front (towards you), right, "
            "back, left, and round again.",
            ("front", "right", "back", "left"),
            "Let the part cool. Measure the upper layers, never the first ones, away from corners "
            "and seam. Close the jaws until they just touch, without squeezing. Zero them first.",
            instrument,
            check,
            lambda text: [quantity.read_length_mm(text, "reading")],
        ),
    )


def ask_left(
    options: argparse.Namespace, mark_mm: float | None, asked_mm: float, instrument: Instrument
) -> Entry:
    """Ask for what is left between inlet and mark, run by run."""
    assert mark_mm is not None
    far_mm = mark_mm

    def check(left_mm: float, _: str) -> None:
        if left_mm >= far_mm:
            raise Refusal(f"{left_mm:g} mm left is not less than the mark at {far_mm:g} mm")
        refuse_slip(far_mm - left_mm, asked_mm, "moved length")

    return Entry(
        options,
        Asked(
            "esteps",
            f"What is left from inlet to pen mark, each run with a new mark at {far_mm:g} mm.",
            ("run …",),
            "Measure from the same edge of the inlet both times, filament straight and taut, the "
            "printer at rest. A fine pen line beats a dot.",
            instrument,
            check,
            lambda text: [quantity.read_length_mm(text, "reading", True)],
        ),
    )


def ask_heights(options: argparse.Namespace, ramp: Ramp | None, within_mm: float) -> Entry:
    """Ask for the heights where the first gaps show, going round the ramp."""
    assert ramp is not None

    def check(height_mm: float, _: str) -> None:
        ramp.flow_at(height_mm)

    def running(heights_mm: list[float]) -> str:
        lowest = min(heights_mm)
        text = f"earliest {lowest:g} mm, {ramp.flow_at(lowest):.3g} mm³/s"
        if len(heights_mm) > 1:
            text += f", {max(heights_mm) - lowest:.3g} mm apart"
        return text

    return Entry(
        options,
        Asked(
            "volumetric",
            "The height where the first gaps show, in mm from the bottom of the part, going round "
            "it: front, right, back, left.",
            ("front", "right", "back", "left"),
            "Hold the part against the light, turn it slowly, and look for the first gap or torn "
            "line from below. Lay the calipers' depth rod or a ruler along the wall.",
            Instrument(within_mm, within_mm, 0.1),
            check,
            lambda text: [quantity.read_length_mm(text, "height")],
            running,
        ),
    )


def ask_strand(options: argparse.Namespace, slicer_mm: float, instrument: Instrument) -> Entry:
    """Ask for the diameter of a strand, place by place."""
    return Entry(
        options,
        Asked(
            "diameter",
            "The strand's diameter, place by place: 1.74/1.72 for two readings at right angles.",
            ("place …",),
            "Straighten the strand, measure a hand's breadth apart and well past the roll's end, "
            "turning the calipers by a quarter at each place. Close the jaws till they just touch.",
            instrument,
            lambda value_mm, _: refuse_slip(value_mm, slicer_mm + instrument.zero_mm, "reading"),
            lambda text: [quantity.read_length_mm(part, "reading") for part in text.split("/")],
        ),
    )
