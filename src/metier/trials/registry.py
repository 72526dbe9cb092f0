"""The kinds of trials there are, in the order of the job; each is imported when it is used."""

from importlib import import_module
from typing import TYPE_CHECKING, Any, Literal, NamedTuple

from metier.core.refusal import Refusal

if TYPE_CHECKING:
    from metier.logbook.book import Logbook
    from metier.logbook.trials import Trial
    from metier.trials.kept import Kept
    from metier.trials.kind import Kind


class Room(NamedTuple):
    """Where a kind of trial lives, and what tells when it is due.

    The package has it as ``kind.KIND`` and what is kept of it as ``kept.KEPT``. It is due as its
    values stand (`metier.core.values` names the kind that measures each), once somebody began
    with it, last of all, or never.
    """

    package: str
    due: Literal["by its values", "once begun", "last", "never"] = "by its values"


# A kind's name is the command that measures it.
KINDS = {
    "diameter": Room("metier.trials.diameter"),
    "esteps": Room("metier.trials.esteps"),
    "heat": Room("metier.trials.heat", "once begun"),
    "flow": Room("metier.trials.flow"),
    "map": Room("metier.trials.map", "never"),
    "volumetric": Room("metier.trials.limit"),
    "xy": Room("metier.trials.plate"),
    "fit": Room("metier.trials.fit", "never"),
    "weigh": Room("metier.trials.weigh", "never"),
    "proof": Room("metier.trials.proof", "last"),
}


def kind_named(name: str) -> "Kind[Any, Any, Any]":
    """Return a kind of trial, to plan or measure one.

    Raises:
        Refusal: there is no such kind; a newer Metier may know it.
    """
    kind: Kind[Any, Any, Any] = import_module(f"{_package(name)}.kind").KIND
    return kind


def kept_named(name: str) -> "Kept":
    """Return what is kept of a kind of trial.

    Raises:
        Refusal: there is no such kind; a newer Metier may know it.
    """
    kept: Kept = import_module(f"{_package(name)}.kept").KEPT
    return kept


def settings_of(book: "Logbook", trial: "Trial") -> Any:
    """Return the settings of a trial, a record of its kind's.

    Raises:
        Refusal: it is of no kind that is known here.
        LogbookFailure: what is kept is no such record.
    """
    return kept_named(trial.test).form(trial.settings).of(book, trial)


def _package(name: str) -> str:
    if name not in KINDS:
        raise Refusal(f"there is no kind of trial '{name[:40]}' here: {', '.join(KINDS)}")
    return KINDS[name].package
