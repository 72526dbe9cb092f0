"""A command as a process of its own: ``metier``, ``python -m metier``."""

# Only what is there already: Ctrl-C while a module is imported here would be a traceback.
import os
import sys


def program() -> None:
    """Run the command line's command and end the process."""
    try:
        status = _run()
    except KeyboardInterrupt:
        # Before the program was up, or after it was done: there is nothing to say.
        status = 130
    # All is written and closed by now; taking the interpreter down piece by piece would only
    # cost a tenth of a command's time.
    os._exit(status)


def _run() -> int:
    import gc
    import warnings

    # What libraries warn of is meant for whoever builds the program.
    warnings.simplefilter("ignore")
    # Looking for garbage while modules are imported costs more than it frees. A command that
    # takes longer than an instant has it on again: see `metier.cli`.
    gc.disable()
    import signal

    if "_ARGCOMPLETE" in os.environ:
        # A shell that completes a line: answered, the process ends there.
        from metier.completing import complete

        complete()
    from metier.cli import main, output_streams

    status = main(sys.argv[1:])
    # From here on Ctrl-C could only break what is done.
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    for stream in output_streams():
        try:
            stream.flush()
        except (OSError, ValueError):
            continue
    return status


if __name__ == "__main__":
    program()
