"""``metier standin reveal``: what was found on a stand-in, beside what is true of it."""

import argparse

from metier.cable.talking import same_steps
from metier.commands.standin_true import Revealed, revealed
from metier.show.figures import decimals_for
from metier.show.sheet import Sheet, table
from metier.standin.folder import StandinFolder
from metier.trials.chosen import on_bench_of
from metier.trials.on_bench import bench_phrase, needed_setup
from metier.words.parser import Answer, existing_logbook


def reveal(options: argparse.Namespace) -> Answer:
    """Run ``metier standin reveal``."""
    state = StandinFolder(options.folder).load()
    with existing_logbook(options.logbook) as book:
        here = on_bench_of(book, options)
        ready = needed_setup(here.bench)
        found = revealed(here, state)
        steps_now = here.stands("esteps").in_force
    took_min = sum(one.minutes for one in state.prints) + sum(one.time_s for one in state.fed) / 60
    sheet = Sheet(f"Revealed: seed {state.seed}, {bench_phrase(ready)}")
    if found:
        sheet.gap()
        sheet.lines(*_table(found))
        inside = sum(one.inside for one in found)
        sheet.gap()
        sheet.row("inside", f"{inside} of {len(found)}", "of the stated ±, which hold 95 in 100")
    else:
        sheet.remark("Nothing was measured yet on this bench.")
    count = len(state.prints)
    sheet.row(
        "took", f"{count} print{'' if count == 1 else 's'}", f"{_hours(took_min)} of its time"
    )
    lengths = len(state.fed)
    sheet.row("fed", f"{lengths} length{'' if lengths == 1 else 's'}")
    stored = state.stored_steps
    if steps_now is not None and not same_steps(stored, steps_now):
        sheet.note(
            f"it has {stored:.2f} steps/mm stored, the logbook {steps_now:.2f}: metier cable steps"
        )
    return Answer(
        {
            "seed": state.seed,
            "values": {one.name: {**one._asdict(), "inside": one.inside} for one in found},
            "prints": count,
            "feeds": len(state.fed),
            "minutes": took_min,
            "stored_steps": stored,
        },
        sheet.text(),
    )


def _table(found: list[Revealed]) -> list[str]:
    rows = []
    for one in found:
        places = decimals_for((one.high - one.low) / 2)
        rows.append(
            (
                f"{one.name} {one.unit}",
                "-" if one.in_force is None else f"{one.in_force:.{places}f}",
                f"{one.found:.{places}f}",
                f"{one.low:.{places}f} … {one.high:.{places}f}",
                f"{one.true:.{places}f}",
                "inside" if one.inside else "outside",
            )
        )
    return table(("value", "set", "found", "95 % within", "true", ""), rows, (1, 2, 3, 4))


def _hours(minutes: float) -> str:
    hours, rest = divmod(round(minutes), 60)
    return f"{hours} h {rest:02d} min" if hours else f"{rest} min"
