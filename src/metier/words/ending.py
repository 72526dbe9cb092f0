"""How a command that goes on for long comes to its end."""

import signal


def end_as_by_ctrl_c() -> None:
    """Let a closed terminal, and being told to end, do what Ctrl-C does."""
    for name in ("SIGTERM", "SIGHUP"):
        if hasattr(signal, name):
            signal.signal(getattr(signal, name), signal.default_int_handler)
