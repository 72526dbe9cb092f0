"""The strength of coupons by two nozzles or at two temperatures, side by side."""

from collections.abc import Sequence
from typing import NamedTuple

from metier.core.limit.strength import Beside, Group, strength_beside
from metier.logbook.bench import Setup, setup_of
from metier.logbook.book import Logbook
from metier.logbook.machines import Printer, Spool
from metier.logbook.plain import NotPlain, from_plain
from metier.logbook.trials import count_trials, trials
from metier.show.figures import decimals_for
from metier.show.sheet import table


class OfBench(NamedTuple):
    """The newest coupons of a nozzle at a temperature, and how they compare with the first."""

    setup: Setup
    trial: int
    groups: tuple[Group, ...]
    beside: tuple[Beside, ...] = ()

    @property
    def called(self) -> str:
        """``heron-0.5, 210 °C``."""
        heat = self.setup.temperature_c
        return self.setup.nozzle.name + ("" if heat is None else f", {heat:g} °C")


def strengths(
    book: Logbook, printer: Printer | None, spool: Spool | None, now: Setup | None
) -> list[OfBench]:
    """Return the newest coupons of each nozzle and temperature of one printer and roll, each held
    against the first: the bench's own where it has some. Empty where nothing can be compared."""
    newest: dict[Setup, OfBench] = {}
    if printer is None or spool is None:
        return []
    wanted = {"test": "volumetric", "printer": printer.name, "spool": spool.name}
    for trial in trials(book, count_trials(book, **wanted), **wanted):
        kept = (trial.findings or {}).get("groups")
        setup = setup_of(book, trial.number)
        if trial.state != "measured" or not isinstance(kept, list) or setup in newest:
            continue
        try:
            groups = tuple(from_plain(Group, group) for group in kept)
        except NotPlain:
            continue
        newest[setup] = OfBench(setup, trial.number, groups)
    benches = sorted(newest.values(), key=lambda coupons: coupons.setup != now)
    if len(benches) < 2:
        return []
    first = benches[0]
    return [first] + [
        other._replace(beside=tuple(strength_beside(other.groups, first.groups)))
        for other in benches[1:]
    ]


def beside_table(benches: Sequence[OfBench]) -> list[str]:
    """Return strength by flow, a column each; a verdict where flows are on both."""
    flows = sorted({group.flow_mm3_s for bench in benches for group in bench.groups})
    rows = []
    for flow in flows:
        cells = [f"{flow:.4g}"]
        for bench in benches:
            group = next((group for group in bench.groups if group.flow_mm3_s == flow), None)
            verdict = next((row.verdict for row in bench.beside if row.flow_mm3_s == flow), "")
            cells.append(f"{_strength(group)}{verdict and f' {verdict}'}" if group else "-")
        rows.append(tuple(cells))
    return table(("mm³/s", *(bench.called for bench in benches)), rows, right=(0,))


def _strength(group: Group) -> str:
    places = decimals_for(group.u95_mpa, 2)
    return f"{group.mean_mpa:.{places}f} ± {group.u95_mpa:.{places}f}"
