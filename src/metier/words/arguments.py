"""Words of the command line as options and quantities."""

import argparse
from collections.abc import Callable
from typing import TYPE_CHECKING, Any, NamedTuple

from metier.core.errors import BadInput
from metier.core.values import value_named
from metier.formats import quantity
from metier.formats.quantity import read_celsius, read_flow, read_positive, read_signed_length_mm
from metier.words.doubt import Usual

if TYPE_CHECKING:
    from metier.words.parser import Parser

MOST_WALLS = 20
# No roll of a hobby bench is longer.
LONGEST_ROLL_M = 20_000.0
_LONGEST_TEXT = 200


def option_reader(read: Callable[..., Any], *args: Any) -> Callable[[str], Any]:
    """Turn a reader of quantities into a type for argparse, which names the option itself."""

    def convert(text: str) -> Any:
        try:
            return read(text, "", *args)
        except BadInput as refusal:
            raise argparse.ArgumentTypeError(str(refusal).removeprefix(": ")) from None

    return convert


length = option_reader(quantity.read_length_mm)
length_or_zero = option_reader(quantity.read_length_mm, True)
signed_length = option_reader(quantity.read_signed_length_mm)
positive = option_reader(quantity.read_positive)
number = option_reader(quantity.read_number)
percent = option_reader(quantity.read_number, ("%",))
speed = option_reader(quantity.read_positive, ("mm/s",))
steps = Usual(option_reader(quantity.read_positive, ("steps/mm",)), 20, 5000, "steps/mm")
bore = Usual(length, 0.1, 2)
layer_height = Usual(length, 0.04, 1.2)
line_width = Usual(length, 0.1, 3)
compensation = Usual(signed_length, -0.5, 0.5, "mm per side")
_mass = option_reader(quantity.read_positive, ("g",))
mm3_s = option_reader(quantity.read_positive, ("mm³/s", "mm3/s"))
temperature = option_reader(quantity.read_positive, ("c", "°c"))
nozzle_heat = Usual(temperature, 150, 330, "°C")
celsius = option_reader(quantity.read_celsius)
flow = option_reader(quantity.read_flow)
baud = option_reader(quantity.read_count, 9_999_999)
walls = option_reader(quantity.read_count, MOST_WALLS)


class SectionLines(NamedTuple):
    """The lines of a section: how many a wall has, and how wide they are where that is told."""

    walls: int
    width_mm: float | None = None


def section(text: str) -> SectionLines:
    """Read the lines of a section: «3», or «1x0.8» with their width."""
    count, wide, width = text.lower().replace("×", "x").partition("x")
    return SectionLines(walls(count), length(width) if wide else None)


trial_number = option_reader(quantity.read_count, 999_999_999)
whole = option_reader(quantity.read_count, 9999)
whole_or_zero = option_reader(quantity.read_count, 9999, 0)


def small_text(text: str) -> str:
    """Read a maker, a colour, a note: one printable line."""
    trimmed = " ".join(text.split())
    if not trimmed or len(trimmed) > _LONGEST_TEXT or not trimmed.isprintable():
        raise argparse.ArgumentTypeError(f"give 1 to {_LONGEST_TEXT} printable characters")
    return trimmed


def port(text: str) -> str:
    """Read the name of a port: a device, or a serial line on the network."""
    from metier.port_name import checked_port

    try:
        return checked_port(text)
    except BadInput as refusal:
        raise argparse.ArgumentTypeError(str(refusal)) from None


class ReadOff(NamedTuple):
    """A number off an instrument beside what was typed, which the logbook keeps as it was."""

    value: float
    text: str


def grams(text: str) -> ReadOff:
    """Read what a scale shows."""
    return ReadOff(_mass(text), text.strip())


def reading(text: str) -> ReadOff:
    """Read one number off the instrument."""
    return ReadOff(length(text), text.strip())


