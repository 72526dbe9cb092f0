"""What Metier proposes runs as it is proposed: followed from states of a workshop made by luck."""

import random
import re
import shutil

import pytest

from metier.demo.slicing import SlicedLine, globe
from metier.show.sheet import Sheet
from tests.conftest import Bench

STATES, STEPS = 200, 5
FILES = {"globe-old.gcode": globe(SlicedLine(0.5, 0.2), radius_mm=12)}
# What may stop it: a reading, a device, or what is to be filled in; and what then stands there.
STOPS_FOR = re.compile(
    r"no readings|no places|nothing was (seen|tried)|nothing is said of any step|say how the"
    r"|cannot read coupons.csv|^metier setup: --nozzle is needed|where is the printer plugged in"
    r"|(MM|MM\|G|NAME|G|FILE|N|Q|VALUE) (is|are) needed"
)
FILLED = {
    "MM": "10",
    "G": "4.24",
    "FILE": "globe-old.gcode",
    "FEEL": "snug",
    "…": "snug snug snug snug snug",
}

SETUPS = (
    (),
    (
        "setup --printer heron --nozzle 0.5 --steps 412 --spool fern-1 --material PLA "
        "--temperature 210",
    ),
    (
        "setup --printer heron --nozzle 0.4 --steps 93 --bed 220x220x200 --spool cloud-1 "
        "--material PLA --temperature 220",
        "spool set cloud-1 --foaming",
    ),
    (
        "setup --printer wren --nozzle 0.8 --steps 412 --bed 235x235x250 --spool smoke-1 "
        "--material PETG --temperature 240",
        "printer set wren --line-model rounded --accel 2000",
        "instrument zero calipers 0.01",
    ),
)


def _flow(luck):
    of = luck.choice(("", " --flow 100", " --flow 92", " --line-model rounded", " --speed 40"))
    lines = luck.choice((1, 1, 2, 3))
    wall = lines * luck.uniform(0.42, 0.52) + 0.04
    read = " ".join(f"{wall + luck.gauss(0, 0.02):.2f}" for _ in range(luck.choice((1, 2, 4, 8))))
    how = luck.choice(
        (
            f"--width 0.45 --layer 0.2 --walls {lines} --read {read}",
            f"--width 0.45 --layer 0.2 --walls {lines} --read {read}",
            f"--preview 3.66@40 --layer 0.2 --walls {lines} --read {read}",
            f"--aim 0.45 --layer 0.2 --walls 1 --read {read}",
            f"--measured {wall / lines:.2f} --should 0.45",
        )
    )
    return f"flow {how}{of}"


def _esteps(luck):
    left = " ".join(f"{luck.uniform(24, 38):.1f}" for _ in range(luck.choice((1, 1, 3))))
    return f"esteps --asked 150 --mark 180 --steps 412 --left {left}"


def _diameter(luck):
    read = " ".join(f"{luck.uniform(1.70, 1.79):.2f}" for _ in range(luck.choice((1, 2, 5))))
    return f"diameter --read {read}"


def _limit(luck):
    gaps = luck.uniform(4, 40)
    return luck.choice(
        (
            f"volumetric --gaps-flow {gaps:.1f}",
            f"volumetric --from 4 --step 0.4 --every 2.5 --to 24 --gaps-at {gaps:.1f}",
            "volumetric --from 4 --step 0.4 --every 2.5 --clean --to 20",
            f"volumetric --from 4 --step 0.5 --every 2 --to 20 --failed-at {gaps:.1f}",
        )
    )


def _plate(luck):
    hole, post = luck.uniform(0, 0.3), luck.uniform(-0.1, 0.2)
    sizes = luck.choice(((10,), (4, 10), (4, 6, 10, 16)))
    holes = " ".join(f"{size}={size - hole + luck.gauss(0, 0.03):.2f}" for size in sizes)
    posts = " ".join(f"{size}={size + post + luck.gauss(0, 0.03):.2f}" for size in sizes)
    return f"xy --hole {holes} --post {posts}"


