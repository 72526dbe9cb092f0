"""What a kind of trial is: all that the rest of the program asks one, and what most answer.

A trial has three parts, each a record of its kind's own. Its *settings* say how it was printed
and how it is reckoned; they are kept with it, under a version. Its *context* is what else the
logbook knows that bears on it. Its *finding* is what the readings say in the light of both.
"""

import argparse
from argparse import Namespace
from collections.abc import Mapping, Sequence
from typing import TYPE_CHECKING, Any, Generic, Literal, NamedTuple, Protocol, TypeVar, cast

from metier.core.errors import BadInput
from metier.core.verdicts import Verdict
from metier.logbook.book import Logbook
from metier.logbook.plain import Form, S
from metier.logbook.trials import Conditions, Outcome, Reading
from metier.show.sheet import Sheet
from metier.trials.on_bench import OnBench
from metier.trials.registry import Kept
from metier.words.parser import Answer

if TYPE_CHECKING:
    from metier.parts.part import Part
    from metier.words.missing import Asked


class Finding(Protocol):
    """What every finding has besides what is its kind's own."""

    @property
    def verdict(self) -> Verdict: ...
    @property
    def notes(self) -> tuple[str, ...]: ...


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


class WantedLine(NamedTuple):
    """The line and speed that a part is to be printed with, where they are given."""

    width_mm: float | None = None
    layer_mm: float | None = None
    speed_mm_s: float | None = None


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


class Expected(NamedTuple):
    """What a trial should measure once a value is typed in: of what, and how much ± U at 95 %."""

    what: str
    value: float
    u95: float
    unit: str


class Kind(Generic[S, C, F]):
    """A kind of trial. The runner and the commands ask; a kind overrides what differs.

    ``kept`` is what the logbook has of it, ``form`` that of its settings. ``asks`` tells that
    readings may be typed one by one, ``draws`` that there is a picture of it; ``lacking`` says
    which options give the readings. ``preferences`` are options that may be kept for the filament
    or for the whole bench. ``measured_with`` is the option without which no such plan is measured,
    ``printed`` tells that there is a part of it, ``told_by_part`` what of its recipe that tells.
    ``needs`` are the packages that it is judged with, where those are not always installed.
    """

    kept: Kept
    form: Form[S]
    title: str
    description: str
    example: str
    asks: bool = True
    draws: bool = False
    lacking: str
    preferences: Mapping[str, Literal["filament", "bench"]] = {}
    measured_with: str = ""
    printed: bool = False
    told_by_part: frozenset[str] = frozenset()
    needs: tuple[str, ...] = ()

    @property
    def name(self) -> str:
        """Its name, which is the command that measures it."""
        return self.kept.name

    # Words in.

    def add_options(self, parser: argparse.ArgumentParser) -> None:
        """Add the options of its own."""
        raise NotImplementedError

    def way(self, options: Namespace) -> "Kind[Any, Any, Any]":
        """Return the kind itself, or the way of measuring that the options mean.

        Raises:
            BadInput: options that do not go together; nothing was opened yet.
        """
        return self

    def way_of(self, settings: Mapping[str, object]) -> "Kind[Any, Any, Any]":
        """Return the way of measuring that a trial's settings are of."""
        return self

    def instead(self, options: Namespace, book: Logbook) -> Answer | None:
        """Return an answer that is no trial, where the options ask for one."""
        return None

    def given(self, options: Namespace) -> bool:
        """Tell whether the options give the readings."""
        raise NotImplementedError

    def settle(self, options: Namespace, here: OnBench, plan: Plan[S] | None) -> Settled[S]:
        """Return the settings: as given, else as planned, else as the logbook knows them.

        Raises:
            BadInput: one that is needed is not known; names its option.
        """
        raise NotImplementedError

    def recipe(self, settled: Settled[S], here: OnBench) -> list[tuple[str, str]]:
        """Return what to do and to set for a planned trial, line by line."""
        raise NotImplementedError

    def planned(self, settled: Settled[S], here: OnBench) -> dict[str, object]:
        """Return what else a program may want to know of a plan."""
        return {}

    def readings(self, options: Namespace, settled: Settled[S], here: OnBench) -> list[Reading]:
        """Return the readings that the options give."""
        raise NotImplementedError

    def asked(self, settled: Settled[S], here: OnBench) -> "Asked":
        """Return what is asked for when readings are typed one by one."""
        raise NotImplementedError

    def typed(
        self, settled: Settled[S], lines: Sequence[tuple[str, str]], readings: list[Reading]
    ) -> tuple[Settled[S], list[Reading]]:
        """Return settings and readings after these lines were typed; most settings stay."""
        return settled, readings

    # What is printed for it.

    def as_part(self, plan: Plan[S], here: OnBench, ending: str) -> Plan[S]:
        """Return a plan as a file of that ending lets it be printed; most stay as they are.

        Raises:
            BadInput: it cannot be printed so.
        """
        return plan

    def part(self, plan: Plan[S], here: OnBench, wanted: "WantedLine") -> "Part":
        """Return the part of a planned trial.

        Raises:
            BadInput: there is none, or it cannot be printed so.
        """
        raise BadInput(f"there is nothing to print for {self.name}")

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
            BadInput: readings that cannot be.
        """
        raise NotImplementedError

    # What is kept.

    def payload(self, settings: S, finding: F) -> dict[str, object]:
        """Return a finding as JSON and the logbook have it, without verdict and notes."""
        raise NotImplementedError

    def outcomes(self, settings: S, finding: F) -> list[Outcome]:
        """Return what a finding says about values, for the logbook to reckon with."""
        return []

    def expected(self, here: OnBench, name: str, value: float) -> list[Expected]:
        """Return what its next trial should measure, now that a value was typed in."""
        return []

    def learn(self, settled: Settled[S], here: OnBench) -> list[str]:
        """Remember what a recorded trial's settings tell of the printer beyond the trial.

        Returns the trials that say something else by that, in words.
        """
        return []

    # How it is shown.

    def sheet(self, trial: Measured[S, C, F], sheet: Sheet) -> None:
        """Write a trial that was just measured on a sheet that has its title."""
        raise NotImplementedError

    def draw(self, path: str, title: str, trial: Measured[S, C, F]) -> None:
        """Draw a trial.

        Raises:
            BadInput: nothing to draw, or the file cannot be written.
        """
        raise NotImplementedError


def refuse_planned_readings(options: Namespace, given: bool, thing: str) -> None:
    """Refuse readings beside ``--plan``.

    Raises:
        BadInput: there are some.
    """
    if options.plan and given:
        raise BadInput(f"--plan is for {thing} that is not measured yet: leave the readings out")
