"""A printer on its cable: which one is meant, where it is plugged in, and what is watched there."""

import argparse
from collections.abc import Iterator
from contextlib import AbstractContextManager, contextmanager
from typing import TYPE_CHECKING, NamedTuple

from metier.bar import worded_bar
from metier.core.refusal import Refusal
from metier.logbook.bench import current_bench
from metier.logbook.book import Logbook
from metier.logbook.machines import Printer, printer_named, printers
from metier.show.command import proposed
from metier.words.cable_options import BAUD

if TYPE_CHECKING:
    from metier.cable.link import Link
    from metier.cable.talking import Watch


# Slow enough for any hot end to keep up.
SLOWLY_MM_S = 1.5


class Cabled(NamedTuple):
    """Which printer it is, None where only its port is known, and where to speak to it."""

    printer: Printer | None
    port: str
    baud: int
    log: str | None

    @property
    def name(self) -> str:
        """What to call it."""
        return self.printer.name if self.printer else self.port

    def linked(self, *, urgent: bool = False) -> "AbstractContextManager[Link]":
        """Return the printer, answering; with ``urgent`` it does not wait for heat before.

        Raises:
            CableFailure: it does not.
        """
        from metier.cable.link import linked

        return linked(self.port, self.baud, self.log, urgent=urgent)


def cabled(book: Logbook, options: argparse.Namespace) -> Cabled:
    """Return the printer that is meant: named, else the bench's, else the only one.

    Raises:
        Refusal: nobody knows which, or where it is plugged in.
    """
    printer = _meant(book, options)
    port = options.port or (printer and printer.port)
    if not port:
        name = printer.name if printer else "NAME"
        raise Refusal(
            "where is the printer plugged in? give --port, or once and for all: "
            + proposed("cable", "set", name, "--port", "PORT")
            + " (metier cable ports lists them)"
        )
    return Cabled(printer, port, options.baud or (printer and printer.baud) or BAUD, options.log)


def _meant(book: Logbook, options: argparse.Namespace) -> Printer | None:
    name = getattr(options, "printer", None)
    if name:
        return printer_named(book, name)
    on_bench = current_bench(book).printer
    if on_bench:
        return on_bench
    known = printers(book)
    return known[0] if len(known) == 1 else None


def steps_differ(printer: Printer | None, carries: float, known: float | None) -> str:
    """Return what is to be said where a printer carries other e-steps than the logbook has in
    force; empty where it does not."""
    from metier.cable.talking import same_steps

    if printer is None or known is None or same_steps(known, carries):
        return ""
    shown = f"{carries:.{printer.decimals}f}", f"{known:.{printer.decimals}f}"
    return (
        f"the printer carries {shown[0]}, the logbook has {shown[1]} in force: the board forgot "
        "it, or it was changed by hand"
    )


@contextmanager
def heating_bar(nozzle_c: float) -> "Iterator[Watch]":
    """Yield what is told of the heat on its way up."""
    with worded_bar("heating") as tell:
        yield lambda now: tell(now.nozzle_c, nozzle_c, f"{now.nozzle_c:.0f} of {nozzle_c:g} °C")
