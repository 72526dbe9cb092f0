"""The guided run, the printer on its cable: warm up, feed, ask for what is left, until that
settles; then set, store, read back, and feed once more to verify."""

import argparse
import sys
from collections.abc import Callable
from typing import TYPE_CHECKING

from metier.core.esteps.measured import EstepsFinding, check_mark, from_mark
from metier.core.refusal import Refusal
from metier.logbook.book import Logbook
from metier.logbook.entries import record_steps
from metier.show.outside import clean
from metier.trials.cabled import SLOWLY_MM_S, cabled, heating_bar, steps_differ
from metier.trials.esteps.kept import usual_ask
from metier.trials.esteps.settings import EstepsContext, EstepsSettings
from metier.trials.kind import Kind, Settled
from metier.trials.on_bench import OnBench, needed_setup, on_bench
from metier.trials.runner import typed_in
from metier.words.asked import Asked
from metier.words.ending import ending_as_by_ctrl_c
from metier.words.missing import complete
from metier.words.parser import Answer
from metier.words.question import said_yes_aloud
from metier.words.typed_line import typed_line

if TYPE_CHECKING:
    from metier.cable.link import Link

Fed = Kind[EstepsSettings, EstepsContext, EstepsFinding]

# How often a length is fed: at least, and at most where the ± does not settle.
_MEASURED, _VERIFIED = (3, 6), (1, 3)


def guided(kind: Fed, options: argparse.Namespace, book: Logbook) -> Answer:
    """Run the whole of it; each round is recorded as any trial is.

    Raises:
        Refusal: something is to be said first, or is said that does not go with it.
        CableFailure: the printer does not do its part; what is recorded stays so.
    """
    _refuse_others(options)
    here = on_bench(book)
    ready = needed_setup(here.bench)
    if ready.temperature_c is None:
        raise Refusal("how hot is it to be fed? metier bench --temperature C says it")
    spoken_to = cabled(book, options)
    if spoken_to.printer is None or spoken_to.printer.id != ready.printer.id:
        raise Refusal(f"{spoken_to.name} is not on the bench: metier bench --printer")
    _take_lengths(options, here)
    from metier.cable.talking import heat_to, store_steps

    # A terminal that is closed must not leave a hot nozzle.
    with ending_as_by_ctrl_c(), spoken_to.linked() as link:
        try:
            _take_up_steps(link, here)
            with heating_bar(ready.temperature_c) as watch:
                heat_to(link, ready.temperature_c, watch)
            _say(options, f"{ready.printer.name} is at {ready.temperature_c:g} °C.")
            first = _round(kind, options, here, link, _MEASURED)
            _say(options, first.text)
            wanted = _to_set(first)
            if wanted is None:
                return _answer([first], None)
            shown = f"{wanted:.{ready.printer.decimals}f}"
            question = f"\nSet {shown} in {ready.printer.name}, store it and read it back?"
            if not said_yes_aloud(question):
                return _answer([first], None)
            store_steps(link, wanted, ready.printer.decimals)
            with book.transaction() as moment:
                record_steps(book, moment, ready.printer, wanted)
            _say(options, f"\nSet and stored: it reads back {shown}, and is recorded as entered.\n")
            second = _round(kind, options, here, link, _VERIFIED)
            _say(options, second.text)
            return _answer([first, second], wanted)
        finally:
            _cool(link)


def _refuse_others(options: argparse.Namespace) -> None:
    for name in ("plan", "trial", "steps", "what_if"):
        if getattr(options, name):
            flag = name.replace("_", "-")
            raise Refusal(f"--feed does not go with --{flag}: it sees to that itself")
    if any(getattr(options, way) for way in ("left", "cut", "short", "swallowed")):
        raise Refusal("--feed asks for what is left, run by run: leave the readings out")
    if options.by not in (None, "left") or (options.through not in (None, "nozzle")):
        raise Refusal("--feed goes through the hot nozzle, to a pen mark")
    if options.asked and len(options.asked) > 1:
        raise Refusal("--feed asks for one length, each run the same")


