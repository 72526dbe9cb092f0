"""From cubes to a plot of their walls, for ``flow --plot`` and ``history --plot``."""

from collections.abc import Sequence

from metier.core.refusal import Refusal
from metier.logbook.book import Logbook
from metier.logbook.trials import Reading, Trial, readings
from metier.trials.flow.earlier import EarlierCube
from metier.trials.flow.kept import KEPT, Found
from metier.trials.flow.settings import FORM, FlowSettings


def plot_cubes(
    path: str,
    title: str,
    cubes: Sequence[tuple[int | None, FlowSettings, Found, Sequence[Reading]]],
) -> None:
    """Draw the walls of cubes, oldest first: number, settings, finding and readings of each.

    Raises:
        Refusal: there are none, or the file cannot be written.
    """
    from metier.show.wall_plot import WallPoint, plot_walls

    if not cubes:
        raise Refusal("--plot: there is no measured flow trial to draw")
    points = []
    for number, settings, found, taken in cubes:
        low, high = settings.accept_percent
        zero_mm = settings.instrument_mm.zero_mm
        label = f"{number}\n" if number else ""
        points.append(
            WallPoint(
                f"{label}{found.flow_now_percent:g} %",
                found.wall_mm,
                found.wall_u95_mm,
                found.target_mm,
                found.target_mm * (1 + low / 100),
                found.target_mm * (1 + high / 100),
                [(reading.side, reading.value_mm - zero_mm) for reading in taken],
            )
        )
    plot_walls(path, title, points)


def plot_recorded(path: str, title: str, book: Logbook, trials: Sequence[Trial]) -> None:
    """Draw recorded flow trials, oldest first.

    Raises:
        Refusal: none of them was measured, or the file cannot be written.
    """

    cubes = []
    for trial in trials:
        if trial.test == KEPT.name and trial.state == "measured":
            cube = EarlierCube.of(trial, FORM.of(book, trial))
            cubes.append((trial.number, cube.settings, cube.found, readings(book, trial.number)))
    plot_cubes(path, title, cubes)
