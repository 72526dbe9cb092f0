"""The commands of the worked example in their order, each with the reason why it is done."""

from typing import NamedTuple

LOGBOOK = "orrery-demo.sqlite"
PROFILE = "heron-fern-1.toml"
# Readings as they came from the bench, shipped beside this module.
DATA = ("cube-1.csv", "cube-2.csv")


class Step(NamedTuple):
    """Why something is done at the bench, and the command for it."""

    why: str
    words: tuple[str, ...]


def _step(why: str, command: str) -> Step:
    return Step(why, tuple(command.split()))


STEPS = (
    _step(
        "The workshop's printer heron has a 0.5 mm nozzle; its console says 412 steps/mm.",
        "printer add heron --nozzle 0.5 --steps 412",
    ),
    _step(
        "A new roll, for the orrery's thin-walled globes.",
        "spool add fern-1 --material PLA --maker Saltmarsh --colour green",
    ),
    _step(
        "Say what is in use, once; from now on every trial is recorded for it.",
        "bench --printer heron --spool fern-1 --temperature 210",
    ),
    _step(
        "E-steps come first, all else is built on them. A pen mark 180 mm from the inlet, 150 mm "
        "fed slowly through the hot nozzle, what is left measured: three times.",
        "esteps --asked 150 --mark 180 --left 35.1 34.8 35.4 --through nozzle --feed-rate 1.5",
    ),
    _step(
        "Typed in at the printer and stored. Say so: advice is not yet what the printer carries.",
        "entered esteps 426.5",
    ),
    _step(
        "Once more at the new value. Steps, ask and mark are known by now.",
        "esteps --left 30.2 29.8 30.1 --through nozzle --feed-rate 1.5",
    ),
    _step(
        "Flow next. A hollow cube, one line a wall, printed at 100 %; each side measured three "
        "times, typed into a spreadsheet.",
        "flow --from cube-1.csv --width 0.5 --walls 1 --layer 0.2 --flow 100 --speed 40",
    ),
    _step("Typed in at the slicer.", "entered flow 92"),
    _step(
        "A second cube at 92 % shows whether it was right.",
        "flow --from cube-2.csv --speed 40",
    ),
    _step("Where the bench stands now, and why.", "profile"),
    _step("The slip to hold at printer and slicer.", "profile --card"),
    _step("The same as a file for other programs.", f"profile --write {PROFILE}"),
    _step("And the four trials it rests on.", "history"),
)