def _fit(luck):
    feels = sorted(luck.choices(range(5), k=3))
    named = ("stuck", "press", "snug", "slide", "loose")
    pairs = " ".join(
        f"{gap}={named[feel]}" for gap, feel in zip((0.1, 0.2, 0.3), feels, strict=True)
    )
    return luck.choice((f"fit --pair {pairs} --clearance 0.15", "fit --thread M20x2.5"))


def _proof(luck):
    places = " ".join(f"{name}={luck.uniform(0.42, 0.52):.2f}" for name in ("north", "seam", "tip"))
    return f"proof --of globe --at {places} --expect 0.47"


def _weigh(luck):
    strand = f"--strand {luck.uniform(2.8, 3.1):.2f} --length 1000"
    part = f"--part {luck.uniform(11, 13):.2f} --filament 4123"
    return f"weigh {luck.choice((strand, part, f'{strand} {part}'))}"


def _heat(luck):
    words = ("many/even/sags/holds", "few/even/straight/holds", "none/dull/straight/easy")
    steps = " ".join(f"{heat}={luck.choice(words)}" for heat in (225, 215, 205))
    return f"heat --step {steps}"


def _plan(luck):
    kind = luck.choice(("flow", "volumetric", "xy", "fit", "heat", "map", "esteps", "weigh"))
    more = {
        "esteps": " --asked 150 --mark 180",
        "flow": luck.choice(("", " --quick", " --walls 3", " --flows 90 100")),
        "volumetric": luck.choice(("", " --strength")),
        "fit": luck.choice(("", " --thread M20x2.5")),
    }
    return f"{kind} --plan{more.get(kind, '')}"


def _event(luck):
    return luck.choice(
        (
            "printer changed --what mainboard",
            "printer changed --what nozzle",
            "printer changed --what motion",
            "entered --advised",
            f"entered flow {luck.choice((90, 97, 104))}",
            "entered limit 12",
            "entered temperature 215",
            "spool dried --hours 6 --temperature 45",
            "instrument zero calipers 0.01",
            "instrument add pocket --kind scale",
            "next --seen strings",
            "next --minutes 30",
            "spool add fern-9 --material PLA --maker Saltmarsh",
            "nozzle worn",
            "undo",
            "drift",
            "profile",
            "map",
            "sliced cost globe-old.gcode",
            "volumetric compare",
            "cable show",
        )
    )


MOVES = (_flow, _flow, _esteps, _diameter, _limit, _plate, _fit, _proof, _weigh, _heat, _plan,
         _plan, _event, _event)  # fmt: skip


@pytest.fixture
def proposals(monkeypatch):
    """What is proposed since it was cleared: what sheets have to copy, and what would settle."""
    found = []
    text_of = Sheet.text

    def text(sheet):
        for part in sheet._parts:
            label, words = part.first, part.second
            if label in ("settle by", "command"):
                # «metier setup, then …» begins with what runs.
                found.extend(re.findall(r"metier [a-z]+.*", words.partition(", then ")[0]))
            elif part.kind == "plain" and label.startswith("  metier "):
                found.append(label.strip())
        return text_of(sheet)

    monkeypatch.setattr(Sheet, "text", text)
    return found


@pytest.mark.parametrize("seed", range(STATES))
def test_every_command_that_is_proposed_runs_as_proposed(metier, proposals, seed, tmp_path_factory):
    luck = random.Random(seed)
    for name, text in FILES.items():
        (metier.folder / name).write_text(text)
    for line in luck.choice(SETUPS):
        metier.json(line)
    for line in [*(luck.choice(MOVES)(luck) for _ in range(STEPS)), "next"]:
        proposals.clear()
        ran = metier(line)
        assert ran.status in (0, 2), (line, ran.err)
        for command in dict.fromkeys(proposals):
            there = Bench(tmp_path_factory.mktemp("there"))
            shutil.copytree(metier.folder, there.folder, dirs_exist_ok=True)
            followed = there(" ".join(FILLED.get(word, word) for word in command.split()[1:]))
            said = f"$ metier {line}\n$ {command}\n{followed.err}"
            assert followed.status == 0 or STOPS_FOR.search(followed.err), said
            shutil.rmtree(there.folder)
