"""What a kind of trial is: all that the rest of the program asks one, and what most answer.

A trial has three parts, each a record of its kind's own. Its *settings* say how it was printed
and how it is reckoned; they are kept with it, under a version. Its *context* is what else the
logbook knows that bears on it. Its *finding* is what the readings say in the light of both.
"""

import argparse
from argparse import Namespace
from collections.abc import Mapping, Sequence
from importlib import import_module
from typing import TYPE_CHECKING, Any, Generic, NamedTuple, Protocol, TypeVar, cast

from metier.core.errors import BadInput
from metier.core.verdicts import Verdict
from metier.logbook.book import Logbook
from metier.logbook.plain import Form, S, to_plain
from metier.logbook.trials import Conditions, Outcome, Reading
from metier.show.sheet import Sheet
from metier.trials.on_bench import Known, OnBench
from metier.trials.registry import Kept
from metier.trials.table import Plan, Row, Seeking, Table, add_rows, given, planned, setting, sought
from metier.words.arguments import LONGEST_ROLL_M, number
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
    sheet where a setting came from. ``recorded`` is False for a question that is no trial;
    ``of_trial`` is one that the readings are taken from, ``learnt`` what is told of the printer.
    """

    settings: S
    conditions: Conditions = Conditions()
    remarks: tuple[str, ...] = ()
    sources: Mapping[str, str] = {}
    recorded: bool = True
    of_trial: int | None = None
    learnt: Any = None


class WantedLine(NamedTuple):
    """The line and speed that a part is to be printed with, where they are given."""

    width_mm: float | None = None
    layer_mm: float | None = None
    speed_mm_s: float | None = None


class Expected(NamedTuple):
    """What a trial should measure once a value is typed in: of what, and how much ± U at 95 %."""

    what: str
    value: float
    u95: float
    unit: str


class Kind(Generic[S, C, F]):
    """A kind of trial. The runner and the commands ask; a kind overrides what differs.

    ``kept`` is what the logbook has of it, ``form`` that of its settings, ``table`` its options and
    where its settings come from. ``asks`` tells that readings may be typed one by one, ``draws``
    that there is a picture of it; ``lacking`` says which options give the readings.
    ``printed`` tells that there is a part of it, ``told_by_part`` what of its recipe that tells.
    ``needs`` are the packages that it is judged with, where those are not always installed.

    Its room has what is slow to load, or long: ``sheet`` with ``write`` and ``draw``, ``part`` with
    ``part_of``.
    """

    kept: Kept[Any]
    form: Form[S]
    title: str
    description: str
    example: str
    table: Table = ()
    asks: bool = True
    draws: bool = False
    lacking: str
    # The option that numbers are of which stand bare behind the command.
    bare: str = ""
    # The options that its help explains first, without their dashes.
    job: str = ""
    printed: bool = False
    told_by_part: frozenset[str] = frozenset()
    needs: tuple[str, ...] = ()

    @property
    def name(self) -> str:
        """Its name, which is the command that measures it."""
        return self.kept.name

    # Words in.

    @property
    def preferences(self) -> dict[str, str]:
        """The options that may be preferred from now on: for the filament, or the whole bench."""
        rows = (row for row in self.table if not isinstance(row, str))
        return {row.dest: row.kept for row in rows if row.kept}

    def add_options(self, parser: argparse.ArgumentParser) -> None:
        """Add the options of its own."""
        add_rows(parser, self.table)

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

    def before(self, bench: OnBench) -> Plan[S] | None:
        """Return the trial before whose settings serve where nothing else tells them."""
        return None

    def sought(self, options: Namespace, bench: OnBench, plan: Plan[S] | None) -> dict[str, Known]:
        """Return the settings of its table, each from the first source that knows it.

        Raises:
            Missing: some that are needed are not known.
        """
        return sought(self.table, Seeking(options, bench, plan, self.before(bench)))

    def settle(self, options: Namespace, bench: OnBench, plan: Plan[S] | None) -> Settled[S]:
        """Return the settings: as given, else as planned, else as the logbook knows them.

        Raises:
            BadInput: one that is needed is not known; names its option.
        """
        raise NotImplementedError

    def recipe(self, settled: Settled[S], bench: OnBench) -> list[tuple[str, str]]:
        """Return what to do and to set for a planned trial, line by line."""
        raise NotImplementedError

    def planned(self, settled: Settled[S], bench: OnBench) -> dict[str, object]:
        """Return what else a program may want to know of a plan."""
        return {}

    def lacks(self, plan: Plan[S] | None) -> str:
        """Return what to say where no readings are given, nor typed."""
        return self.lacking

    def readings(self, options: Namespace, settled: Settled[S], bench: OnBench) -> list[Reading]:
        """Return the readings that the options give."""
        raise NotImplementedError

    def asked(self, settled: Settled[S], bench: OnBench) -> "Asked":
        """Return what is asked for when readings are typed one by one."""
        raise NotImplementedError

    def taken_in(
        self, settled: Settled[S], lines: Sequence[tuple[str, str]], readings: list[Reading]
    ) -> tuple[Settled[S], list[Reading]]:
        """Return settings and readings after these lines were typed; most settings stay."""
        return settled, readings

    def asked_last(
        self, settled: Settled[S], taken: Sequence[Reading], bench: OnBench, options: Namespace
    ) -> Settled[S]:
        """Ask at a terminal for what goes with the readings, once these are there; most ask nothing
        more."""
        return settled

    # What is printed for it.

    def as_part(self, plan: Plan[S], bench: OnBench, ending: str) -> Plan[S]:
        """Return a plan as a file of that ending lets it be printed; most stay as they are.

        Raises:
            BadInput: it cannot be printed so.
        """
        return plan

    def part(self, plan: Plan[S], bench: OnBench, wanted: "WantedLine") -> "Part":
        """Return the part of a planned trial.

        Raises:
            BadInput: there is none, or it cannot be printed so.
        """
        if not self.printed:
            raise BadInput(f"there is nothing to print for {self.name}")
        part: Part = self._room("part").part_of(plan, bench, wanted)
        return part

    # What they say.

    def context(
        self, bench: OnBench, settings: S, conditions: Conditions, before: int | None = None
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

    def result(self, settings: S, finding: F) -> tuple[object, ...]:
        """Return a finding as it is kept, printed as JSON and exported: a record of its room."""
        raise NotImplementedError

    def outcomes(self, settings: S, finding: F) -> list[Outcome]:
        """Return what a finding says about values, for the logbook to keep."""
        return []

    def expected(self, bench: OnBench, name: str, value: float) -> list[Expected]:
        """Return what its next trial should measure, now that a value was typed in."""
        return []

    def learn(self, made: "Measured[S, C, F]", bench: OnBench) -> list[str]:
        """Remember what a recorded trial tells of the printer, or of another trial, beyond itself.

        Returns the trials that say something else by that, in words.
        """
        return []

    # How it is shown.

    def sheet(self, trial: "Measured[S, C, F]", sheet: Sheet) -> None:
        """Write a trial that was just measured on a sheet that has its title."""
        self._room("sheet").write(trial, sheet)

    def draw(self, path: str, title: str, trial: "Measured[S, C, F]") -> None:
        """Draw a trial.

        Raises:
            BadInput: nothing to draw, or the file cannot be written.
        """
        self._room("sheet").draw(path, title, trial)

    def _room(self, name: str) -> Any:
        return import_module(f"{type(self).__module__.rpartition('.')[0]}.{name}")


class Measured(NamedTuple, Generic[S, C, F]):
    """A trial as its readings say it; ``number`` is None where it is not recorded, ``result`` the
    record of its finding."""

    kind: Kind[S, C, F]
    bench: OnBench
    number: int | None
    settled: Settled[S]
    readings: Sequence[Reading]
    context: C
    finding: F
    result: Any

    @property
    def settings(self) -> S:
        """What it was settled with."""
        return self.settled.settings

    @property
    def verdict(self) -> Verdict:
        """What it says in one word, why, and what would settle it."""
        verdict = self.finding.verdict
        if not any("{" in remedy for remedy in verdict.remedies):
            return verdict
        from metier.trials.proposals import with_commands

        return with_commands(verdict, self)

    @property
    def notes(self) -> tuple[str, ...]:
        """What is to be said of its settings, then of its readings."""
        return (*self.settled.remarks, *self.finding.notes)

    @property
    def outcomes(self) -> list[Outcome]:
        """What it says about values."""
        return self.kind.outcomes(self.settings, self.finding)

    @property
    def payload(self) -> dict[str, object]:
        """What is kept of it, and what programs read."""
        return {
            **to_plain(self.result),
            "verdict": self.verdict.name,
            "reason": self.verdict.reason,
            "remedies": list(self.verdict.remedies),
            "notes": list(self.notes),
        }


def judge(
    kind: Kind[S, C, F],
    bench: OnBench,
    settled: Settled[S],
    taken: Sequence[Reading],
    before: int | None = None,
) -> Measured[S, C, F]:
    """Return what readings say: the same whenever they are judged, as it was before a number.

    Raises:
        BadInput: readings that cannot be.
    """
    context = kind.context(bench, settled.settings, settled.conditions, before)
    finding = kind.judge(settled.settings, taken, context)
    result = kind.result(settled.settings, finding)
    return Measured(kind, bench, before, settled, taken, context, finding, result)


def refuse_unplanned(
    kind: "Kind[Any, Any, Any]", options: Namespace, given: bool, thing: str
) -> None:
    """Refuse readings beside ``--plan``, and what is of the part to print without it.

    Raises:
        BadInput: names the option.
    """
    if options.plan and given:
        raise BadInput(f"--plan is for {thing} that is not measured yet: leave the readings out")
    for row in kind.table:
        if isinstance(row, str) or not row.printed or options.plan:
            continue
        if getattr(options, row.dest) not in (None, False):
            raise BadInput(f"{row.flag} is of {row.printed} to print: it goes with --plan")


def along_roll(help: str) -> Row:
    """Return the setting of how far along a roll something was measured or printed."""

    def check(along_m: float) -> None:
        if not 0 <= along_m <= LONGEST_ROLL_M:
            raise BadInput(f"--along: {along_m:g} m is no place on a roll: 0 to {LONGEST_ROLL_M:g}")

    return setting("along_m", "--along M", help, number, given, planned, check=check)
