"""The parser that every command has, what all of them take, and what they hand back."""

import argparse
import os
import stat
import sys
from argparse import Namespace
from collections.abc import Mapping, Sequence
from functools import partial
from typing import Any, NamedTuple, NoReturn, cast

from metier.core.errors import BadInput
from metier.logbook.book import Logbook
from metier.logbook.location import locate
from metier.logbook.opening import open_existing, open_or_make
from metier.packages import PLOTS, require
from metier.show.sheet import columns
from metier.whole_file import check_target, spare
from metier.words.arguments import baud, port

# More than these are no usage line any more.
_MANY_OPTIONS = 14
# The logbooks that this command opened: what they recorded has to be said whatever happens.
_opened: list[Logbook] = []


class Answer(NamedTuple):
    """What a command found: an object for programs, a text for people.

    ``payload`` is None where all that programs read was written before the command ended.
    """

    payload: Mapping[str, object] | None
    text: str

    def with_line(self, line: str) -> "Answer":
        """Return it with a line more, apart from a whole sheet; an empty one changes nothing."""
        apart = "\n\n" if "\n\n" in self.text else "\n"
        return self._replace(text=f"{self.text}{apart}{line}") if line else self


class _Help(argparse.Action):
    """Prints what a command is for; at length where «all» stands behind it."""

    def __call__(
        self, parser: argparse.ArgumentParser, _: object, all: object, *__: object
    ) -> None:
        from metier.words.brief import brief

        job = parser.job if isinstance(parser, Parser) else ()
        print(parser.format_help() if all else brief(parser, job), end="")
        parser.exit()


class Parser(argparse.ArgumentParser):
    """A parser that refuses in one line and never guesses at shortened options."""

    def __init__(self, prog: str, description: str, example: str = "") -> None:
        self._needed: list[argparse.Action] = []
        # The option that numbers are of which stand bare behind the command.
        self.bare = ""
        # The options that its help on a screen explains first.
        self.job: tuple[str, ...] = ()
        self._told, self._example = " ".join(description.split()), example
        super().__init__(
            prog=prog,
            allow_abbrev=False,
            add_help=False,
            # Wider or narrower than argparse alone would have it.
            formatter_class=lambda prog: argparse.RawDescriptionHelpFormatter(
                prog, max_help_position=26, width=columns()
            ),
        )
        self.add_argument("-h", "--help", nargs="?", metavar="all", action=_Help,
                          help="what it is for; with all, every option explained")  # fmt: skip

    def format_help(self) -> str:
        """Return the help, each option explained, as wide as the terminal."""
        if len(self._actions) > _MANY_OPTIONS:
            # So many options are found in their groups, not in a heap of brackets.
            places = [
                str(action.metavar or action.dest)
                for action in self._actions
                if not action.option_strings
            ]
            self.usage = " ".join([self.prog, *(f"[{place}]" for place in places), "[OPTIONS]"])
        from metier.words.brief import described

        self.description = described(self._told, self._example)
        return super().format_help()

    def add_needed(self, *names: str, help: str, **more: Any) -> None:
        """Add what has to be given: at a terminal it is asked for, else named with its meaning."""
        if not names[0].startswith("-"):
            more["nargs"] = "?"
        self._needed.append(self.add_argument(*names, help=help, **more))

    def parse_known_args(  # type: ignore[override]
        self, args: Sequence[str] | None = None, namespace: Namespace | None = None
    ) -> tuple[Namespace, list[str]]:
        """Parse, and complete what is needed."""
        if args and self.bare and args[0].lstrip(".,")[:1].isdigit():
            args = [self.bare, *args]
        options, rest = super().parse_known_args(args, namespace)
        lacking = [action for action in self._needed if getattr(options, action.dest) is None]
        if lacking and not rest:
            self._complete(options, lacking)
        self._doubt(options)
        return options, rest

    def _doubt(self, options: Namespace) -> None:
        """Have values that are hardly meant confirmed."""
        from metier.words.doubt import Usual, meant

        for action in self._actions:
            value, usual = getattr(options, action.dest, None), action.type
            if isinstance(usual, Usual) and isinstance(value, float):
                what = "/".join(action.option_strings) or str(action.metavar)
                setattr(options, action.dest, meant(value, usual.doubt(what, value), options))

    def _complete(self, options: Namespace, lacking: list[argparse.Action]) -> None:
        from metier.words.missing import Missing, Want, answer_to, may_answer

        wants = [
            Want(
                "/".join(action.option_strings) or str(action.metavar),
                action.help or "",
                partial(self._read, action),
                action.dest,
            )
            for action in lacking
        ]
        if not may_answer(getattr(options, "json", False)):
            raise BadInput(f"{Missing(*wants)} (see {self.prog} --help)")
        for want in wants:
            setattr(options, want.dest, answer_to(want))

    def _read(self, action: argparse.Action, text: str) -> Any:
        """Read an answer as the option's value would be read."""
        words = text.split() if action.nargs in ("+", "*") else [text]
        try:
            values = [self._get_value(action, word) for word in words]
            for value in values:
                self._check_value(action, value)
        except argparse.ArgumentError as error:
            raise BadInput(str(error.message)) from None
        return values if action.nargs in ("+", "*") else values[0]

    def _actions_known(self) -> list[str]:
        return [name for action in self._actions if action.choices for name in action.choices]

    def _get_values(self, action: argparse.Action, arg_strings: list[str]) -> Any:
        """Refuse ``--option=--``, of which argparse would make an empty list."""
        if action.option_strings and "--" in arg_strings:
            raise BadInput(f"{'/'.join(action.option_strings)}: '--' is no value")
        return super()._get_values(action, arg_strings)

    def error(self, message: str) -> NoReturn:
        """Raise what argparse would print with the usage."""
        if message.endswith("required: ACTION"):
            message = f"say what to do: {', '.join(self._actions_known())}"
        text = message.removeprefix("argument ").replace("\n", " ")
        raise BadInput(f"{text} (see {self.prog} --help)")


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
        self.made: list[Parser] = []

    def add(self, name: str, description: str, example: str) -> Parser:
        """Add an action and return its parser."""
        parser: Parser = self._choices.add_parser(
            name, help=description, description=description, example=example
        )
        add_common(parser)
        self.made.append(parser)
        return parser


