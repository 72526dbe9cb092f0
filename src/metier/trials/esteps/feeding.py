"""The guided run, the printer on its cable: warm up, feed, ask for what is left, until that
settles; then set, store, read back, and feed once more to verify."""

import sys
from argparse import Namespace
from collections.abc import Callable
from typing import TYPE_CHECKING, Any, NamedTuple

from metier.core.errors import BadInput
from metier.core.esteps.measured import EstepsFinding, check_mark, from_mark
from metier.logbook.bench import Setup
from metier.logbook.book import Logbook
from metier.logbook.recording import record_steps
from metier.show.sheet import Sheet, clean
from metier.trials.cabled import (
    SLOWLY_MM_S,
    Cabled,
    cabled,
    heating_bar,
    kept_steps,
    note_where,
    steps_differ,
    still_hot,
    to_write,
)
from metier.trials.esteps.kept import EstepsSettings, usual_ask
from metier.trials.kind import Kind, Settled
from metier.trials.on_bench import OnBench, needed_setup, on_bench
from metier.trials.runner import typed_in
from metier.words.missing import Asked, complete
from metier.words.parser import Answer
from metier.words.question import said_firmly

if TYPE_CHECKING:
    from metier.cable.link import Link

Fed = Kind[EstepsSettings, Any, EstepsFinding]

# A hot nozzle beside which nothing is typed for so long is switched off.
_ALONE_S = 600.0
# How often a length is fed: at least, and at most where the ± does not settle.
_MEASURED, _VERIFIED = (3, 6), (1, 3)


def guided(kind: Fed, options: Namespace, book: Logbook) -> Answer:
    """Run the whole of it; each round is recorded as any trial is.

    Raises:
        BadInput: something is to be said first, or is said that does not go with it.
        CableFailure: the printer does not do its part; what is recorded stays so.
    """
    _refuse_others(options)
    bench = on_bench(book)
    ready = needed_setup(bench.chosen)
    if ready.temperature_c is None:
        raise BadInput("how hot is it to be fed? metier bench --temperature C says it")
    spoken_to = cabled(book, options)
    if spoken_to.printer is None or spoken_to.printer.id != ready.printer.id:
        raise BadInput(f"{spoken_to.name} is not on the bench: metier bench --printer")
    _take_lengths(options, bench)
    spoken_to.check(f"M104 S{ready.temperature_c:g}")
    return _Run(kind, options, bench, ready, spoken_to).whole()


class _Run:
    """One guided run, on a bench whose printer is on its cable."""

    def __init__(
        self, kind: Fed, options: Namespace, bench: OnBench, ready: Setup, cabled: Cabled
    ) -> None:
        self._kind, self._options, self._bench, self._cabled = kind, options, bench, cabled
        self._printer = ready.printer
        assert ready.temperature_c is not None
        self._heat_c = ready.temperature_c
        # Whether its steps can be read and set; those that count where they cannot.
        self._knows_steps = True

    def whole(self) -> Answer:
        """Warm up, feed and ask, then set and verify where the printer can."""
        line = self._cabled.linked()
        with line as link:
            self._take_up_steps(link)
            self._warm(link)
            self._say(f"{self._printer.name} is at {self._heat_c:g} °C.")
            answers = self._rounds(link, _Waited(link))
            link.guard.keeps = False
        return self._answer(answers, line.left)

    def _rounds(self, link: "Link", waited: "_Waited") -> "_Rounds":
        from metier.cable.talking import store_steps

        first = self._round(link, waited, _MEASURED)
        self._say(first.text)
        wanted = _to_set(first)
        if wanted is None:
            return _Rounds([first])
        if not self._knows_steps:
            sheet = Sheet("")
            to_write(sheet, self._printer, wanted)
            return _Rounds([first], told=sheet.text())
        shown = f"{wanted:.{self._printer.decimals}f}"
        question = f"\nSet {shown} in {self._printer.name}, store it and read it back?"
        waited.begin()
        if not said_firmly(question, waited.tick):
            return _Rounds([first])
        in_memory = store_steps(link, wanted, self._printer.decimals)
        kept = kept_steps(self._bench.book, self._printer, wanted, in_memory)
        done = "Set and stored" if kept.in_memory else "Set"
        self._say(f"\n{done}: it reads back {shown}, and is recorded as entered.\n")
        sheet = Sheet("")
        if not kept.in_memory:
            kept.write(sheet)
        second = self._round(link, waited, _VERIFIED)
        self._say(second.text)
        return _Rounds([first, second], wanted, sheet.text())

    def _take_up_steps(self, link: "Link") -> None:
        """Read what the printer carries; where it is not what the logbook has, that is recorded."""
        from metier.cable.port import Untold
        from metier.cable.talking import read_steps

        known = self._bench.stands("esteps").in_force
        try:
            carries = read_steps(link)
        except Untold as untold:
            self._knows_steps = False
            note_where(self._bench.book, self._printer, "file")
            if self._options.steps is None and known is None:
                raise BadInput(f"{untold}: give those in its own file with --steps") from None
            self._options.steps = self._options.steps or known
            return
        if self._options.steps is not None:
            raise BadInput("--feed does not go with --steps: the printer says them itself")
        differ = steps_differ(self._printer, carries, known)
        if differ:
            _tell(f"Note: {differ}.")
        if differ or known is None:
            with self._bench.book.transaction() as moment:
                record_steps(self._bench.book, moment, self._printer, carries, read_off=True)

    def _warm(self, link: "Link") -> None:
        from metier.cable.talking import heat_to

        with heating_bar(self._heat_c) as watch:
            heat_to(link, self._heat_c, watch)

    def _round(self, link: "Link", waited: "_Waited", runs: tuple[int, int]) -> Answer:
        """Feed and ask until it settles, and record the trial."""
        from metier.cable.talking import read_steps

        options, bench, kind = self._options, self._bench, self._kind
        source = "as its own file has them"
        if self._knows_steps:
            options.steps, source = read_steps(link), "as the printer says"
        settled = complete(options, lambda: kind.settle(options, bench, None), False)
        settled = settled._replace(sources={**settled.sources, "steps": source})
        asked = self._feeding(kind.asked(settled, bench), settled, link, waited, runs)
        answer = typed_in(kind, bench, settled, options, asked)
        if self._knows_steps:
            options.steps = None
        return answer

    def _feeding(
        self,
        asked: Asked,
        settled: Settled[EstepsSettings],
        link: "Link",
        waited: "_Waited",
        runs: tuple[int, int],
    ) -> Asked:
        """Return what is asked, with each length fed before, and the heat watched meanwhile."""
        from metier.cable.talking import feed

        settings = settled.settings
        waited.begin()

        def before(number: int) -> bool:
            if sys.stdin.isatty():
                mark = f"Pen a mark {settings.mark_mm:g} mm from where the filament goes in"
                if not said_firmly(f"\n  {mark}. Feed {settings.asked_mm:g} mm?", waited.tick):
                    return False
            if waited.cooled:
                self._warm(link)
                waited.cooled = False
            feed(link, settings.asked_mm, self._options.feed_rate)
            waited.begin()
            _tell(f"  run {number + 1}: fed {settings.asked_mm:g} mm; measure what is left")
            return True

        return asked._replace(before=before, enough=_enough(settings, runs), meanwhile=waited.tick)

    def _say(self, text: str) -> None:
        if not self._options.json:
            print(clean(text), flush=True)

    def _answer(self, rounds: "_Rounds", left: str) -> Answer:
        """Return what was found; its text was shown round by round."""
        last = rounds.answers[-1].payload or {}
        trials = [(answer.payload or {}).get("trial") for answer in rounds.answers]
        payload = {**last, "trials": trials, "steps_stored": rounds.stored}
        told = filter(None, (rounds.told.strip("\n"), still_hot(left)))
        return Answer(payload, "\n".join(["", *told]))


