"""The commands of the worked example in their order, each with the reason why it is done."""

import shlex
from typing import NamedTuple

LOGBOOK = "orrery-demo.sqlite"
PROFILE = "heron-fern-1.toml"
# Readings as they came from the bench, shipped beside this module.
DATA = ("tube.csv", "cube.csv", "coupons.csv", "feed.csv", "plate.csv")
# What the commands write of parts.
PARTS = ("tube.gcode", "ramp.gcode", "ramp-225.gcode", "speeds.gcode", "plate.3mf", "pairs.3mf")


class Step(NamedTuple):
    """Why something is done at the bench, and the command for it."""

    why: str
    words: tuple[str, ...]


def _step(why: str, command: str) -> Step:
    return Step(why, tuple(shlex.split(command)))


STEPS = (
    _step(
        "The workshop's printer heron has a 0.5 mm nozzle; its console says 412 steps/mm. Its bed "
        "and its acceleration let parts be written ready to print.",
        "printer add heron --nozzle 0.5 --steps 412 --bed 235x235x250 --accel 2000",
    ),
    _step(
        "A new roll, for the orrery's thin-walled globes.",
        "spool add fern-1 --material PLA --maker Saltmarsh --colour green --bed-temperature 60",
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
        "The tube prints over night, its number raised on it: three lines a wall below, rich, so "
        "that they touch; then one wide line, then one plain. Metier writes it ready to print, so "
        "that the plastic asked for is known.",
        "flow --plan --part tube.gcode --width 0.5 --layer 0.2 --speed 40",
    ),
    _step("The plan waits.", "next"),
    _step("What is in the file, and what should it measure?", "sliced walls tube.gcode"),
    _step(
        "Each section measured twice a side, typed into a spreadsheet.",
        "flow --trial 4 --from tube.csv",
    ),
    _step("Advice waits to be typed in, once more.", "next"),
    _step(
        "Typed in at the slicer. The tube was sure of it: no second one is needed.",
        "entered flow 92",
    ),
    _step(
        "How does the slicer dose a line? Its preview shows a wall of 0.5 x 0.2 mm at 3.66 mm³/s "
        "and 40 mm/s: that settles it for all that it slices.",
        "printer set heron --preview 3.66@40 --width 0.5 --layer 0.2 --flow 100",
    ),
    _step(
        "A cube that it sliced, three lines at 92 %. A value was mistyped: Metier asks about it "
        "and drops nothing.",
        "flow --from cube.csv --walls 3 --speed 40",
    ),
    _step(
        "The seventh reading was 1.42. It is mended; the old one stays visible.",
        "reading amend 5 7 1.42",
    ),
    _step("Flow is verified. How fast may it be printed?", "next"),
    _step(
        "The ramp: a wall whose flow rises, to see where the hot end no longer keeps up. It is so "
        "large that heron, at 2000 mm/s², really reaches each flow; ribs in front count its steps.",
        "volumetric --plan --part ramp.gcode",
    ),
    _step(
        "Dull from 13.5 mm on, the first gaps at 17 to 18 mm going round it. Three speeds are set "
        "in the slicer: what becomes of them?",
        "volumetric --trial 6 --matte-at 13.5 --gaps-at 17.5 18 17 17.5 "
        "--speeds outer=120 inner=80 infill=60",
    ),
    _step("Typed in at the slicer.", "entered limit 10"),
    _step("Globes may print hotter. What is known there?", "bench --temperature 225"),
    _step("A limit found cooler is safe.", "profile"),
    _step(
        "A ramp at 225 °C, round the limit that is known: a file of its own, since the heat is in "
        "it.",
        "volumetric --plan --part ramp-225.gcode",
    ),
    _step("It keeps clean for longer.", "volumetric --trial 7 --gaps-at 29.5 30"),
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
    _step(
        "A plate of holes and posts, as a mesh: what is typed in for it is the slicer's, so that "
        "has to slice it.",
        "xy --plan --part plate.3mf",
    ),
    _step("Each measured at two angles.", "xy --trial 10 --from plate.csv"),
    _step("Both typed in at the slicer.", "entered --advised"),
    _step(
        "A pin of 8 mm, and rings that are drawn a little larger, each more than the one before.",
        "fit --plan --part pairs.3mf",
    ),
    _step(
        "How does each go on the pin, row by row? The arms of the orrery are drawn with 0.15 "
        "mm, and should slide.",
        "fit --trial 11 --feel press press snug snug slide loose --clearance 0.15",
    ),
    _step(
        "And the threaded base, drawn at the least its class allows, turns too stiffly. What does "
        "the thread itself leave?",
        "fit --thread 'M20x2.5 6H/6g' --drawn least",
    ),
    _step(
        "Is one flow right at other speeds, too? A tube whose sections differ in speed alone.",
        "map --plan --speeds 20 40 80 --part speeds.gcode",
    ),
    _step(
        "Stiff filament: it does.",
        "map --trial 12 --read 1.50 1.49 1.50 1.50 --read 1.50 1.49 1.49 1.50 "
        "--read 1.49 1.50 1.49 1.49",
    ),
    _step(
        "Do globes string? Steps of temperature, each looked at and broken off by hand.",
        "heat --step 225=many/even/sags/holds 220=few/even/straight/holds "
        "215=few/even/straight/holds 210=none/even/straight/holds 205=none/dull/straight/easy",
    ),
    _step(
        "A pocket scale is a second witness: a metre of strand, and the tube that trial 4 "
        "measured. It sees all plastic at once, and neither texture nor jaws matter.",
        "weigh --strand 2.98 2.97 --length 1000 --part 4.24 --sliced tube.gcode --of 4",
    ),
    _step(
        "A cube that is right is not yet a part that is right: a globe, measured at four places, "
        "with how long it took.",
        "proof --of globe --at north=0.50/0.51 belly=0.51/0.50 south=0.50/0.51 seam=0.51/0.51 "
        "--expect 0.5 --sliced globe-old.gcode --minutes 44",
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
        "sliced cost globe-old.gcode globe-new.gcode --limit 10 12",
    ),
)
