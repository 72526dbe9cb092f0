"""What a kind of trial is: all that the rest of the program asks one, and what most answer.

A trial has three parts, each a record of its kind's own. Its *settings* say how it was printed
and how it is reckoned; they are kept with it, under a version. Its *context* is what else the
logbook knows that bears on it. Its *finding* is what the readings say in the light of both.
"""

import argparse
from collections.abc import Mapping, Sequence
from typing import Any, Generic, NamedTuple, Protocol, TypeVar, cast

from metier.core.next_step import Station
from metier.core.refusal import Refusal
from metier.core.verdicts import Verdict
from metier.logbook.book import Logbook
from metier.logbook.failure import damaged
from metier.logbook.plain import NotPlain, from_plain, to_plain
from metier.logbook.trials import Conditions, Outcome, Reading, Trial
from metier.show.sheet import Sheet
from metier.trials.on_bench import OnBench
from metier.words.entry import Asked
from metier.words.parser import Answer


class Finding(Protocol):
    """What every finding has besides what is its kind's own."""

    @property
    def verdict(self) -> Verdict: ...
    @property
    def notes(self) -> tuple[str, ...]: ...


S = TypeVar("S", bound=NamedTuple)
C = TypeVar("C")
F = TypeVar("F", bound=Finding)


class Settled(NamedTuple, Generic[S]):
    """The settings of a trial as they were given or known.

    ``remarks`` are what is to be said of them and kept with the trial; ``sources`` say on the
    sheet where a setting came from. ``recorded`` is False for a question that is no trial.
    """

    settings: S
    conditions: Conditions = Conditions()
    remarks: tuple[str, ...] = ()
    sources: Mapping[str, str] = {}
    recorded: bool = True


class Plan(NamedTuple, Generic[S]):
    """A trial planned earlier, with its settings."""

    number: int
    settings: S
    conditions: Conditions


class Measured(NamedTuple, Generic[S, C, F]):
    """A trial as it was just measured; ``number`` is None where it was not recorded."""

    here: OnBench
    number: int | None
    settled: Settled[S]
    readings: Sequence[Reading]
    context: C
    finding: F
    notes: tuple[str, ...]

    @property
    def settings(self) -> S:
        return self.settled.settings


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


