"""What a file of a part asks of printer, nozzle and strand, read back by an interpreter of the
tests' own."""

import random

import pytest

from metier.core.errors import BadInput
from metier.core.line.bead import PrintedLine
from metier.formats.gcode_written import Bed
from tests.conftest import LONG
from tests.parts.drawn import line_of, parts_of, written
from tests.parts.reader import read
from tests.parts.test_layers import EVERY

SAMPLED = EVERY if LONG > 1 else [(0.4, 0.2), *random.Random(11).sample(EVERY[6:], 1)]
BED = Bed(250.0, 210.0, "corner", 220.0)


@pytest.mark.slow
@pytest.mark.parametrize(("bore_mm", "layer_mm"), SAMPLED)
def test_what_a_file_asks_for(bore_mm, layer_mm):
    line = PrintedLine(line_of(bore_mm).width_mm, layer_mm, "rounded", 1.0)
    for part in parts_of(line):
        try:
            text, _ = written(part, BED)
        except BadInput:
            continue
        begun, _, printed = text.partition("; layer 1\n")
        _stays_on_the_bed(read(text), part.name)
        _strand_is_spared(read(printed), part.name)
        _layers_set(read(printed), part)
        _starts_cold_and_high(begun)
        _ends_cold(text)


def _stays_on_the_bed(found, name):
    for lines in found.layers.values():
        for line in lines:
            for x, y in (line.begin, line.end):
                assert 0 <= x <= BED.wide_mm, name
                assert 0 <= y <= BED.deep_mm, name
    assert found.highest_mm <= BED.high_mm


def _strand_is_spared(found, name):
    """No 5 mm of the strand are drawn back more than eight times, and no hop of less than 2 mm
    inside of the part draws back."""
    drawn = found.retracted_at_mm
    for first, ninth in zip(drawn, drawn[8:], strict=False):
        assert ninth - first > 5.0 - 1e-4, (name, first)
    # The last one is at the end of the file.
    hops = found.hops_mm[:-1]
    assert all(hop > 2.0 for hop in hops), (name, min(hops))


def _layers_set(found, part):
    """Layers take as long as PLA wants, where speeds may change for it; never below 10 mm/s."""
    if part.pacing == "kept":
        return
    for top_mm, lines in found.layers.items():
        took_s = sum(line.length_mm / line.speed_mm_s for line in lines)
        area_mm2 = sum(line.length_mm * line.area_mm2 for line in lines) / part.line.layer_mm
        # A post beside it may have made a small layer larger.
        wanted_s = 15 if area_mm2 < 100 else 8
        assert took_s >= wanted_s - 0.01, (part.name, top_mm, took_s, area_mm2)
        assert min(line.speed_mm_s for line in lines) >= min(10.0, 2.0 / part.line.area_mm2) - 1e-3


def _starts_cold_and_high(begun):
    """It homes cold, lifts, goes off the middle, heats, and only then feeds, slowly."""
    lines = [line.partition(";")[0].strip() for line in begun.splitlines()]
    homed, lifted = lines.index("G28"), lines.index("G1 Z10 F600")
    heated = next(at for at, line in enumerate(lines) if line.startswith("M104"))
    waited = next(at for at, line in enumerate(lines) if line.startswith("M109"))
    fed = next(at for at, line in enumerate(lines) if " E" in line and at > waited)
    gone = next(at for at, line in enumerate(lines) if line.startswith("G0 X"))
    assert homed < lifted < gone < heated < waited < fed
    place = read(lines[gone]).commands[0][1]
    assert float(place["X"]) < 10
    assert float(place["Y"]) < 10
    (primed,) = next(iter(read(begun).layers.values()))
    assert primed.area_mm2 * primed.speed_mm_s <= 4.0 + 1e-6
    assert lines[-1].startswith("G0 X")


def _ends_cold(text):
    """It draws back, lifts, goes away, and leaves nothing on."""
    end = text[text.rindex("; end") :].splitlines()
    assert end[1].startswith("G1 E-1 ")
    assert end[2].startswith("G1 Z")
    assert end[3].startswith("G0 X")
    assert [line.partition(" ;")[0] for line in end[4:]] == ["M104 S0", "M140 S0", "M107", "M84"]


@pytest.mark.parametrize(("bore_mm", "limit_mm3_s"), [(0.2, 2.0), (0.4, 8.0), (1.0, 12.0)])
def test_the_nozzle_is_primed_with_half_of_what_melts(bore_mm, limit_mm3_s):
    from metier.formats.gcode_written import Machine, gcode_of

    line = line_of(bore_mm)
    part = parts_of(line)[0]
    machine = Machine(BED, 210.0, 60.0, 1.75, bore_mm, limit_mm3_s / 2)
    (primed,) = read(gcode_of(part.layers()[:1], machine, (125, 105), [])).layers[line.layer_mm][:1]
    # Two bores wide, whatever the bore; no wider.
    assert primed.area_mm2 == pytest.approx(2 * bore_mm * line.layer_mm, rel=1e-4)
    assert primed.area_mm2 * primed.speed_mm_s <= limit_mm3_s / 2 + 1e-3


def test_a_part_that_is_higher_than_the_printer_is_refused():
    part = parts_of(line_of(0.4))[1]
    with pytest.raises(BadInput, match=r"24\.4 mm high, and the printer prints 24"):
        written(part, BED._replace(high_mm=24.0))
    assert written(part, BED._replace(high_mm=24.4))