def _action(prog: str, description: str, example: str) -> Parser:
    return Parser(prog, description, example)


def existing_logbook(given: str | None) -> Logbook:
    """Open the logbook that ``--logbook`` names; an empty one in memory where there is none."""
    path = locate(given).path
    spare(path)
    _opened.append(open_existing(path))
    return _opened[-1]


def logbook_to_write(given: str | None) -> Logbook:
    """Open the logbook that ``--logbook`` names, making it where there is none."""
    where = locate(given)
    spare(where.path)
    _opened.append(open_or_make(*where))
    return _opened[-1]


def forget_opened() -> None:
    """Begin another command."""
    _opened.clear()


def opened_logbooks() -> list[str]:
    """Return the paths of the logbooks that this command opened."""
    return [book.path for book in _opened if os.path.exists(book.path)]


def what_is_recorded() -> str:
    """Return what this command has recorded so far, should its answer not get through."""
    return "; ".join(book.recorded for book in _opened if book.recorded)


def add_written_file(parser: argparse.ArgumentParser, metavar: str) -> None:
    """Add the file that an action writes."""
    parser.add_argument("file", metavar=metavar)
    _add_force(parser)


def _add_force(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("--force", action="store_true", help="write over a file that exists")


def add_plot_options(parser: argparse.ArgumentParser, what: str) -> None:
    """Add ``--plot``, and what writes over a picture."""
    parser.add_argument("--plot", metavar="FILE", help=f"{what}: png, svg or pdf")
    _add_force(parser)


def add_entry_options(parser: argparse.ArgumentParser) -> None:
    """Add the options for going on with an entry that was interrupted."""
    group = parser.add_argument_group("readings typed at a prompt or piped in, one a line")
    group.add_argument("--resume", action="store_true", help="go on with an interrupted entry")
    group.add_argument("--start-over", action="store_true", help="drop an interrupted entry")
    group.add_argument(
        "--from-port", type=port, metavar="DEVICE", help="calipers on a serial port send them"
    )
    group.add_argument("--from-baud", type=baud, metavar="N", help="speed of that port (9600)")


def piped_or_typed() -> bool:
    """Tell whether anybody may be typing: a terminal, or a pipe or file on standard input."""
    if sys.stdin is None or sys.stdin.closed:
        return False
    if sys.stdin.isatty():
        return True
    # /dev/null is a device that nobody types into.
    return not stat.S_ISCHR(os.fstat(sys.stdin.fileno()).st_mode)


FORMATS = (".png", ".svg", ".pdf")


def check_plot_path(path: str, force: bool) -> None:
    """Refuse a plot that could not be written, before anything is measured.

    Raises:
        BadInput: another ending than png, svg or pdf, or see `check_target`.
        OSError: no such folder.
        NotInstalled: nothing draws.
    """
    if os.path.splitext(path)[1].lower() not in FORMATS:
        raise BadInput(f"--plot: {path} must end in {', '.join(FORMATS)}")
    check_target(path, overwrite=force)
    require(PLOTS)


def picture_words(path: str) -> str:
    """Return that a picture was written, and where."""
    return f"Picture written to {path}"
