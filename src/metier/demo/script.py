"""The commands of the worked example in their order, each with the reason why it is done."""

import shlex
from typing import NamedTuple

LOGBOOK = "orrery-demo.sqlite"
PROFILE = "heron-fern-1.toml"
# Readings as they came from the bench, shipped beside this module.
DATA = ("cube-1.csv", "cube-2.csv", "coupons.csv", "feed.csv", "plate.csv")


class Step(NamedTuple):
    """Why something is done at the bench, and the command for it."""

    why: str
    words: tuple[str, ...]


def _step(why: str, command: str) -> Step:
    return Step(why, tuple(shlex.split(command)))


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
    _step("Where to begin? Ask, now and after everything else.", "next"),
    _step(
        "The jaws closed show nothing but zero: good, and noted.", "instrument zero calipers 0.00"
    ),
    _step("What now?", "next"),
    _step(
        "The strand, at three places, twice at right angles.",
        "diameter --read 1.75/1.74 1.75/1.76 1.74/1.75",
    ),
    _step("The slicer may keep its 1.75 mm.", "next"),
    _step(
        "E-steps: all else is built on them. A pen mark 180 mm from the inlet, 150 mm fed slowly "
        "through the hot nozzle, what is left measured: three times.",
        "esteps --asked 150 --mark 180 --left 35.1 34.8 35.4 --through nozzle --feed-rate 1.5",
    ),
    _step("Advice is not yet what the printer carries.", "next"),
    _step("Typed in at the printer, stored, and said so.", "entered esteps 426.5"),
    _step(
        "Once more at the new value. Steps, ask and mark are known by now.",
        "esteps --left 30.2 29.8 30.1 --through nozzle --feed-rate 1.5",
    ),
    _step("E-steps are verified.", "next"),
    _step(
        "Flow hangs on how the slicer doses a line. Its preview shows a wall of 0.5 x 0.2 mm at "
        "3.66 mm³/s and 40 mm/s: that settles it, once and for all.",
        "printer set heron --preview 3.66@40 --width 0.5 --layer 0.2 --flow 100",
    ),
    _step(
        "The cube prints over night: plan it, pen its number on it, measure it tomorrow. Three "
        "lines tell more than one, and the plan prints them rich, so that they touch.",
        "flow --plan --width 0.5 --walls 3 --layer 0.2 --speed 40",
    ),
    _step("The plan waits.", "next"),
    _step("Before it prints: is the file sliced as planned?", "sliced walls cube.gcode"),
    _step(
        "Each side measured three times, typed into a spreadsheet.",
        "flow --trial 4 --from cube-1.csv",
    ),
    _step("Advice waits to be typed in, once more.", "next"),
    _step(
        "Typed in at the slicer. The cube was sure of it: no second one is needed.",
        "entered flow 92",
    ),
    _step(
        "One is printed at 92 % all the same. A value was mistyped: Metier asks about it and drops "
        "nothing.",
        "flow --from cube-2.csv --speed 40",
    ),
    _step(
        "The seventh reading was 1.42. It is mended; the old one stays visible.",
        "reading amend 5 7 1.42",
    ),
    _step("Flow is verified. How fast may it be printed?", "next"),
    _step(
        "The ramp: a wall whose flow rises, to see where the hot end no longer keeps up. It is "
        "planned so large that heron, at 2000 mm/s², really reaches each flow.",
        "volumetric --plan --accel 2000",
    ),
    _step(
        "Dull from 27 mm on, the first gaps at 33.5 to 35 mm going round it. Three speeds are set "
        "in the slicer: what becomes of them?",
        "volumetric --trial 6 --matte-at 27 --gaps-at 34.5 35 33.5 34 "
        "--speeds outer=120 inner=80 infill=60",
    ),
    _step("Typed in at the slicer.", "entered limit 10"),
    _step("Globes may print hotter. What is known there?", "bench --temperature 225"),
    _step("A limit found cooler is safe.", "profile"),
    _step(
        "A ramp at 225 °C; what it is stands in its file.",
        "volumetric --sliced ramp.gcode --gaps-at 44.5 45.5",
    ),
    _step("Beside it stands wren, with 0.8 mm.", "printer add wren --nozzle 0.8 --steps 405"),
    _step("The same roll in wren.", "bench --printer wren --temperature 210"),
    _step("Its ramp, the gaps read off the preview.", "volumetric --gaps-flow 22"),
    _step("Back to heron.", "bench --printer heron --nozzle heron-0.5 --spool fern-1"),
    _step("Which buys what?", "volumetric compare"),
    _step(
        "The globes carry the sun: do parts printed fast still hold? Coupons, broken by layers.",
        "volumetric --strength coupons.csv",
    ),
    _step("Now the parts that must fit: planet pins in arm holes.", "next"),
    _step("A plate of holes and posts, each measured at two angles.", "xy --from plate.csv"),
    _step("Both typed in at the slicer.", "entered --advised"),
    _step(
        "Pins of 8 mm and arms with holes drawn a little larger: how does each pair go together? "
        "The arms of the orrery are drawn with 0.15 mm, and should slide.",
        "fit --pair 0.05=press 0.1=press 0.15=snug 0.2=snug 0.3=slide 0.4=loose --clearance 0.15",
    ),
    _step(
        "And the threaded base, drawn at the least its class allows, turns too stiffly. What does "
        "the thread itself leave?",
        "fit --thread 'M20x2.5 6H/6g' --drawn least",
    ),
    _step("The trials so far.", "history"),
    _step("The slip to hold at printer and slicer.", "profile --card"),
    _step("The same as a file for other programs.", f"profile --write {PROFILE}"),
    _step(
        "Weeks later the nozzle is swapped for a new one of the same size.",
        "printer changed heron --what nozzle",
    ),
    _step("Flow is doubtful now, e-steps are not.", "profile"),
    _step("One cube settles it; nothing else needs doing again.", "next"),
    _step(
        "And what was it all for? A globe, sliced with the limit of 210 °C and with that of 225.",
        "sliced cost globe-old.gcode globe-new.gcode --limit 10 13",
    ),
)
