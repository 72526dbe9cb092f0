"""A progress bar on a terminal, for what takes longer than a moment."""

import sys
from collections.abc import Iterator
from contextlib import ExitStack, contextmanager
from typing import TYPE_CHECKING, NoReturn, Protocol

if TYPE_CHECKING:
    from tqdm import tqdm


class Progress(Protocol):
    """What is told how much of how much is done, and in a few words where that stands."""

    def __call__(self, done: float, total: float, words: str = "") -> None: ...


def no_bar(done: float, total: float, words: str = "") -> None:
    """Draw nothing: for what is not watched."""


@contextmanager
def progress_bar(what: str, from_total: float = 0) -> Iterator[Progress]:
    """Yield what is told how much of how much is done.

    It draws where somebody watches, and only if there is as much as ``from_total``: less is done
    before a bar could be drawn. Behind the bar stand the words, else the time that is left.
    """
    if sys.stderr is None or not sys.stderr.isatty():
        yield no_bar
        return
    bar: tqdm[NoReturn] | None = None
    with ExitStack() as until_done:

        def tell(done: float, total: float, words: str = "") -> None:
            nonlocal bar
            if bar is None and total >= from_total:
                bar = until_done.enter_context(_drawn(what))
            if bar is not None:
                bar.total = total
                bar.bar_format = _BAR + (words or "{remaining} left")
                bar.update(done - bar.n)

        yield tell


_BAR = "{desc} {percentage:3.0f} % {bar:30} "


def _drawn(what: str) -> "tqdm[NoReturn]":
    from tqdm import tqdm

    return tqdm(desc=what, total=1, leave=False, file=sys.stderr, bar_format=_BAR)
