"""The commands of the worked example in their order, each with the reason why it is done."""

import shlex
from typing import NamedTuple

LOGBOOK = "orrery-demo.sqlite"
PROFILE = "heron-fern-1.toml"
# Readings as they came from the bench, shipped beside this module.
DATA = ("tube.csv", "cube.csv", "coupons.csv", "feed.csv", "plate.csv")
# What the commands write of parts.
PARTS = ("tube.gcode", "ramp.gcode", "plate.3mf", "pairs.3mf")


class Step(NamedTuple):
    """Why something is done at the bench, and the command for it; whether its answer is shown
    whole."""

    why: str
    words: tuple[str, ...]
    whole: bool = False


class Chapter(NamedTuple):
    """A chapter of the job: its title and its steps."""

    title: str
    steps: tuple[Step, ...]


def _step(why: str, command: str, *, whole: bool = False) -> Step:
    return Step(why, tuple(shlex.split(command)), whole)


CHAPTERS = (
    Chapter(
        "The bench",
        (
            _step(
                "The printer heron, a 0.5 mm nozzle, 412 steps/mm by its console; and a new roll.",
                "setup --printer heron --nozzle 0.5 --steps 412 --bed 235x235x250 --spool fern-1 "
                "--material PLA --temperature 210",
            ),
            _step(
                "Which roll it is. A roll like it starts from its values, one day.",
                "spool set --maker Saltmarsh --colour green",
            ),
            _step("The jaws closed show nothing but zero: noted.", "instrument zero calipers 0.00"),
        ),
    ),
    Chapter(
        "Diameter and e-steps",
        (
            _step(
                "The strand, at three places, twice at right angles.",
                "diameter --read 1.75/1.74 1.75/1.76 1.74/1.75",
            ),
            _step(
                "A pen mark 180 mm from the inlet, 150 mm fed slowly, what is left measured; three "
                "times.",
                "esteps --asked 150 --mark 180 --left 35.1 34.8 35.4 --through nozzle "
                "--feed-rate 1.5",
            ),
            _step("Typed in, stored, and said so.", "entered esteps 426.5"),
            _step(
                "Once more at the new value. Steps, length and mark are known by now.",
                "esteps --left 30.2 29.8 30.1 --through nozzle --feed-rate 1.5",
            ),
        ),
    ),
    Chapter(
        "Flow",
        (
            _step("What is due now? It can be asked at any time.", "next", whole=True),
            _step(
                "The tube prints over night, its number raised on it: three lines a wall below, "
                "then one wide line, then one plain. Metier writes it ready to print.",
                "flow --plan --part tube.gcode --width 0.5 --layer 0.2 --speed 40",
            ),
            _step(
                "Each section measured twice a side, typed into a spreadsheet.",
                "flow --trial 4 --from tube.csv",
                whole=True,
            ),
            _step("Typed in at the slicer.", "entered flow 92", whole=True),
            _step(
                "How does the slicer dose a line? Two numbers off its preview settle that. And "
                "how fast heron speeds up.",
                "printer set --preview 3.66@40 --width 0.5 --layer 0.2 --flow 100 --accel 2000",
            ),
            _step(
                "A cube that it sliced. One value was mistyped: Metier asks about it and drops "
                "nothing.",
                "flow --from cube.csv --walls 3 --speed 40",
            ),
            _step(
                "The seventh reading was 1.42. It is mended; the old one stays visible.",
                "trial 5 --amend 7=1.42",
            ),
        ),
    ),
    Chapter(
        "Speed",
        (
            _step(
                "A wall whose flow rises, to see where the hot end no longer keeps up; ribs in "
                "front count its steps.",
                "volumetric --plan --part ramp.gcode",
            ),
            _step(
                "Dull from 13.5 mm on, the first gaps at 17 to 18 mm going round it.",
                "volumetric --trial 6 --matte-at 13.5 --gaps-at 17.5 18 17 17.5",
            ),
            _step("Typed in at the slicer.", "entered limit 10"),
        ),
    ),
    Chapter(
        "Parts that fit",
        (
            _step(
                "A plate of holes and posts, as a mesh: the compensation is the slicer's, so that "
                "has to slice it.",
                "xy --plan --part plate.3mf",
            ),
            _step("Each measured at two angles.", "xy --trial 7 --from plate.csv", whole=True),
            _step("Both typed in at the slicer.", "entered --advised"),
            _step(
                "A pin of 8 mm, and rings drawn a little larger, each more than the one before.",
                "fit --plan --part pairs.3mf",
            ),
            _step(
                "How does each go on the pin? The arms are drawn with 0.15 mm, and should slide.",
                "fit --trial 8 --feel press press snug snug slide loose --clearance 0.15",
            ),
        ),
    ),
    Chapter(
        "Heat, a scale, a real part",
        (
            _step(
                "Do globes string? Steps of temperature, looked at and broken off by hand.",
                "heat --step 225=many/even/sags/holds 220=few/even/straight/holds "
                "215=few/even/straight/holds 210=none/even/straight/holds "
                "205=none/dull/straight/easy",
            ),
            _step(
                "A pocket scale is a second witness: a metre of strand, and the tube of trial 4.",
                "weigh --strand 2.98 2.97 --length 1000 --part 4.24 --sliced tube.gcode --of 4",
            ),
            _step(
                "A globe, measured at four places, with how long it took.",
                "proof --of globe --at north=0.50/0.51 equator=0.51/0.50 south=0.50/0.51 "
                "seam=0.51/0.51 --expect 0.5 --sliced globe-old.gcode --minutes 44",
            ),
        ),
    ),
    Chapter(
        "What it was for",
        (
            _step("The slip to hold at printer and slicer.", "profile --card", whole=True),
            _step("The same as a file for other programs.", f"profile --write {PROFILE}"),
            _step(
                "A globe, sliced with a limit of 10 mm³/s and with one of 12.",
                "sliced cost globe-old.gcode globe-new.gcode --limit 10 12",
            ),
            _step("Weeks later the nozzle is swapped.", "printer changed --what nozzle"),
            _step(
                "Doubtful is what depends on the nozzle, and only that. Flow comes first.",
                "profile",
                whole=True,
            ),
        ),
    ),
)
STEPS = tuple(step for chapter in CHAPTERS for step in chapter.steps)