class _Rounds(NamedTuple):
    """What was found round by round, the steps that were set, and what is to be done by hand."""

    answers: list[Answer]
    stored: float | None = None
    told: str = ""


class _Waited:
    """Waits for somebody beside a hot nozzle: watches it, and switches it off if nobody comes."""

    def __init__(self, link: "Link") -> None:
        self._link = link
        self.cooled = False
        self._since_s = link.now_s()

    def begin(self) -> None:
        """Begin to wait anew; what went cold meanwhile is cold until it is warmed."""
        self._since_s = self._link.now_s()

    def tick(self) -> None:
        """Look at the heat; to be called every second."""
        if self.cooled:
            return
        self._link.idle()
        if self._link.now_s() - self._since_s > _ALONE_S:
            self._link.ask("M104 S0")
            self._link.unwatch()
            self.cooled = True
            _tell(
                f"\n  Nothing was typed for {_ALONE_S / 60:.0f} min: the nozzle is off; it is "
                "heated again before the next run."
            )


def _refuse_others(options: Namespace) -> None:
    for name in ("plan", "trial", "what_if"):
        if getattr(options, name):
            flag = name.replace("_", "-")
            raise BadInput(f"--feed does not go with --{flag}: it sees to that itself")
    if any(getattr(options, way) for way in ("left", "cut", "short", "swallowed")):
        raise BadInput("--feed asks for what is left, run by run: leave the readings out")
    if options.by not in (None, "left") or (options.through not in (None, "nozzle")):
        raise BadInput("--feed goes through the hot nozzle, to a pen mark")
    if options.asked and len(options.asked) > 1:
        raise BadInput("--feed asks for one length, each run the same")


def _take_lengths(options: Namespace, bench: OnBench) -> None:
    """Settle how much is fed, and from where it is measured, before anything gets hot.

    Raises:
        BadInput: the mark would go in.
    """
    asked, mark = usual_ask(bench)
    options.asked = options.asked or [float(asked[0])]
    options.mark = options.mark or float(mark)
    options.through, options.feed_rate = "nozzle", options.feed_rate or SLOWLY_MM_S
    check_mark(options.mark, options.asked[0])


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


def _to_set(answer: Answer) -> float | None:
    """Return the steps to set, where other ones are needed."""
    payload = answer.payload or {}
    steps = payload.get("steps_to_type")
    return steps if payload.get("verdict") == "correct" and isinstance(steps, float) else None


def _tell(text: str, end: str = "\n") -> None:
    # Standard output is for the answer alone, so that --json stays one object.
    print(clean(text), end=end, file=sys.stderr, flush=True)
