"""Pictures that a command draws beside its answer."""

import argparse
from collections.abc import Iterator
from contextlib import contextmanager

from metier.core.refusal import Refusal


def check_picture(options: argparse.Namespace) -> None:
    """Refuse a ``--plot`` that could not be written, before anything is measured."""
    if options.plot:
        from metier.show.plot_path import check_plot_path

        check_plot_path(options.plot)


@contextmanager
def drawing(number: int | None) -> Iterator[None]:
    """Say of a picture that fails after all that its trial is recorded all the same."""
    try:
        yield
    except Refusal as refusal:
        kept = f" (trial {number} is recorded)" if number else ""
        raise Refusal(f"{refusal}{kept}") from None
