"""A command as a process of its own: ``metier``, ``python -m metier``."""

import gc
import os
import sys


def program() -> None:
    """Run the command line's command and end the process."""
    # A command lives for an instant: looking for garbage would cost more than it frees, even
    # while its modules are imported.
    gc.disable()
    import argparse

    from metier.cli import main, output_streams

    # argparse looks each of its words up in a catalogue of translations. Metier speaks English
    # throughout, and the look-up alone would take a twentieth of a command's time.
    setattr(argparse, "_", str)  # noqa: B010
    status = main(sys.argv[1:])
    for stream in output_streams():
        try:
            stream.flush()
        except (OSError, ValueError):
            continue
    # All is written and closed by now; taking the interpreter down piece by piece would only
    # cost a tenth of a command's time.
    os._exit(status)


if __name__ == "__main__":
    program()
