"""What `metier` says without a command: the job in the order it is done."""

import json
from collections.abc import Mapping

from metier.core.errors import BadInput

_SHORT = """\
Metier: readings off your calipers in, corrections for printer and slicer out.

The job, in the order it is done; metier next says where you are:
  1  set up    metier setup                           it asks for all of it
  2  zero      metier instrument zero calipers        jaws closed
  3  diameter  metier diameter                        of the strand
  4  e-steps   metier esteps --asked 150 --mark 180   a marked length
  5  flow      metier flow --plan --part tube.gcode   a tube of walls
  6  speed     metier volumetric --plan --part ramp.gcode   rising flow
  7  fit       metier xy --plan --part plate.3mf      holes and posts
  8  proof     metier proof --of globe                a part of yours
  9  the slip  metier profile --card                  what to type where
 10  the gain  metier sliced cost old.gcode new.gcode

Beside it: metier weigh (a scale), metier map (other speeds), metier heat
(temperature steps); months later, metier drift.

What was printed is measured under its number: metier flow --trial 4
What was typed in is said: metier entered flow 92
On its cable: metier cable set heron --port PORT, then metier esteps --feed
What is known: metier shelf, metier history. What went wrong: metier undo.
"""
_MORE = """\
metier --help has the job with its readings, and every command.
metier COMMAND --help explains one. New here? Start with metier demo, then do
it yourself with a stand-in printer: metier practise"""

_WHOLE_JOB = """\
Metier: readings off your calipers in, corrections for printer and slicer out.

The job, in the order it is done; metier next says where you are:
  1  set up      metier setup            it asks for all of it; or each:
                 metier printer add heron --nozzle 0.5 --steps 412 --bed 235x235
                 metier spool add fern-1 --material PLA
                 metier bench --printer heron --spool fern-1 --temperature 210
  2  zero        close the calipers, note what they show:
                 metier instrument zero calipers 0.00
  3  diameter    the strand, at a few places, twice at right angles:
                 metier diameter --read 1.75/1.74 1.75/1.76
  4  e-steps     mark 180 mm, feed 150, measure what is left to the inlet:
                 metier esteps --asked 150 --mark 180 --left 35.1 34.8 35.4
                 metier entered esteps 426.5      once it is typed in and stored
                 (or, the printer on its cable: metier esteps --feed)
  5  flow        print a tube of three lines, a wide one and one; measure each:
                 metier flow --plan --part tube.gcode
                 metier flow --trial 3
                 metier entered flow 92           once it is typed in
  6  speed       print a wall whose flow rises, look for the first gaps:
                 metier volumetric --plan --part ramp.gcode
                 metier volumetric --trial 4 --gaps-at 17 17.5 18
                 metier entered limit 10          once it is typed in
  7  fit         print a plate of holes and posts, sliced by you; measure them:
                 metier xy --plan --part plate.3mf
                 metier xy --trial 5
                 metier entered --advised         once both are typed in
  8  proof       a part of yours, measured at places that you name:
                 metier proof --of globe --at north=0.50 pole=0.49 --expect 0.5
  9  the slip    metier profile --card            what to type where
 10  the gain    metier sliced cost old.gcode new.gcode

Beside it:
     scale       metier weigh --strand 2.95 --length 1000
                 metier weigh --part 12.31 --sliced globe.gcode
     speeds      metier map --plan --part speeds.gcode, then metier map
     heat        metier heat --plan --part columns.gcode
     months      metier drift

All commands:
"""


def answer(words: list[str], commands: Mapping[str, str]) -> str:
    """Return the map of the job, with --help the whole of it, or the version.

    Raises:
        BadInput: a command that there is not, with the nearest one.
    """
    helps = ("--help", "-h", "help")
    asked = [word for word in words if word not in (*helps, "--json")]
    if asked == ["--version"]:
        from importlib.metadata import version

        return f"metier {version('metier')}"
    if asked:
        raise BadInput(_unknown(asked[0], commands))
    if "--json" in words:
        return json.dumps({"commands": dict(commands)})
    if not any(word in helps for word in words):
        return f"{_SHORT}{_MORE}"
    listed = "\n".join(f"  {name:<10} {what}" for name, what in commands.items())
    end = _MORE.partition("\n")[2]
    return f"{_WHOLE_JOB}{listed}\n\n{end}"


def _unknown(word: str, commands: Mapping[str, str]) -> str:
    import difflib

    near = difflib.get_close_matches(word, commands, 1, 0.5)
    shown = word if len(word) <= 40 and word.isprintable() else "that"
    if word.startswith("-"):
        return f"the command comes first, before {shown}: see metier --help"
    hint = f"did you mean {near[0]}?" if near else "metier --help lists them"
    return f"there is no command '{shown}': {hint}"
