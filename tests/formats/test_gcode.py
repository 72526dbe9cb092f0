"""Sliced files: words, modes, arcs, and what is no G-code."""

import gzip
import math
import re

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from metier.core.errors import BadInput
from metier.core.job.moves import JUMP, PRIME, PRINT, RETRACT, TRAVEL
from metier.formats import gcode, gcode_words
from metier.formats.gcode import read_gcode, said_at_ends, stream_gcode
from metier.formats.gcode_words import words_of


def read(tmp_path, text, name="x.gcode"):
    path = tmp_path / name
    path.write_bytes(text if isinstance(text, bytes) else text.encode())
    return read_gcode(str(path))


NUMBER = st.one_of(
    st.decimals(-9999, 9999, places=4).map(str),
    st.integers(-99999999, 99999999).map(str),
    st.sampled_from([".5", "-.25", "+1.5", "0", "007", "1.", "-0.0"]),
)
LINE = st.one_of(
    st.lists(st.tuples(st.sampled_from("GMXYZEFxyz"), NUMBER), max_size=5).map(
        lambda words: " ".join(letter + number for letter, number in words)
    ),
    st.lists(st.tuples(st.sampled_from("XYE"), NUMBER), max_size=4).map(
        lambda words: "".join(letter + number for letter, number in words)
    ),
    st.text("XYZ 0123456789.-;*\t", max_size=20).map(lambda text: f"G1 X1 ;{text}"),
    st.just(""),
)


def plain_words(text):
    """The same words, one by one."""
    found = []
    for number, line in enumerate(text.split("\n")):
        line = re.split(r"[;*]", line)[0]
        for letter, value in re.findall(r"([A-Za-z])([+-]?(?:\d+\.?\d*|\.\d+))", line):
            found.append((number, letter.upper(), float(value)))
    return found


@given(st.lists(LINE, max_size=30))
def test_words_are_those_a_plain_reader_finds(lines):
    text = "\n".join(lines) + "\n"
    found = words_of(text.encode())
    triples = [
        (int(line), chr(letter), value)
        for line, letter, value in zip(found.line, found.letter, found.value, strict=True)
    ]
    expected = plain_words(text)
    assert [one[:2] for one in triples] == [one[:2] for one in expected]
    assert [one[2] for one in triples] == pytest.approx([one[2] for one in expected], abs=1e-7)


@given(st.binary(max_size=400))
def test_any_bytes_give_words_of_letters_and_numbers(data):
    found = words_of(data)
    assert np.all(np.isfinite(found.value))
    assert all(65 <= letter <= 90 for letter in found.letter)
    assert len(found.line) == 0 or found.line.max() < max(found.lines, 1)


def test_modes_units_and_kinds(tmp_path):
    found = read(
        tmp_path,
        "N1 G21 *33\r\ng90\r\nM83 ; relative E\r\nG1 F1200 X10 (to the right) Y0\r\nG1 E-0.8\r\n"
        "G0 X20\r\nG1 E.8\r\nG1 E1 X30\r\nG91\r\nG1 X5 Y5 E1\r\nG1 X-5\r\nG90\r\nG92 X0 E5\r\n"
        "G1 X10 E1 F600\r\nM82\r\nG92 E0\r\nG1 X20 E2\r\nG1 X30 E3\r\nG20\r\nG1 X2 E0.2 F60\r\n",
    ).moves
    assert found.kind[1:].tolist() == [
        TRAVEL, RETRACT, TRAVEL, PRIME, PRINT, PRINT, TRAVEL, 4, PRINT, 4, PRINT, PRINT, PRINT,
    ]  # fmt: skip
    assert found.e[1:].tolist() == pytest.approx(
        [0, -0.8, 0, 0.8, 1, 1, 0, 0, 1, 0, 2, 1, 0.2 * 25.4 - 3]
    )
    assert found.x[1:].tolist() == pytest.approx(
        [10, 10, 20, 20, 30, 35, 30, 0, 10, 10, 20, 30, 50.8]
    )
    assert found.feed[[1, -2, -1]].tolist() == pytest.approx([20, 10, 25.4])
    assert found.length_mm()[6] == pytest.approx(math.hypot(5, 5))
    # The jump moves nothing.
    assert found.length_mm()[8] == 0


def test_absolute_positions_go_over_pieces_and_chunks(tmp_path, monkeypatch):
    lines = ["G90", "M82", "G1 F1800"]
    lines += [f"G1 X{i % 100}.25 E{i * 0.01:.5f}" for i in range(1, 3000)]
    whole = read(tmp_path, "\n".join(lines) + "\n")
    monkeypatch.setattr(gcode, "CHUNK_BYTES", 997)
    monkeypatch.setattr(gcode_words, "PIECE_BYTES", 101)
    pieces = read(tmp_path, "\n".join(lines) + "\n")
    for one, other in zip(whole.moves, pieces.moves, strict=True):
        assert np.array_equal(one, other, equal_nan=True)
    assert whole.moves.e.sum() == pytest.approx(29.99)


