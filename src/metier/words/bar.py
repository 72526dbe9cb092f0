"""A progress bar on a terminal, for what takes longer than a moment."""

import sys
from collections.abc import Callable, Iterator
from contextlib import contextmanager

# Less is done before a bar could be drawn.
_MANY = 200


@contextmanager
def progress_bar(what: str) -> Iterator[Callable[[int, int], None]]:
    """Yield what is told how much of how much is done; it draws only where that helps."""
    if sys.stderr is None or not sys.stderr.isatty():
        yield lambda _done, _all: None
        return
    started: list[Callable[[int, int], None]] = []

    with _bar(what, started) as begin:

        def tell(done: int, total: int) -> None:
            if total < _MANY:
                return
            if not started:
                begin()
            started[0](done, total)

        yield tell


@contextmanager
def _bar(what: str, started: list[Callable[[int, int], None]]) -> Iterator[Callable[[], None]]:
    """Yield what begins the bar; it is taken away at the end."""
    bars = []

    def begin() -> None:
        from rich.console import Console
        from rich.progress import BarColumn, Progress, TextColumn, TimeRemainingColumn

        columns = (TextColumn(what), BarColumn(), TimeRemainingColumn())
        bar = Progress(*columns, console=Console(stderr=True), transient=True)
        bar.start()
        bars.append(bar)
        task = bar.add_task(what, total=None)
        started.append(lambda done, total: bar.update(task, completed=done, total=total))

    try:
        yield begin
    finally:
        for bar in bars:
            bar.stop()
