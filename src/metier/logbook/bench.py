"""The bench: printer, nozzle, spool and nozzle temperature now in use."""

from typing import Literal, NamedTuple

from metier.logbook.book import Logbook
from metier.logbook.edits import Plain, edit
from metier.logbook.machines import Nozzle, Printer, nozzle_by_id, printer_by_id
from metier.logbook.spools import Spool, spool_by_id

ShowFlow = Literal["percent", "multiplier"]


class Bench(NamedTuple):
    """What is on the bench; None where it was not chosen yet.

    ``speed_mm_s`` is that which walls are printed at, where somebody said it;
    ``flow_step_percent`` is what flow is rounded to and ``show_flow`` the form named first.
    """

    printer: Printer | None
    nozzle: Nozzle | None
    spool: Spool | None
    temperature_c: float | None
    flow_step_percent: float = 1.0
    show_flow: ShowFlow = "percent"
    speed_mm_s: float | None = None


class Setup(NamedTuple):
    """A bench complete enough to record on."""

    printer: Printer
    nozzle: Nozzle
    spool: Spool
    temperature_c: float | None

    @property
    def ids(self) -> tuple[int, int, int]:
        """Printer, nozzle and spool by their ids: a trial may teach something of one of them."""
        return self.printer.id, self.nozzle.id, self.spool.id


EMPTY = Bench(None, None, None, None)


def current_bench(book: Logbook) -> Bench:
    """Return the bench as it was last chosen."""
    row = book.connection.execute(
        "SELECT printer, nozzle, spool, temperature_c, flow_step_percent, show_flow,"
        " speed_mm_s FROM bench"
    ).fetchone()
    if row is None:
        return EMPTY
    printer, nozzle, spool, *rest = row
    return Bench(
        printer_by_id(book, printer) if printer else None,
        nozzle_by_id(book, nozzle) if nozzle else None,
        spool_by_id(book, spool) if spool else None,
        *rest,
    )


def choose_bench(book: Logbook, moment: int, bench: Bench) -> None:
    """Make ``bench`` the current one, and remember what its roll is printed at."""
    book.connection.execute("INSERT INTO bench (id) VALUES (1) ON CONFLICT (id) DO NOTHING")
    chosen: dict[str, Plain] = {
        "printer": bench.printer and bench.printer.id,
        "nozzle": bench.nozzle and bench.nozzle.id,
        "spool": bench.spool and bench.spool.id,
        "temperature_c": bench.temperature_c,
        "flow_step_percent": bench.flow_step_percent,
        "show_flow": bench.show_flow,
        "speed_mm_s": bench.speed_mm_s,
    }
    edit(book, moment, "bench", 1, chosen)
    if bench.spool and bench.temperature_c is not None:
        edit(book, moment, "spool", bench.spool.id, {"temperature_c": bench.temperature_c})


def setup(bench: Bench) -> Setup | None:
    """Return the bench if printer, nozzle and spool are all chosen."""
    if bench.printer is None or bench.nozzle is None or bench.spool is None:
        return None
    return Setup(bench.printer, bench.nozzle, bench.spool, bench.temperature_c)


def setup_of(book: Logbook, number: int) -> Setup:
    """Return the bench that a trial was made on."""
    printer, nozzle, spool, temperature_c = book.row(
        "SELECT printer, nozzle, spool, temperature_c FROM trial WHERE id = ?", number
    )
    return Setup(
        printer_by_id(book, printer),
        nozzle_by_id(book, nozzle),
        spool_by_id(book, spool),
        temperature_c,
    )