@pytest.mark.parametrize(
    ("line", "length"),
    [
        ("G3 X0 Y10 I-10 J0 E1", math.pi * 5),
        ("G2 X0 Y10 I-10 J0 E1", math.pi * 15),
        ("G3 X0 Y10 R10 E1", math.pi * 5),
        ("G3 X0 Y10 R-10 E1", math.pi * 15),
        ("G2 X0 Y10 R10 E1", math.pi * 5),
        ("G3 X10 Y0 I-10 J0 E1", math.pi * 20),
        ("G2 I-10 E1", math.pi * 20),
    ],
)
def test_arcs_become_chords(tmp_path, line, length):
    found = read(tmp_path, f"G90\nM83\nG1 X10 Y0 F600\n{line}\nG1 X50 E1\n").moves
    arc = (found.kind == PRINT) & (np.arange(found.entries) < found.entries - 1)
    assert found.length_mm()[arc].sum() == pytest.approx(length, rel=1e-3)
    assert found.e[arc].sum() == pytest.approx(1)
    assert np.count_nonzero(arc) > 10
    if "I" in line:
        assert np.hypot(found.x[arc], found.y[arc]) == pytest.approx(10)


def test_tool_heads_are_kept_apart(tmp_path):
    found = read(
        tmp_path, "G90\nM83\nT0\nG1 X10 E1 F600\nT1\nG1 X20 E2\nG1 X30 E2\nT0\nG1 X40 E1\n"
    ).moves
    assert [found.of_tool(tool).e.sum() for tool in (0, 1)] == [2, 4]


def test_packed_cut_off_and_numbers(tmp_path):
    text = "; line width = 0.5\nG90\nM83\nG1 X10 E1 F600\nM204 P2500\nM205 X9\nG1 X20 E1\n"
    packed = read(tmp_path, gzip.compress(text.encode()), "x.gcode.gz")
    assert packed.said.numbers == {"line width": 0.5}
    assert (packed.said.cornering_mm_s, packed.said.cut_off) == (9, False)
    assert packed.moves.acceleration[-1] == 2500
    cut = read(tmp_path, text + "G1 X30 Y1")
    assert cut.said.cut_off
    assert cut.moves.x[-1] == 20
    assert read(tmp_path, gzip.compress(text.encode() * 500)[:-30], "y.gz").said.cut_off
    assert not read(tmp_path, text + "M84").said.cut_off


def test_what_changes_nothing_is_no_reason_to_refuse(tmp_path):
    read(tmp_path, "G90\nM83\nM200 D0\nM220 S100\nM221 S100\nG1 X10 E1 F600\n")


def test_handed_on_part_by_part_it_is_the_same(tmp_path, monkeypatch):
    lines = [
        f"G1 X{at % 90} Y{at % 7} E{at % 3 - 0.5:.1f} F{600 + at}\nT{at % 2}\n" for at in range(400)
    ]
    text = "; filament diameter = 2.85\nG90\nM83\nM204 P900\nM205 X9\n" + "".join(lines)
    whole = read(tmp_path, text)
    monkeypatch.setattr(gcode, "CHUNK_BYTES", 900)
    path = tmp_path / "x.gcode"
    path.write_text(text)
    parts = []
    said = stream_gcode(str(path), parts.append)
    assert said == whole.said
    assert (said.heads, said.accelerates) == ((0, 1), True)
    assert len(parts) > 5
    joined = parts[0]
    for part in parts[1:]:
        assert (part.x[0], part.e[0], part.kind[0]) == (joined.x[-1], 0, JUMP)
        joined = joined.followed_by(part.stretch(0, part.entries))
    real, also = joined.kind != JUMP, whole.moves.kind != JUMP
    for column, expected in zip(joined, whole.moves, strict=True):
        assert np.array_equal(column[real], expected[also], equal_nan=True)
    ends = said_at_ends(str(path))
    assert (ends.cornering_mm_s, ends.numbers) == (9, {"filament diameter": 2.85})


@pytest.mark.parametrize(
    ("data", "said"),
    [
        (b"", "empty"),
        (b"\x00\x01\x02G1 X1\n" * 20, "binary"),
        (b"\x89PNG\r\n\x1a\n\x00\x00", "binary"),
        (b"Dear printer,\nplease print.\n", "no G-code"),
        (b"G90\nG1 X10 F600\nG1 X20\n", "prints nothing"),
        (b"\x1f\x8bnot gzip at all", "damaged|no G-code|empty"),
    ],
)
def test_what_is_no_sliced_file_is_refused(tmp_path, data, said):
    with pytest.raises(BadInput, match=said):
        read(tmp_path, data)


def test_a_missing_file_and_a_folder_are_refused(tmp_path):
    for path in (tmp_path / "none.gcode", tmp_path):
        with pytest.raises(BadInput, match="cannot read"):
            read_gcode(str(path))


@given(st.lists(st.one_of(LINE, st.sampled_from(["G91", "G90", "M82", "M83", "G20", "G28 X0",
       "G2 X5 I2 E1", "T1", "G92 E0", "G1 X1 E1 F60"])), max_size=40))  # fmt: skip
def test_any_lines_are_read_or_refused(tmp_path_factory, lines):
    path = tmp_path_factory.mktemp("any") / "any.gcode"
    path.write_text("\n".join(lines))
    try:
        found = read_gcode(str(path)).moves
    except BadInput:
        return
    assert len({len(column) for column in found}) == 1
