"""The options that several commands share, and how a command hands back its answer."""

import argparse
import os
import stat
import sys
from collections.abc import Callable
from typing import Any, NamedTuple, NoReturn, cast

from metier.core.refusal import Refusal
from metier.formats import quantity
from metier.logbook.book import Logbook, open_existing, open_or_make
from metier.logbook.location import locate

MOST_WALLS = 20
_LONGEST_TEXT = 200

# argparse looks each of its words up in a catalogue of translations. Metier speaks English
# throughout, and the look-up alone would take a twentieth of a command's time.
setattr(argparse, "_", str)  # noqa: B010


class Answer(NamedTuple):
    """What a command found: an object for programs, a text for people."""

    payload: dict[str, Any]
    text: str


class Parser(argparse.ArgumentParser):
    """A parser that refuses in one line and never guesses at shortened options."""

    def __init__(self, prog: str, description: str, example: str = "") -> None:
        super().__init__(
            prog=prog,
            description=description,
            epilog=example and f"example:\n{example}",
            allow_abbrev=False,
            # A fixed width also spares looking up the terminal's before there is need.
            formatter_class=lambda prog: argparse.RawDescriptionHelpFormatter(
                prog, max_help_position=26, width=80
            ),
        )

    def format_help(self) -> str:
        """Return the help, its description in lines of 80 columns."""
        import textwrap

        self.description = textwrap.fill(" ".join((self.description or "").split()), 80)
        return super().format_help()

    def error(self, message: str) -> NoReturn:
        """Raise what argparse would print with the usage."""
        text = message.removeprefix("argument ").replace("\n", " ")
        raise Refusal(f"{text} (see {self.prog} --help)")


def command_parser(name: str, description: str, example: str) -> Parser:
    """Return the parser of a command, with the options that every command takes."""
    parser = Parser(f"metier {name}", description, example)
    add_common(parser)
    return parser


def add_common(parser: argparse.ArgumentParser) -> None:
    """Add ``--json`` and ``--logbook``."""
    parser.add_argument("--json", action="store_true", help="print one JSON object instead of text")
    parser.add_argument(
        "--logbook", metavar="FILE", help="the logbook to use (else METIER_LOGBOOK, else your own)"
    )


class Actions:
    """The actions of a command such as ``printer add``, each with a parser of its own."""

    def __init__(self, parser: argparse.ArgumentParser) -> None:
        self._choices: Any = parser.add_subparsers(
            dest="action",
            metavar="ACTION",
            required=True,
            prog=parser.prog,
            parser_class=cast("type[Parser]", _action),
        )

    def add(self, name: str, description: str, example: str) -> Parser:
        """Add an action and return its parser."""
        parser: Parser = self._choices.add_parser(
            name, help=description, description=description, example=example
        )
        add_common(parser)
        return parser


def _action(prog: str, description: str, example: str) -> Parser:
    return Parser(prog, description, example)


def typed(read: Callable[..., Any], *args: Any) -> Callable[[str], Any]:
    """Turn a reader of quantities into a type for argparse, which names the option itself."""

    def convert(text: str) -> Any:
        try:
            return read(text, "", *args)
        except Refusal as refusal:
            raise argparse.ArgumentTypeError(str(refusal).removeprefix(": ")) from None

    return convert


length = typed(quantity.read_length_mm)
length_or_zero = typed(quantity.read_length_mm, True)
signed_length = typed(quantity.read_signed_length_mm)
positive = typed(quantity.read_positive)
number = typed(quantity.read_number)
percent = typed(quantity.read_number, ("%",))
speed = typed(quantity.read_positive, ("mm/s",))
steps = typed(quantity.read_positive, ("steps/mm",))
mm3_s = typed(quantity.read_positive, ("mm³/s", "mm3/s"))
temperature = typed(quantity.read_positive, ("c", "°c"))
flow = typed(quantity.read_flow)
walls = typed(quantity.read_count, MOST_WALLS)
trial_number = typed(quantity.read_count, 999_999_999)
whole = typed(quantity.read_count, 9999)
whole_or_zero = typed(quantity.read_count, 9999, 0)


def small_text(text: str) -> str:
    """Read a maker, a colour, a note: one printable line."""
    trimmed = " ".join(text.split())
    if not trimmed or len(trimmed) > _LONGEST_TEXT or not trimmed.isprintable():
        raise argparse.ArgumentTypeError(f"give 1 to {_LONGEST_TEXT} printable characters")
    return trimmed


def existing_logbook(options: argparse.Namespace) -> Logbook:
    """Open the logbook that the options name; an empty one in memory where there is none."""
    return open_existing(locate(options.logbook).path)


def logbook_to_write(options: argparse.Namespace) -> Logbook:
    """Open the logbook that the options name, making it where there is none."""
    return open_or_make(*locate(options.logbook))


def add_entry_options(parser: argparse.ArgumentParser) -> None:
    """Add the options for going on with an entry that was interrupted."""
    group = parser.add_argument_group("readings typed at a prompt or piped in, one a line")
    group.add_argument("--resume", action="store_true", help="go on with an interrupted entry")
    group.add_argument("--afresh", action="store_true", help="drop an interrupted entry")


def piped_or_typed() -> bool:
    """Tell whether anybody may be typing: a terminal, or a pipe or file on standard input."""
    if sys.stdin is None or sys.stdin.closed:
        return False
    if sys.stdin.isatty():
        return True
    # /dev/null is a device that nobody types into.
    return not stat.S_ISCHR(os.fstat(sys.stdin.fileno()).st_mode)


class Typed(NamedTuple):
    """A reading in mm beside what was typed, which the logbook keeps as it was."""

    value_mm: float
    text: str


def reading(text: str) -> Typed:
    """Read one number off the instrument."""
    return Typed(length(text), text.strip())


def reading_or_zero(text: str) -> Typed:
    """Read one number that may be zero: nothing left, nothing short."""
    return Typed(length_or_zero(text), text.strip())


def typed_mm3_s(text: str) -> Typed:
    """Read one flow off a preview; kept beside the readings in mm."""
    return Typed(mm3_s(text), text.strip())


def strand(text: str) -> tuple[Typed, ...]:
    """Read the lengths of one cut strand, ``98.4`` or ``98.4/98.7``."""
    return tuple(reading(part) for part in text.split("/"))
