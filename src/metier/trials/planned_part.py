"""A trial planned together with its part: both, or neither."""

from typing import Any, NamedTuple

from metier.logbook.recording import plan_trial
from metier.show.sheet import Sheet
from metier.trials.kind import Kind, Plan, Settled, WantedLine
from metier.trials.on_bench import OnBench, needed_setup
from metier.trials.part_files import PartFile, facts_object, made_part, part_rows
from metier.trials.part_path import part_ending
from metier.whole_file import write_whole

_AS_PLANNED = WantedLine()


class PlannedPart(NamedTuple):
    """A trial as it is planned now, and its part as it was written."""

    plan: Plan[Any]
    settled: Settled[Any]
    made: PartFile
    ending: str

    def write(self, sheet: Sheet, here: OnBench, path: str) -> dict[str, object]:
        """Write what the part is on the sheet of the plan; return it for programs."""
        sheet.gap()
        part_rows(sheet, self.made.part, self.made.facts, here, self.ending)
        sheet.note(f"written to {path}", "file")
        return facts_object(self.made.part, self.made.facts, path)


def plan_with_part(
    kind: Kind[Any, Any, Any], here: OnBench, settled: Settled[Any], path: str, force: bool
) -> PlannedPart:
    """Record a plan and write its part.

    Raises:
        Refusal: it cannot be printed so; nothing is recorded, nothing written.
        OSError: the file cannot be written; nothing is recorded.
    """
    ending = part_ending(path, force)
    ready = needed_setup(here.bench)
    (number,) = here.book.connection.execute(
        "SELECT coalesce(max(id), 0) + 1 FROM trial"
    ).fetchone()
    plan = kind.as_part(Plan(number, settled.settings, settled.conditions), here, ending)
    settled = settled._replace(settings=plan.settings, conditions=plan.conditions)
    made = made_part(kind, plan, here, _AS_PLANNED, ending)
    kept = kind.form.keep(settled.settings, settled.remarks)
    # A part takes seconds to make: the lock is held only for writing it down.
    with here.book.transaction():
        number = plan_trial(here.book, ready, kind.name, kept, settled.conditions)
        if number != plan.number:
            plan = plan._replace(number=number)
            made = made_part(kind, plan, here, _AS_PLANNED, ending)
        write_whole(path, made.content, overwrite=force)
    return PlannedPart(plan, settled, made, ending)
