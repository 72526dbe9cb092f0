"""What would settle a trial, with the commands for it as they run on its bench.

Core knows what would settle a value and knows no command: it writes ``{tube}`` and the like in the
place of one, by these names.
"""

from collections.abc import Callable
from functools import partial
from typing import TYPE_CHECKING, Any

from metier.core.verdicts import Verdict
from metier.core.weighing import density_of
from metier.show.figures import proposed

if TYPE_CHECKING:
    from metier.trials.kind import Measured
    from metier.trials.on_bench import OnBench


def with_commands(verdict: Verdict, trial: "Measured[Any, Any, Any]") -> Verdict:
    """Return a verdict whose remedies have their commands."""
    remedies = tuple(_filled(remedy, trial) for remedy in verdict.remedies)
    return verdict._replace(remedies=remedies)


def _filled(remedy: str, trial: "Measured[Any, Any, Any]") -> str:
    for name, command in _COMMANDS.items():
        if f"{{{name}}}" in remedy:
            remedy = remedy.replace(f"{{{name}}}", command(trial))
    return remedy


def planning(bench: "OnBench", kind: str, *words: str) -> str:
    """Return the command that plans a trial; without a bench there is none to plan for yet."""
    return proposed(kind, "--plan", *words) if bench.setup else proposed("setup")


def _plan(kind: str, trial: "Measured[Any, Any, Any]") -> str:
    first = "" if trial.bench.setup else "metier setup, then "
    return first + proposed(kind, "--plan")


def _weigh(trial: "Measured[Any, Any, Any]") -> str:
    """What a print was asked for is known of a part of Metier's own, else by its file; a plastic
    whose density nobody knows is weighed by the metre, too."""
    dose = getattr(trial.settings, "dose", None)
    if dose and dose.source == "part":
        asked_for = ("--of", "N" if trial.number is None else str(trial.number))
    else:
        asked_for = ("--sliced", "FILE")
    spool = trial.bench.setup and trial.bench.setup.spool
    known = spool and density_of(spool.material, spool.density_g_cm3, None, 1.75, 0.0)
    strand = () if known else ("--strand", "G", "--length", "1000")
    return proposed("weigh", *strand, "--part", "G", *asked_for)


def _check(trial: "Measured[Any, Any, Any]") -> str:
    name = trial.settled.conditions.instrument or "calipers"
    return proposed("instrument", "check", name, "--gauge", "MM", "--read", "MM")


_COMMANDS: dict[str, Callable[["Measured[Any, Any, Any]"], str]] = {
    "tube": partial(_plan, "flow"),
    "pairs": partial(_plan, "fit"),
    "weigh": _weigh,
    "check": _check,
}