def reading_or_zero(text: str) -> ReadOff:
    """Read one number that may be zero: nothing left, nothing short."""
    return ReadOff(length_or_zero(text), text.strip())


def typed_mm3_s(text: str) -> ReadOff:
    """Read one flow off a preview; kept beside the readings in mm."""
    return ReadOff(mm3_s(text), text.strip())


def strand(text: str) -> tuple[ReadOff, ...]:
    """Read the lengths of one cut strand, ``98.4`` or ``98.4/98.7``."""
    return tuple(reading(part) for part in text.split("/"))


def preview(text: str) -> tuple[float, float, str]:
    """Read flow and speed of a line off a preview, as «3.66@40»; the flow as it is shown, too."""
    flow_text, at, speed_text = text.partition("@")
    try:
        if not at:
            raise BadInput(f"{text[:20]!r} is no flow and speed: write mm³/s@mm/s, as 3.66@40")
        flow_mm3_s = quantity.read_positive(flow_text, "", ("mm³/s", "mm3/s"))
        speed_mm_s = quantity.read_positive(speed_text, "", ("mm/s",))
    except BadInput as refusal:
        raise argparse.ArgumentTypeError(str(refusal).removeprefix(": ")) from None
    return flow_mm3_s, speed_mm_s, flow_text


def read_value(name: str, text: str) -> float:
    """Read a value as it is typed on screen, in the unit of calculation.

    Raises:
        BadInput: no such value, or one that cannot be.
    """
    row = value_named(name)
    if row.unit == "%":
        return read_flow(text, name)
    if row.signed:
        value = read_signed_length_mm(text, name)
        if row.largest is not None and abs(value) > row.largest:
            raise BadInput(f"{name}: {text} mm per side is no compensation: a few tenths at most")
        return value
    if row.is_heat:
        return read_celsius(text, name)
    return read_positive(text, name, (row.unit.lower(),))


BAUD = 115200


def add_cable_options(parser: argparse.ArgumentParser) -> None:
    """Add where the printer is spoken to."""
    group = parser.add_argument_group("the printer's cable, where it is another than the set one")
    option(group, "--port PORT", "device or URL", port)
    option(group, "--baud N", f"speed of the line ({BAUD})", baud)
    option(group, "--log FILE", "write down there what is sent and received")


def option(
    group: "argparse._ActionsContainer", written: str, help: str = "", read: Any = None, **more: Any
) -> None:
    """Add an option as its help has it: «--width MM», «--read MM …» for several, «--clean» for one
    without a value. ``read`` is what reads it, or the words to choose from."""
    group.add_argument(written.partition(" ")[0], **_reading_of(written, help, read), **more)
    if isinstance(read, Usual):
        add_anyway(group)


def add_anyway(group: "argparse._ActionsContainer") -> None:
    """Add what says that an unusual value is meant, once."""
    if "--anyway" not in group._option_string_actions:
        parser = getattr(group, "_container", group)
        option(parser, "--anyway", "an unusual value is meant: do not ask about it")


def needed(parser: "Parser", written: str, help: str, read: Any = None, **more: Any) -> None:
    """Add an option, or a word, that has to be given: what lacks is asked for, or named."""
    parser.add_needed(written.partition(" ")[0], **_reading_of(written, help, read), **more)
    if isinstance(read, Usual):
        add_anyway(parser)


def _reading_of(written: str, help: str, read: Any) -> dict[str, Any]:
    name, _, shown = written.partition(" ")
    several = shown.endswith(" …")
    told: dict[str, Any] = {"help": help} if help else {}
    if shown:
        told["metavar"] = shown.removesuffix(" …")
    if several:
        told |= {"nargs": "+", "action": "extend"} if name.startswith("-") else {"nargs": "+"}
    if callable(read):
        told["type"] = read
    elif read is not None:
        told["choices"] = read
    elif name.startswith("-") and not shown:
        told["action"] = "store_true"
    return told
