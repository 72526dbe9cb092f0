"""From flow trials to a plot of their walls, for `flow --plot` and `history --plot`."""

from collections.abc import Sequence

from metier.core.readings import Instrument
from metier.core.refusal import Refusal
from metier.logbook.book import Logbook
from metier.logbook.trials import Reading, Trial, readings


def plot_trials(
    path: str,
    title: str,
    book: Logbook,
    trials: Sequence[Trial],
    unrecorded: tuple[Trial, Sequence[Reading]] | None = None,
) -> None:
    """Draw the walls of measured flow trials, oldest first; one may not be in the logbook.

    Raises:
        Refusal: none of them is a measured flow trial, or the file cannot be written.
    """
    from metier.show.wall_plot import WallPoint, plot_walls

    taken = [(trial, readings(book, trial.number)) for trial in trials if trial.test == "flow"]
    points = []
    for trial, read in [*taken, *([unrecorded] if unrecorded else [])]:
        found = trial.findings
        if not found or trial.state == "withdrawn":
            continue
        low, high = trial.settings["accept_percent"]
        target_mm = found["target_mm"]
        zero_mm = Instrument(*trial.settings["instrument_mm"]).zero_mm
        number = f"{trial.number}\n" if trial.number else ""
        points.append(
            WallPoint(
                f"{number}{found['flow_now_percent']:g} %",
                found["wall_mm"],
                found["wall_u95_mm"],
                target_mm,
                target_mm * (1 + low / 100),
                target_mm * (1 + high / 100),
                [(one.side, one.value_mm - zero_mm) for one in read],
            )
        )
    if not points:
        raise Refusal("--plot: there is no measured flow trial to draw")
    plot_walls(path, title, points)
