"""What is kept of a kind of trial, and what others read from it without measuring one.

Tables, checks and the next step ask a kind's `Kept`; only a trial being planned or measured needs
its `Kind`, with all that this reckons with.
"""

from collections.abc import Mapping
from typing import TYPE_CHECKING, Any, NamedTuple

if TYPE_CHECKING:
    from metier.core.standing import Standing
    from metier.logbook.plain import Form
    from metier.logbook.trials import Reading, Trial
    from metier.trials.on_bench import OnBench


class HistoryRow(NamedTuple):
    """A trial in the table of trials: what it ran at, what was measured, how far off, and new."""

    at: str = ""
    measured: str = ""
    off_by: str = ""
    new: str = ""


class CsvRow(NamedTuple):
    """A trial among comma-separated values: once for each thing that was measured on it."""

    test: str
    set: object = None
    measured: object = None
    expected: object = None
    new: object = None
    to_type: object = None
    u95: object = None


class Kept:
    """Trials of a kind as the logbook keeps them; ``name`` is the kind's."""

    name: str

    def form(self, settings: Mapping[str, object]) -> "Form[Any]":
        """Return the form of these settings; a kind with several ways looks which one it is."""
        raise NotImplementedError

    # How it is listed.

    def row(self, trial: "Trial") -> HistoryRow:
        """Return a measured trial as a row of the table of trials."""
        raise NotImplementedError

    def csv_rows(self, trial: "Trial") -> list[CsvRow]:
        """Return a measured trial as rows of comma-separated values."""
        raise NotImplementedError

    # How a reading is mended.

    def mended(self, old: "Reading", text: str) -> "Reading":
        """Return a reading as it is typed anew, in the place of one of this kind's; most are mm.

        Raises:
            Refusal: it cannot be read.
        """
        from metier.formats.quantity import read_length_mm

        return old._replace(value=read_length_mm(text, "reading", True), typed=text.strip())

    # What others lend it.

    def lent(self, here: "OnBench", found: "Standing") -> "Standing":
        """Return how a value stands that another roll lends, where the kind knows better."""
        return found

    # What is done by hand.

    def hand(self, here: "OnBench") -> str:
        """Return what to do by hand before its command; a plan says that itself."""
        return ""

    def before_measuring(self, trial: "Trial") -> str:
        """Return what to do by hand before a planned trial is measured."""
        return f"print it (metier part {trial.number} FILE writes it) and let it cool"

    # When it is due.

    def command(self, here: "OnBench") -> str:
        """Return the command that measures, or first plans, such a trial on this bench."""
        raise NotImplementedError
