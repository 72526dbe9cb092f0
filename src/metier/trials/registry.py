"""The kinds of trials there are, in the order of the job; each is imported when it is used."""

from importlib import import_module
from typing import TYPE_CHECKING, Any, Literal, NamedTuple

from metier.core.refusal import Refusal

if TYPE_CHECKING:
    from metier.trials.kind import Kind


class Room(NamedTuple):
    """Where a kind of trial lives, and what tells when it is due.

    The module has it as ``KIND``. It is due as its values stand (`metier.core.values` names the
    kind that measures each), as it says itself, or never.
    """

    module: str
    due: Literal["by its values", "by itself", "never"] = "by its values"


# A kind's name is the command that measures it.
KINDS = {
    "diameter": Room("metier.trials.diameter", "by itself"),
    "esteps": Room("metier.trials.esteps"),
    "flow": Room("metier.trials.flow"),
    "volumetric": Room("metier.trials.limit"),
    "xy": Room("metier.trials.plate"),
    "fit": Room("metier.trials.fit", "never"),
}


def kind_named(name: str) -> "Kind[Any, Any, Any]":
    """Return a kind of trial.

    Raises:
        Refusal: there is no such kind; a newer Metier may know it.
    """
    if name not in KINDS:
        raise Refusal(f"there is no kind of trial '{name[:40]}' here: {', '.join(KINDS)}")
    kind: Kind[Any, Any, Any] = import_module(KINDS[name].module).KIND
    return kind
