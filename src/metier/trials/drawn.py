"""A recorded trial drawn again, as it was when it was measured."""

from metier.core.errors import BadInput
from metier.logbook.bench import setup_of
from metier.logbook.book import Logbook
from metier.logbook.trials import Trial, readings
from metier.trials.kind import Measured, Settled
from metier.trials.on_bench import bench_phrase, on_bench
from metier.trials.registry import kind_named


def draw_recorded(book: Logbook, trial: Trial, path: str) -> None:
    """Draw a measured trial.

    Raises:
        BadInput: its kind has no picture, or it was not measured; the file cannot be written.
    """
    kind = kind_named(trial.test).way_of(trial.settings)
    if not kind.draws:
        raise BadInput(f"--plot: there is no picture of {trial.test}")
    if trial.findings is None:
        raise BadInput(f"--plot: trial {trial.number} is {trial.state}: there is nothing to draw")
    settings = kind.form.of(book, trial)
    here = on_bench(book).moved_to(setup_of(book, trial.number))
    context = kind.context(here, settings, trial.conditions, trial.number)
    taken = readings(book, trial.number)
    finding = kind.judge(settings, taken, context)
    assert here.setup is not None
    title = f"{kind.title}: {bench_phrase(here.setup)}, trial {trial.number}"
    settled = Settled(settings, trial.conditions)
    kind.draw(path, title, Measured(here, trial.number, settled, taken, context, finding, ()))
