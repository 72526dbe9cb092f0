"""A progress bar on a terminal, for what takes longer than a moment."""

import sys
from collections.abc import Callable, Iterator
from contextlib import ExitStack, contextmanager

Progress = Callable[[int, int], None]


def no_bar(_done: int, _total: int) -> None:
    """Draw nothing: for what is not watched."""


@contextmanager
def progress_bar(what: str, from_total: int) -> Iterator[Progress]:
    """Yield what is told how much of how much is done.

    It draws where somebody watches, and only if there is as much as ``from_total``: less is done
    before a bar could be drawn.
    """
    if sys.stderr is None or not sys.stderr.isatty():
        yield no_bar
        return
    with ExitStack() as until_done:
        update: Progress | None = None

        def tell(done: int, total: int) -> None:
            nonlocal update
            if update is None and total >= from_total:
                update = _drawn(what, until_done)
            if update:
                update(done, total)

        yield tell


def _drawn(what: str, until_done: ExitStack) -> Progress:
    from rich.console import Console
    from rich.progress import BarColumn, Progress, TextColumn, TimeRemainingColumn

    columns = (TextColumn(what), BarColumn(), TimeRemainingColumn())
    bar = until_done.enter_context(Progress(*columns, console=Console(stderr=True), transient=True))
    task = bar.add_task(what, total=None)
    return lambda done, total: bar.update(task, completed=done, total=total)


Worded = Callable[[float, float, str], None]


def no_words(_done: float, _total: float, _words: str) -> None:
    """Draw nothing: for what is not watched."""


@contextmanager
def worded_bar(what: str) -> Iterator[Worded]:
    """Yield what is told how much of how much is done, with a few words behind the bar."""
    if sys.stderr is None or not sys.stderr.isatty():
        yield no_words
        return
    from rich.console import Console
    from rich.progress import BarColumn, Progress, TaskProgressColumn, TextColumn

    columns = (
        TextColumn(what),
        BarColumn(),
        TaskProgressColumn(),
        TextColumn("{task.fields[words]}"),
    )
    with Progress(*columns, console=Console(stderr=True), transient=True) as bar:
        task = bar.add_task(what, total=None, words="")

        def tell(done: float, total: float, words: str) -> None:
            bar.update(task, completed=done, total=total, words=words)

        yield tell