class Kind(Generic[S, C, F]):
    """A kind of trial. The runner and the commands ask; a kind overrides what differs.

    ``settings_type`` is the record of its settings and ``version`` its present form.
    ``asks`` tells that readings may be typed
    one by one, ``draws`` that there is a picture of it; ``lacking`` says which options give the
    readings.
    """

    name: str
    title: str
    description: str
    example: str
    settings_type: type[S]
    version: int = 2
    asks: bool = True
    draws: bool = False
    lacking: str

    # Words in.

    def add_options(self, parser: argparse.ArgumentParser) -> None:
        """Add the options of its own."""
        raise NotImplementedError

    def way(self, options: argparse.Namespace) -> "Kind[Any, Any, Any]":
        """Return the kind itself, or the way of measuring that the options mean.

        Raises:
            Refusal: options that do not go together; nothing was opened yet.
        """
        return self

    def way_of(self, settings: Mapping[str, object]) -> "Kind[Any, Any, Any]":
        """Return the way of measuring that a trial's settings are of."""
        return self

    def instead(self, options: argparse.Namespace, book: Logbook) -> Answer | None:
        """Return an answer that is no trial, where the options ask for one."""
        return None

    def given(self, options: argparse.Namespace) -> bool:
        """Tell whether the options give the readings."""
        raise NotImplementedError

    def settle(
        self, options: argparse.Namespace, here: OnBench, plan: Plan[S] | None
    ) -> Settled[S]:
        """Return the settings: as given, else as planned, else as the logbook knows them.

        Raises:
            Refusal: one that is needed is not known; names its option.
        """
        raise NotImplementedError

    def recipe(self, settled: Settled[S], here: OnBench) -> list[tuple[str, str]]:
        """Return what to do and to set for a planned trial, line by line."""
        raise NotImplementedError

    def planned(self, settled: Settled[S], here: OnBench) -> dict[str, object]:
        """Return what else a program may want to know of a plan."""
        return {}

    def readings(
        self, options: argparse.Namespace, settled: Settled[S], here: OnBench
    ) -> list[Reading]:
        """Return the readings that the options give."""
        raise NotImplementedError

    def asked(self, settled: Settled[S], here: OnBench) -> Asked:
        """Return what is asked for when readings are typed one by one."""
        raise NotImplementedError

    def typed(
        self,
        settled: Settled[S],
        lines: Sequence[tuple[str, str]],
        readings: list[Reading],
    ) -> tuple[Settled[S], list[Reading]]:
        """Return settings and readings after these lines were typed; most settings stay."""
        return settled, readings

    # What they say.

    def context(
        self, here: OnBench, settings: S, conditions: Conditions, before: int | None = None
    ) -> C:
        """Return what else bears on a trial, as it was before the trial of that number.

        Nothing does by default: such a kind's context is None.
        """
        return cast("C", None)

    def judge(self, settings: S, readings: Sequence[Reading], context: C) -> F:
        """Return what the readings say: the one call for measuring and for amending.

        Raises:
            Refusal: readings that cannot be.
        """
        raise NotImplementedError

    # What is kept.

    def payload(self, settings: S, finding: F) -> dict[str, object]:
        """Return a finding as JSON and the logbook have it, without verdict and notes."""
        raise NotImplementedError

    def outcomes(self, settings: S, finding: F) -> list[Outcome]:
        """Return what a finding says about values, for the logbook to reckon with."""
        return []

    def upgrade(self, kept: dict[str, object], version: int) -> dict[str, object]:
        """Return settings of an older version in the present form."""
        return kept

    def settings_of(self, book: Logbook, trial: Trial) -> S:
        """Return the settings of a trial.

        Raises:
            LogbookFailure: what is kept is no such record.
        """
        try:
            return self.read_settings(trial.settings)
        except NotPlain as error:
            raise damaged(book.path, f"trial {trial.number}: {error}") from error

    def read_settings(self, kept: Mapping[str, object]) -> S:
        """Return settings as they are kept, whatever their version.

        Raises:
            NotPlain: they are no such record, or of a newer version than this program knows.
        """
        version = kept.get("version", 1)
        if not isinstance(version, int) or not 1 <= version <= self.version:
            raise NotPlain(f"settings of version {str(version)[:20]}; this Metier is older")
        plain = dict(kept) if version == self.version else self.upgrade(dict(kept), version)
        return from_plain(self.settings_type, plain)

    def keep_settings(self, settled: Settled[S]) -> dict[str, object]:
        """Return settings and remarks as they are kept."""
        remarks = {"remarks": list(settled.remarks)} if settled.remarks else {}
        return {"version": self.version, **to_plain(settled.settings), **remarks}

    def learn(self, settled: Settled[S], here: OnBench) -> None:
        """Remember what a recorded trial's settings tell of the printer beyond the trial."""

    # How it is shown.

    def sheet(self, trial: Measured[S, C, F], sheet: Sheet) -> None:
        """Write a trial that was just measured on a sheet that has its title."""
        raise NotImplementedError

    def draw(self, path: str, title: str, trial: Measured[S, C, F]) -> None:
        """Draw a trial.

        Raises:
            Refusal: nothing to draw, or the file cannot be written.
        """
        raise NotImplementedError

    def row(self, trial: Trial) -> HistoryRow:
        """Return a measured trial as a row of the table of trials."""
        raise NotImplementedError

    def csv_rows(self, trial: Trial) -> list[CsvRow]:
        """Return a measured trial as rows of comma-separated values."""
        raise NotImplementedError

    # When it is due.

    def stations(self, here: OnBench) -> list[Station]:
        """Return the stations of the job that it is, where it says itself when it is due."""
        raise NotImplementedError

    def command(self, here: OnBench) -> str:
        """Return the command that measures, or first plans, such a trial on this bench."""
        raise NotImplementedError


def refuse_planned_readings(options: argparse.Namespace, given: bool, thing: str) -> None:
    """Refuse readings beside ``--plan``.

    Raises:
        Refusal: there are some.
    """
    if options.plan and given:
        raise Refusal(f"--plan is for {thing} that is not measured yet: leave the readings out")
