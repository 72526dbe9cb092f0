"""How a command that goes on for long comes to its end."""

import signal
from collections.abc import Iterator
from contextlib import contextmanager


@contextmanager
def ending_as_by_ctrl_c() -> Iterator[None]:
    """Let a closed terminal, and being told to end, do meanwhile what Ctrl-C does."""
    numbers = [getattr(signal, name, None) for name in ("SIGTERM", "SIGHUP")]
    before = {
        number: signal.signal(number, signal.default_int_handler) for number in numbers if number
    }
    try:
        yield
    finally:
        for number, handler in before.items():
            signal.signal(number, handler)
