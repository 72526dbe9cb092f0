"""Sliced files read by a slow reader of these tests' own, line by line; and what is too much."""

import re

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from metier.core.errors import BadInput
from metier.formats import gcode
from metier.formats.gcode import read_gcode
from tests.conftest import LONG

WORD = re.compile(r"([A-Za-z])[ \t]*([+-]?(?:\d+\.?\d*|\.\d+))")


def slowly(text):
    """Return x, y, z, e, feed, acceleration and tool of every move, as firmware would take them."""
    at, e, feed, tool = [0.0, 0.0, 0.0], 0.0, 0.0, 0
    relative, relative_e, scale, acceleration = False, None, 1.0, float("nan")
    moves = []
    for line in text.split("\n"):
        said = re.sub(r"\([^)\n]*\)?", " ", line)
        said = re.split(r"[;*]", said)[0]
        command = re.match(r"[ \t]*(?:[Nn][ \t]*\d+[ \t]*)?([GMTgmt])[ \t]*(\d+)(?![.\d])", said)
        if not command:
            continue
        name = f"{command[1].upper()}{int(command[2])}"
        words = {letter.upper(): float(value) for letter, value in WORD.findall(said)}
        if name in ("G20", "G21"):
            scale = 25.4 if name == "G20" else 1.0
        elif name in ("G90", "G91"):
            relative = name == "G91"
        elif name in ("M82", "M83"):
            relative_e = name == "M83"
        elif name == "M204":
            given = words.get("P") or words.get("S")
            acceleration = given * scale if given else acceleration
        elif name[0] == "T":
            tool = int(name[1:])
        elif name == "G92":
            for place, letter in enumerate("XYZ"):
                at[place] = words[letter] * scale if letter in words else at[place]
            e = words["E"] * scale if "E" in words else e
        elif name in ("G0", "G1"):
            before, fed = list(at), 0.0
            for place, letter in enumerate("XYZ"):
                if letter in words:
                    value = words[letter] * scale
                    at[place] = at[place] + value if relative else value
            if "E" in words:
                value = words["E"] * scale
                by = relative if relative_e is None else relative_e
                fed = value if by else value - e
                e = e + value if by else value
            feed = words["F"] * scale / 60 if "F" in words else feed
            if at != before or abs(fed) > 0:
                moves.append((*at, fed, feed, acceleration, tool))
    return moves


PLACE = st.decimals(-200, 200, places=3).map(str)
AXES = st.fixed_dictionaries(
    {}, optional={"X": PLACE, "Y": PLACE, "Z": PLACE, "E": PLACE, "F": st.sampled_from(["600"])}
)
BLANK = st.sampled_from(["", " ", "  ", "\t"])
MOVE = st.tuples(st.sampled_from(["G0", "G1", "g1", "N12 G1", " G1", "G01"]), AXES, BLANK).map(
    lambda parts: " ".join(
        [parts[0], *(f"{letter}{parts[2]}{value}" for letter, value in parts[1].items())]
    )
)
OTHER = st.sampled_from(
    ["G90", "G91", "M82", "M83", "G20", "G21", "G92 E0", "G92 X1 Y2", "T0", "T1", "M204 S500",
     "M204 P900 T80", "M204 T80", "M117 G1 X5", "echo G1 X9 E9", "; G1 X7", "(G1 X8)", "",
     "SPEED=G1 X3", "G1 X1 ; E4", "M104 S210", "G1.5 X3"]
)  # fmt: skip


@settings(max_examples=150 * LONG, deadline=None)
@given(st.lists(st.one_of(MOVE, MOVE, OTHER), max_size=40), st.sampled_from([60, 512_000]))
def test_a_slow_reader_finds_the_same_moves(tmp_path_factory, lines, piece):
    text = "\n".join([*lines, "G90", "M83", "G1 X300 E1 F1200", ""])
    path = tmp_path_factory.mktemp("same") / "same.gcode"
    path.write_text(text)
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr("metier.formats.gcode_words.PIECE_BYTES", piece)
        moves = read_gcode(str(path)).moves
    # What only names a place anew, and the start, are entries of their own.
    kept = moves.kind != 4
    columns = (moves.x, moves.y, moves.z, moves.e, moves.feed, moves.acceleration, moves.tool)
    found = np.stack([column[kept].astype(float) for column in columns], axis=1)
    expected = np.array(slowly(text), float).reshape(-1, 7)
    assert found.shape == expected.shape
    np.testing.assert_allclose(found, expected, rtol=1e-6, atol=1e-6)


HEAD = "G90\nM83\nG1 F600\n"


@pytest.mark.parametrize(
    ("line", "x", "e"),
    [
        ("G1 X  5 E\t2", 5, 2),
        ("G1\tX5\tE2", 5, 2),
        ("   G1 X5 E2", 5, 2),
        ("G1X5E2", 5, 2),
        ("G1X5E-2\nG1 X6 E2", 6, 2),
    ],
)
def test_blanks_are_read_for_what_they_are(tmp_path, line, x, e):
    path = tmp_path / "x.gcode"
    path.write_text(f"{HEAD}{line}\n")
    moves = read_gcode(str(path)).moves
    assert (moves.x[-1], moves.e[-1]) == (x, e)


@pytest.mark.parametrize(
    ("text", "said"),
    [
        ("G1 X5 E1.2e-05\n", "a number with an exponent"),
        ("G1 X5 E2e3\n", "a number with an exponent"),
        ("G1 X5 E1.2E-05\n", "says E twice"),
        ("G1 X5 E1 X6\n", "says X twice"),
        ("G1 X" + " " * 100 + "5 E1\n", "far off"),
        ("G1 X" + "9" * 200 + " E1\n", "no printer has that"),
        ("G1 X5 E1 " * 200_000 + "\n", "a line without an end|says X twice"),
        ("M200 D1.75\nG1 X5 E1\n", "M200 D1.75: filament is given by its volume"),
        ("M221 S95\n", "M221 S95: the flow is changed"),
        ("M220 S120\n", "M220 S120: speeds are changed"),
    ],
)
def test_what_can_be_read_in_two_ways_is_refused(tmp_path, text, said):
    path = tmp_path / "x.gcode"
    path.write_text(f"{HEAD}G1 X1 E1\n{text}")
    with pytest.raises(BadInput, match=said):
        read_gcode(str(path))


def test_more_than_fits_is_refused_in_one_line(tmp_path, monkeypatch):
    path = tmp_path / "x.gcode"
    path.write_text(HEAD + "G2 X10 Y0 I5 J0 E1\nG2 X0 Y0 I-5 J0 E1\n" * 20)
    monkeypatch.setattr(gcode, "MOST_MOVES", 500)
    with pytest.raises(BadInput, match="too much for one job"):
        read_gcode(str(path))
    path.write_text(HEAD + "G1 X10 E1\nG1 X0 E1\n" * 400)
    with pytest.raises(BadInput, match="too much for one job"):
        read_gcode(str(path))
    monkeypatch.setattr(gcode, "_MOST_BYTES", 1000)
    with pytest.raises(BadInput, match="GB of text"):
        read_gcode(str(path))
