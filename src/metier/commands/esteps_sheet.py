"""The sheet that ``metier esteps`` prints."""

from metier.commands.on_bench import InUse, OnBench, bench_phrase, not_recorded
from metier.core.esteps import EstepsFinding
from metier.logbook.trials import Trial
from metier.show.figures import with_u95
from metier.show.sheet import Sheet, table


def path_words(through: str | None) -> str:
    return "hot nozzle" if through == "nozzle" else "open cold end"


def esteps_sheet(
    here: OnBench,
    used: InUse,
    how: str,
    instrument: str,
    finding: EstepsFinding,
    notes: tuple[str, ...],
    number: int | None,
    turn: float | None,
    *,
    earlier: list[Trial],
) -> str:
    """Return an e-steps trial in words; ``how`` says how it was fed and marked."""
    title = f"E-steps: {bench_phrase(here.setup)}, trial {number}" if here.setup else "E-steps"
    sheet = Sheet(title)
    decimals = here.writing.decimals
    sheet.row("steps now", f"{used.value:.{decimals}f} steps/mm", used.source)
    sheet.row("asked", f"{finding.asked_mm:g} mm", how)
    moved = finding.moved
    if moved is not None and finding.steps_new is not None:
        runs = f"{moved.n} run{'s' if moved.n > 1 else ''}, {instrument}"
        sheet.row("moved", f"{with_u95(moved.value, moved.u95)} mm", runs)
        sheet.row(
            "new steps",
            f"{with_u95(finding.steps_new, finding.steps_new_u95)} steps/mm",
            f"{100 * (finding.change or 0):+.2f} %",
        )
    else:
        sheet.row(
            "new steps",
            f"below {finding.steps_below:.{decimals}f} steps/mm",
            "a bound, not a value",
        )
    sheet.judged(finding.verdict, notes)
    if earlier:
        sheet.gap()
        sheet.lines(*_so_far(earlier, finding, number, decimals))
    _what_to_do(sheet, finding, decimals, number)
    if turn is not None:
        sheet.lines(f"  As mm per motor turn, where the firmware stores that: {turn:.5f}")
    if number is None:
        sheet.lines(*not_recorded(here.bench))
    return sheet.text()


def _so_far(
    earlier: list[Trial], finding: EstepsFinding, number: int | None, decimals: int
) -> list[str]:
    """Return the trials so far as a small table: set, moved, off by, next."""
    rows = []
    for trial in reversed(earlier):
        found = trial.findings or {}
        rows.append(
            _row(
                trial.number,
                found["steps_now"],
                found["moved_mm"],
                found["asked_mm"],
                found["steps_to_type"],
                decimals,
            )
        )
    moved_mm = finding.moved.value if finding.moved else None
    rows.append(
        _row(
            number,
            finding.steps_now,
            moved_mm,
            finding.asked_mm,
            finding.steps_to_type,
            decimals,
        )
    )
    return table(("trial", "set", "moved", "off by", "next"), rows, right=(0, 1, 2, 3, 4))


def _row(
    number: int | None,
    now: float,
    moved_mm: float | None,
    asked_mm: float,
    advised: float | None,
    decimals: int,
) -> tuple[str, ...]:
    moved = "swallowed" if moved_mm is None else f"{moved_mm:.2f} mm"
    off = "" if moved_mm is None else f"{100 * (moved_mm / asked_mm - 1):+.2f} %"
    following = "?" if advised is None else f"{advised:.{decimals}f}"
    return (str(number or ""), f"{now:.{decimals}f}", moved, off, following)


def _what_to_do(sheet: Sheet, finding: EstepsFinding, decimals: int, number: int | None) -> None:
    value = finding.steps_to_type
    name = finding.verdict.name
    if name == "correct" and value is not None:
        text = f"{value:.{decimals}f}"
        sheet.act("type", f"{text} steps/mm", "the e-steps, in the printer")
        sheet.lines(
            "  At the printer's console (a menu entry for e-steps does as well):",
            f"    {f'M92 E{text}':<14} set it",
            "    M500           store it, or it is lost at power-off",
            "    M92            read it back",
        )
        if number:
            said = f"metier entered esteps {text}"
            sheet.next("say that it is typed in, then feed and measure once more:", said)
        else:
            sheet.next("type it in, then feed and measure once more at the new value.")
    elif name == "keep":
        sheet.act("leave", f"{finding.steps_now:.{decimals}f} steps/mm", "nothing to type")
        sheet.next("flow. Print a hollow cube and measure its walls: metier flow --help")
    elif name == "unclear":
        sheet.act(
            "leave", f"{finding.steps_now:.{decimals}f} steps/mm", "for now: nothing to type yet"
        )
    else:
        sheet.gap()
        sheet.remark("Type nothing yet: look at the above, then measure again.")