def _take_lengths(options: argparse.Namespace, here: OnBench) -> None:
    """Settle how much is fed, and from where it is measured, before anything gets hot.

    Raises:
        Refusal: the mark would go in.
    """
    asked, mark = usual_ask(here)
    options.asked = options.asked or [float(asked[0])]
    options.mark = options.mark or float(mark)
    options.through, options.feed_rate = "nozzle", options.feed_rate or SLOWLY_MM_S
    check_mark(options.mark, options.asked[0])


def _take_up_steps(link: "Link", here: OnBench) -> None:
    """Read what the printer carries; where it is not what the logbook has, that is recorded."""
    from metier.cable.talking import read_steps

    assert here.setup is not None
    printer, known = here.setup.printer, here.stands("esteps").in_force
    carries = read_steps(link)
    differ = steps_differ(printer, carries, known)
    if differ:
        _tell(f"Note: {differ}.")
    if differ or known is None:
        with here.book.transaction() as moment:
            record_steps(here.book, moment, printer, carries, found=True)


def _round(
    kind: Fed, options: argparse.Namespace, here: OnBench, link: "Link", runs: tuple[int, int]
) -> Answer:
    """Feed and ask until it settles, and record the trial."""
    from metier.cable.talking import read_steps

    options.steps = read_steps(link)
    settled = complete(options, lambda: kind.settle(options, here, None), False)
    settled = settled._replace(sources={**settled.sources, "steps": "as the printer says"})
    asked_for = kind.asked(settled, here)
    return typed_in(kind, here, settled, options, _feeding(asked_for, settled, link, options, runs))


def _feeding(
    asked: Asked,
    settled: Settled[EstepsSettings],
    link: "Link",
    options: argparse.Namespace,
    runs: tuple[int, int],
) -> Asked:
    """Return what is asked, with each length fed before."""
    from metier.cable.talking import feed

    settings = settled.settings

    def before(number: int) -> bool:
        if sys.stdin.isatty():
            mark = f"Pen a mark {settings.mark_mm:g} mm from where the filament goes in"
            _tell(f"\n  {mark}; Enter feeds {settings.asked_mm:g} mm, s stops > ", end="")
            if typed_line().strip().lower() in ("s", "stop"):
                return False
        feed(link, settings.asked_mm, options.feed_rate)
        _tell(f"  run {number + 1}: fed {settings.asked_mm:g} mm; measure what is left")
        return True

    return asked._replace(before=before, enough=_enough(settings, runs))


def _enough(settings: EstepsSettings, runs: tuple[int, int]) -> Callable[[list[float]], bool]:
    least, most = runs

    def enough(left_mm: list[float]) -> bool:
        if len(left_mm) < least or len(left_mm) >= most:
            return len(left_mm) >= most
        assert settings.instrument_mm is not None
        finding = from_mark(
            left_mm, mark_mm=settings.mark_mm or 0.0, asked_mm=settings.asked_mm,
            steps_now=settings.steps, instrument=settings.instrument_mm,
            within=settings.accept_percent / 100,
        )  # fmt: skip
        return finding.verdict.name == "keep" or (finding.verdict.name == "correct" and least > 1)

    return enough


def _cool(link: "Link") -> None:
    """Leave the nozzle cold, as far as the line still lives."""
    from metier.cable.failure import CableFailure

    try:
        link.ask("M104 S0")
    except CableFailure:
        _tell("its heater may still be on: see to it")


def _to_set(found: Answer) -> float | None:
    """Return the steps to set, where other ones are needed."""
    payload = found.payload or {}
    steps = payload.get("steps_to_type")
    return steps if payload.get("verdict") == "correct" and isinstance(steps, float) else None


def _tell(text: str, end: str = "\n") -> None:
    # Standard output is for the answer alone, so that --json stays one object.
    print(clean(text), end=end, file=sys.stderr, flush=True)


def _say(options: argparse.Namespace, text: str) -> None:
    if not options.json:
        print(clean(text), flush=True)


def _answer(rounds: list[Answer], stored: float | None) -> Answer:
    """Return what was found; its text was shown round by round."""
    last = rounds[-1].payload or {}
    trials = [(one.payload or {}).get("trial") for one in rounds]
    return Answer({**last, "trials": trials, "steps_stored": stored}, "\nIts heater is off.")
