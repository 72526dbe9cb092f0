"""One table a kind: its options and their help, where each setting comes from, what is asked for.

A row is an option; one with sources is a setting, too: the first source that knows it wins, and
says so. What none knows and has to be known is asked for, or named, all of it at once.
"""

import argparse
from argparse import Namespace
from collections.abc import Callable, Mapping, Sequence
from typing import Any, Generic, Literal, NamedTuple

from metier.logbook.plain import S
from metier.logbook.trials import Conditions
from metier.trials.on_bench import Known, OnBench
from metier.words.arguments import option
from metier.words.doubt import meant
from metier.words.missing import Missing, Want


class Plan(NamedTuple, Generic[S]):
    """A trial planned earlier, with its settings."""

    number: int
    settings: S
    conditions: Conditions


class Seeking(NamedTuple):
    """Where settings are looked for: what was given, the bench, the plan, the trial before."""

    options: Namespace
    bench: OnBench
    plan: Plan[Any] | None
    before: Plan[Any] | None = None

    @property
    def known(self) -> Plan[Any] | None:
        """The plan, else the trial before."""
        return self.plan or self.before


Source = Callable[[Seeking, "Row"], Known | None]


class Row(NamedTuple):
    """An option as its help has it, and the setting it tells, where it tells one.

    ``wanted`` says what a setting is that has to be known, ``hint`` how else to tell it; ``check``
    refuses a value that cannot be. ``kept`` tells that it may be preferred from now on, for the
    filament or for the whole bench. ``printed`` is what it is of that a plan prints: it goes with
    ``--plan`` alone.
    """

    name: str
    written: str
    help: str
    read: Any = None
    sources: tuple[Source, ...] = ()
    wanted: str = ""
    hint: str = ""
    check: Callable[[Any], None] | None = None
    kept: Literal["", "filament", "bench"] = ""
    printed: str = ""
    more: Mapping[str, Any] = {}

    @property
    def flag(self) -> str:
        """The option alone."""
        return self.written.partition(" ")[0]

    @property
    def dest(self) -> str:
        """Where its value stands among the options."""
        return str(self.more.get("dest", self.flag.lstrip("-").replace("-", "_")))

    def answer(self, text: str) -> Any:
        """Read an answer as the option's value is read."""
        value = self.read(text)
        return [value] if self.written.endswith("…") else value


# A title stands before the options of its group.
Table = Sequence[Row | str]


_OF_ROW = ("wanted", "hint", "check", "kept", "printed")


def told(written: str, help: str, read: Any = None, **more: Any) -> Row:
    """Return an option that is no setting by itself."""
    return setting("", written, help, read, **more)


def setting(name: str, written: str, help: str, read: Any, *sources: Source, **more: Any) -> Row:
    """Return a setting with the sources that it may come from, in their order."""
    own = {key: more.pop(key) for key in _OF_ROW if key in more}
    return Row(name, written, help, read, sources, more=more, **own)


def instrument(help: str, **more: Any) -> Row:
    """Return what it is measured with: given, planned, else calipers."""
    sources = (given, condition, usual("calipers"))
    return setting("instrument", "--instrument NAME", help, None, *sources, **more)


def add_rows(parser: argparse.ArgumentParser, table: Table) -> None:
    """Add the options of a table, in their groups."""
    group: Any = parser
    for row in table:
        if isinstance(row, str):
            group = parser.add_argument_group(row) if row else parser
        else:
            option(group, row.written, row.help, row.read, **row.more)


def sought(table: Table, seeking: Seeking) -> dict[str, Known]:
    """Return all settings of a table by their names.

    Raises:
        Missing: some that have to be known are not; names all of them.
        BadInput: one that cannot be.
    """
    settings: dict[str, Known] = {}
    wants: list[Want] = []
    for row in table:
        if isinstance(row, str) or not row.sources:
            continue
        try:
            known = next(filter(None, (source(seeking, row) for source in row.sources)), None)
        except Missing as missing:
            wants += missing.wants
            continue
        if known is None and row.wanted:
            wants.append(Want(row.flag, row.wanted, row.answer, row.dest, row.hint))
        settings[row.name] = known or Known(None)
        if known and row.check:
            row.check(known.value)
    if wants:
        raise Missing(*wants)
    return settings


def given(seeking: Seeking, row: Row) -> Known | None:
    """What was given on the command line."""
    value = getattr(seeking.options, row.dest)
    return None if value is None else Known(value, "given")


def planned(seeking: Seeking, row: Row) -> Known | None:
    """What a plan has."""
    value = seeking.plan and getattr(seeking.plan.settings, row.name, None)
    return None if value is None else Known(value, "as planned")


def known(seeking: Seeking, row: Row) -> Known | None:
    """What the plan has, or the trial before."""
    if seeking.plan or seeking.before is None:
        return planned(seeking, row)
    value = getattr(seeking.before.settings, row.name)
    return None if value is None else Known(value, f"as in trial {seeking.before.number}")


def condition(seeking: Seeking, row: Row) -> Known | None:
    """What was planned of the conditions."""
    value = seeking.plan and getattr(seeking.plan.conditions, row.name)
    return None if value is None else Known(value, "as planned")


def in_use(name: str) -> Source:
    """What printer or slicer carried meanwhile: given, planned, else the value in force."""

    def source(seeking: Seeking, row: Row) -> Known:
        value, plan = getattr(seeking.options, row.dest), seeking.plan
        if value is not None and not plan:
            value = meant(value, seeking.bench.doubt(name, value), seeking.options)
            setattr(seeking.options, row.dest, value)
        used = seeking.bench.in_use(
            name, value, row.flag, plan and getattr(plan.settings, row.name)
        )
        return Known(*used)

    return source


def usual(value: Any) -> Source:
    """What it mostly is."""
    return lambda _seeking, _row: Known(value)


def of_bench(find: "Callable[[OnBench], Any]") -> Source:
    """What the bench knows."""

    def source(seeking: Seeking, _: Row) -> Known | None:
        value = find(seeking.bench)
        return None if value is None else Known(value)

    return source
