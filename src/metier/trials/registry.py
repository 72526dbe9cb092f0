"""The kinds of trials there are, and what is kept of each: read without measuring one.

Tables, checks and the next step ask a kind's `Kept`; only a trial being planned or measured needs
its `Kind`, with all that this reckons with.
"""

from collections.abc import Mapping
from importlib import import_module
from typing import TYPE_CHECKING, Any, Generic, Literal, NamedTuple, TypeVar

from metier.core.errors import BadInput
from metier.show.figures import proposed

if TYPE_CHECKING:
    from metier.core.standing import Standing
    from metier.logbook.book import Logbook
    from metier.logbook.plain import Form
    from metier.logbook.trials import Reading, Trial
    from metier.trials.kind import Kind
    from metier.trials.on_bench import OnBench


R = TypeVar("R")


class Room(NamedTuple):
    """Where a kind of trial lives, and what tells when it is due.

    The package has it as ``kind.KIND`` and what is kept of it as ``kept.KEPT``. It is due as its
    values stand (`metier.core.values` names the kind that measures each), once somebody began
    with it, last of all, or never. ``by_jaws`` tells that calipers measure it.
    """

    package: str
    due: Literal["by its values", "once begun", "last", "never"] = "by its values"
    by_jaws: bool = False


# A kind's name is the command that measures it.
KINDS = {
    "diameter": Room("metier.trials.diameter", by_jaws=True),
    "esteps": Room("metier.trials.esteps", by_jaws=True),
    "heat": Room("metier.trials.heat", "once begun"),
    "flow": Room("metier.trials.flow", by_jaws=True),
    "map": Room("metier.trials.map", "never", by_jaws=True),
    "volumetric": Room("metier.trials.limit"),
    "xy": Room("metier.trials.plate", by_jaws=True),
    "fit": Room("metier.trials.fit", "never"),
    "weigh": Room("metier.trials.weigh", "never"),
    "proof": Room("metier.trials.proof", "last", by_jaws=True),
}


def kind_named(name: str) -> "Kind[Any, Any, Any]":
    """Return a kind of trial, to plan or measure one.

    Raises:
        BadInput: there is no such kind; a newer Metier may know it.
    """
    kind: Kind[Any, Any, Any] = import_module(f"{_package(name)}.kind").KIND
    return kind


def kept_named(name: str) -> "Kept[Any]":
    """Return what is kept of a kind of trial.

    Raises:
        BadInput: there is no such kind; a newer Metier may know it.
    """
    kept: Kept[Any] = import_module(f"{_package(name)}.kept").KEPT
    return kept


def settings_of(book: "Logbook", trial: "Trial") -> Any:
    """Return the settings of a trial, a record of its kind's.

    Raises:
        BadInput: it is of no kind that is known here.
        LogbookFailure: what is kept is no such record.
    """
    return kept_named(trial.test).form(trial.settings).of(book, trial)


def _package(name: str) -> str:
    if name not in KINDS:
        raise BadInput(f"there is no kind of trial '{name[:40]}' here: {', '.join(KINDS)}")
    return KINDS[name].package


class HistoryRow(NamedTuple):
    """A trial in the table of trials: what it ran at, what was measured, how far off, and new."""

    at: str = ""
    measured: str = ""
    off_by: str = ""
    new: str = ""


class CsvRow(NamedTuple):
    """A trial among comma-separated values: once for each thing that was measured on it.

    ``unit`` is that of what is set, new, to type and of u95, ``measured_unit`` that of what was
    measured and expected; without them, those of the kind.
    """

    test: str
    set: object = None
    measured: object = None
    expected: object = None
    new: object = None
    to_type: object = None
    u95: object = None
    unit: str | None = None
    measured_unit: str | None = None


class Kept(Generic[R]):
    """Trials of a kind as the logbook keeps them; ``name`` is the kind's, ``record`` what it found,
    ``settings`` the form of what it was settled with. ``unit`` and ``measured_unit`` are those of
    its `CsvRow`."""

    name: str
    record: type[R]
    settings: "Form[Any]"
    unit: str = "mm"
    measured_unit: str = "mm"

    def of(self, trial: "Trial") -> R:
        """Return what a measured trial found.

        Raises:
            LogbookFailure: what is kept is no such record.
        """
        from metier.logbook.plain import from_plain

        return from_plain(self.record, trial.findings)

    def form(self, settings: Mapping[str, object]) -> "Form[Any]":
        """Return the form of these settings; a kind with several ways looks which one it is."""
        return self.settings

    # How it is listed.

    def row(self, trial: "Trial") -> HistoryRow:
        """Return a measured trial as a row of the table of trials."""
        raise NotImplementedError

    def reading_unit(self, trial: "Trial", side: str) -> str:
        """Return the unit of a reading; empty where it is the rank of a word."""
        return self.measured_unit

    def csv_rows(self, trial: "Trial") -> list[CsvRow]:
        """Return a measured trial as rows of comma-separated values."""
        raise NotImplementedError

    # How a reading is mended.

    def mended(self, old: "Reading", text: str) -> "Reading":
        """Return a reading as it is typed anew, in the place of one of this kind's; most are mm.

        Raises:
            BadInput: it cannot be read.
        """
        from metier.formats.quantity import read_length_mm

        return old._replace(value=read_length_mm(text, "reading", True), typed=text.strip())

    def beside(self, trial: "Trial") -> str:
        """Return what is said beside a value that a trial told: what was seen for it."""
        return ""

    # What others lend it.

    def lent(self, bench: "OnBench", standing: "Standing") -> "Standing":
        """Return how a value stands that another roll lends, where the kind knows better."""
        return standing

    # What is done by hand.

    def hand(self, bench: "OnBench") -> str:
        """Return what to do by hand before its command; a plan says that itself."""
        return ""

    def before_measuring(self, trial: "Trial") -> str:
        """Return what to do by hand before a planned trial is measured."""
        return f"print it (metier part {trial.number} FILE writes it) and let it cool"

    def measured_with(self, settings: Mapping[str, object]) -> str:
        """Return the option without which no plan of such settings is measured; most ask."""
        return ""

    def measuring(self, number: int, settings: Mapping[str, object]) -> str:
        """Return the command that measures the trial planned under a number."""
        command = proposed(self.name, "--trial", str(number))
        return f"{command} {self.measured_with(settings)}".rstrip()

    # When it is due.

    def command(self, bench: "OnBench") -> str:
        """Return the command that measures, or first plans, such a trial on this bench."""
        raise NotImplementedError
