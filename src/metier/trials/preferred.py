"""What of a test is preferred from now on: taken where nothing is given, and kept by ``--keep``."""

from argparse import Namespace
from typing import Any

from metier.core.errors import BadInput
from metier.logbook.bench import Preferred, keep_preference, preferences
from metier.show.figures import labelled
from metier.trials.kind import Kind
from metier.trials.on_bench import OnBench, needed_setup


def take_preferred(kind: Kind[Any, Any, Any], options: Namespace, bench: OnBench) -> list[str]:
    """Fill in what is preferred and not given; returns what is to be said of it."""
    if not kind.preferences:
        return []
    options.preferred = []
    known = preferences(bench.book, bench.setup, kind.name)
    said = []
    for name in kind.preferences:
        if name in known and getattr(options, name) is None:
            value, spool = known[name]
            setattr(options, name, value)
            options.preferred.append(name)
            of = f" for the filament of {spool}" if spool else ""
            said.append(f"{_worded(name, value)}, as kept{of}")
    return said


def keep_given(
    kind: Kind[Any, Any, Any], options: Namespace, bench: OnBench, moment: int
) -> list[str]:
    """Keep what is given of what may be preferred; returns it in words.

    Raises:
        BadInput: nothing of it is given, or there is no bench to keep it for.
    """
    ready = needed_setup(bench.chosen)
    kept = []
    for name, scope in kind.preferences.items():
        value: Preferred = getattr(options, name)
        if value is not None and name not in getattr(options, "preferred", ()):
            spool = ready.spool.id if scope == "filament" else None
            keep_preference(bench.book, moment, kind.name, name, value, spool)
            of = ready.spool.name if spool else "every roll"
            kept.append(f"{_worded(name, value)}, kept for {of} from now on")
    if not kept:
        flags = ", ".join(f"--{name.replace('_', '-')}" for name in kind.preferences)
        raise BadInput(f"--keep: give what to keep: {flags or 'nothing of this test can be'}")
    return kept


def _worded(name: str, value: Preferred) -> str:
    label, text = labelled(name, value)
    return f"{label} {text}"
