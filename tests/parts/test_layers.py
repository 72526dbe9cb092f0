"""What lies in each layer of a part, read back by an interpreter of the tests' own."""

import random

import pytest
import shapely

from metier.core.errors import BadInput
from metier.core.line.bead import PrintedLine
from metier.parts.coupons import Coupons
from tests.conftest import LONG
from tests.parts.drawn import all_parts, line_of, parts_of, written
from tests.parts.reader import read

# Bores and layers from the finest to 80 % of the bore; all of them in the long form.
EVERY = [
    (bore, round(layer, 3))
    for bore in (0.2, 0.25, 0.4, 0.5, 0.6, 0.8, 1.0)
    for layer in (0.08, 0.12, 0.2, 0.24, 0.3, 0.4, 0.5, 0.64, 0.8)
    if layer <= 0.8 * bore + 1e-9
]
SAMPLED = EVERY if LONG > 1 else random.Random(5).sample(EVERY[9:], 2)


def line_at(bore_mm, layer_mm):
    return PrintedLine(line_of(bore_mm).width_mm, layer_mm, "rounded", 1.0)


def drawn(lines, width_mm):
    """What lines cover."""
    paths = [shapely.LineString([line.begin, line.end]) for line in lines]
    return shapely.unary_union(shapely.buffer(paths, width_mm / 2, quad_segs=4))


@pytest.mark.slow
@pytest.mark.parametrize(("bore_mm", "layer_mm"), [*SAMPLED, (0.5, 0.24), (0.8, 0.4)])
def test_no_layer_is_missing_and_each_rests_on_the_one_below(bore_mm, layer_mm):
    line = line_at(bore_mm, layer_mm)
    for part in parts_of(line):
        try:
            layers = part.layers()
        except BadInput:
            continue
        tops = [layer.top_mm for layer in layers]
        assert tops == pytest.approx([layer_mm * (n + 1) for n in range(len(tops))]), part.name
        assert all(layer.runs for layer in layers), part.name
        highest = max(body.height_mm for body in part.bodies())
        assert tops[-1] == pytest.approx(highest, abs=layer_mm), part.name
        below = None
        for layer in layers:
            paths = [shapely.LineString(run.points) for run in layer.runs]
            here = shapely.unary_union(shapely.buffer(paths, line.width_mm / 2, quad_segs=2))
            if below is not None and part.name != "columns":
                # Sparse lines hold what lies across them.
                held = below.buffer(4 * line.width_mm).buffer(-3 * line.width_mm)
                astray = here.difference(held).area / here.area
                assert astray < 0.05, (part.name, layer.top_mm, astray)
            below = here


@pytest.mark.slow
@pytest.mark.parametrize("bore_mm", [0.25, 0.4, 0.8][0 if LONG > 1 else 1 :])
def test_a_first_layer_is_one_layer_thick_everywhere(bore_mm):
    """By area, on cells of four line widths that lie wholly inside of the outline; the plastic of a
    line lies as wide as lines are apart."""
    line = line_of(bore_mm)
    for part in [*all_parts(bore_mm), Coupons(12, (2.0, 3.0, 4.0), 2, line)]:
        text, _ = written(part)
        begun = text.partition("; layer 1")[2]
        laid = read(begun).layers[line.layer_mm]
        covered = drawn(laid, line.width_mm)
        covered = covered.buffer(line.width_mm / 2).buffer(-line.width_mm / 2)
        cell = 4 * line.width_mm
        low_x, low_y, high_x, high_y = covered.bounds
        apart = line.apart_mm
        paths = [shapely.LineString([one.begin, one.end]) for one in laid]
        tree = shapely.STRtree(shapely.buffer(paths, apart / 2, cap_style="flat"))
        cells = 0
        for across in range(int((high_x - low_x) / cell)):
            for along in range(int((high_y - low_y) / cell)):
                x, y = low_x + across * cell, low_y + along * cell
                square = shapely.box(x, y, x + cell, y + cell)
                if not covered.covers(square.buffer(line.width_mm)):
                    continue
                cells += 1
                volume = sum(
                    laid[at].area_mm2 * tree.geometries[at].intersection(square).area / apart
                    for at in tree.query(square)
                )
                share = volume / (cell**2 * line.layer_mm * line.flow)
                assert share == pytest.approx(1, abs=0.15), (part.name, x, y, share)
        assert cells or part.name in ("ramp", "tube", "columns"), part.name
