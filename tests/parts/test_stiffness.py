"""Rings stay round under the jaws: by the formula for a ring, and by finite elements where a floor
makes up for a ring's width."""

import itertools
import math

import numpy as np
import pytest
import scipy.sparse as sparse
from scipy.sparse.linalg import spsolve

from metier.parts.rings import RING_MM, Ring, RingPlate
from tests.parts.drawn import EVERY_BORE, line_of

YOUNGS_N_MM2, POISSON = 3000.0, 0.35


def by_formula(inner_mm, wide_mm, force_n=1.0):
    """How far a ring gives way under two opposite forces (Roark)."""
    radius_mm = inner_mm + wide_mm / 2
    inertia_mm4 = RING_MM * wide_mm**3 / 12
    return 0.149 * force_n * radius_mm**3 / (YOUNGS_N_MM2 * inertia_mm4)


@pytest.mark.parametrize("bore_mm", EVERY_BORE)
@pytest.mark.parametrize("diameter_mm", [3.0, 4.0, 6.0, 8.0, 10.0])
def test_a_small_ring_gives_way_by_five_thousandths(bore_mm, diameter_mm):
    ring = Ring("hole", diameter_mm, (0.0, 0.0), line_of(bore_mm))
    assert not ring.floored
    assert by_formula(diameter_mm / 2, ring.width_mm) <= 0.005


def by_elements(inner_mm, wide_mm, floor_mm):
    """The same of a ring on a floor, forces in its upper half: bricks over a quarter of it."""
    side = inner_mm / 30
    heights = np.array([0, floor_mm / 2, floor_mm, 1.2, 2.0, 2.8, 3.6, 4.3, 5.0])
    heights = np.unique(heights if floor_mm else [0, 0.6, *heights[3:]])
    count = int((inner_mm + wide_mm) / side) + 1
    middles = (np.arange(count) + 0.5) * side
    away = np.hypot(*np.meshgrid(middles, middles, indexing="ij"))
    nodes, rows, columns, values = {}, [], [], []
    for level, (low, high) in enumerate(itertools.pairwise(heights)):
        solid = away <= inner_mm + wide_mm
        if low >= floor_mm:
            solid &= away >= inner_mm
        stiff = _brick(side, high - low).ravel()
        for x, y in zip(*np.nonzero(solid), strict=True):
            corners = [
                nodes.setdefault((x + dx, y + dy, level + dz), len(nodes))
                for dz in (0, 1)
                for dx, dy in ((0, 0), (1, 0), (1, 1), (0, 1))
            ]
            free = np.array([3 * corner + axis for corner in corners for axis in range(3)])
            rows.append(np.repeat(free, 24))
            columns.append(np.tile(free, 24))
            values.append(stiff)
    size = 3 * len(nodes)
    index = (np.concatenate(rows), np.concatenate(columns))
    whole = sparse.csc_matrix((np.concatenate(values), index), (size, size))
    held = {3 * at for (x, _, _), at in nodes.items() if x == 0}
    held |= {3 * at + 1 for (_, y, _), at in nodes.items() if y == 0}
    held.add(3 * next(at for (_, _, level), at in nodes.items() if level == 0) + 2)
    moving = np.setdiff1d(np.arange(size), list(held))
    upper = [level for level, height in enumerate(heights) if height >= 2.0]
    inside = round(inner_mm / side)
    pressed = [nodes[inside, 0, level] for level in upper if (inside, 0, level) in nodes]
    forces = np.zeros(size)
    # Half of it, for the other half is the mirrored quarter's.
    forces[[3 * at for at in pressed]] = 0.5 / len(pressed)
    moved = np.zeros(size)
    moved[moving] = spsolve(whole[moving][:, moving], forces[moving])
    return 2 * float(np.mean([moved[3 * at] for at in pressed]))


def _brick(side, high):
    """The stiffness of a brick of eight corners (24 x 24), by Gauss' rule."""
    shear = YOUNGS_N_MM2 / 2 / (1 + POISSON)
    lame = YOUNGS_N_MM2 * POISSON / ((1 + POISSON) * (1 - 2 * POISSON))
    elastic = np.diag([2 * shear] * 3 + [shear] * 3)
    elastic[:3, :3] += lame
    corners = np.array(
        [(x, y, z) for z in (-1, 1) for x, y in ((-1, -1), (1, -1), (1, 1), (-1, 1))]
    )
    scale, found = np.array([side, side, high]) / 2, np.zeros((24, 24))
    for point in itertools.product((-1 / math.sqrt(3), 1 / math.sqrt(3)), repeat=3):
        near = 1 + corners * point
        slopes = corners * np.roll(near, 1, axis=1) * np.roll(near, 2, axis=1) / 8 / scale
        strains = np.zeros((6, 24))
        for corner, (dx, dy, dz) in enumerate(slopes):
            strains[:, 3 * corner : 3 * corner + 3] = [
                *((dx, 0, 0), (0, dy, 0), (0, 0, dz)),
                *((dy, dx, 0), (0, dz, dy), (dz, 0, dx)),
            ]
        found += strains.T @ elastic @ strains * scale.prod()
    return found


def test_the_elements_agree_with_the_formula_for_a_plain_ring():
    # Shear, and where the force presses, come on top.
    assert by_elements(15.0, 3.0, 0.0) == pytest.approx(by_formula(15.0, 3.0), rel=0.2)


@pytest.mark.slow
@pytest.mark.parametrize(("diameter_mm", "bore_mm"), [(12.0, 0.4), (16.0, 0.5), (30.0, 0.4)])
def test_a_floored_ring_is_as_stiff_as_one_by_the_formula(diameter_mm, bore_mm):
    line = line_of(bore_mm)
    ring = Ring("hole", diameter_mm, (0.0, 0.0), line)
    floor_mm = RingPlate([ring], [], [], line).foot_mm
    inner_mm = diameter_mm / 2
    by_rule = by_elements(inner_mm, 0.168 * diameter_mm, 0.0)
    assert by_formula(inner_mm, 0.168 * diameter_mm) == pytest.approx(0.005, rel=0.02)
    assert ring.floored
    assert by_elements(inner_mm, ring.width_mm, floor_mm) <= 1.03 * by_rule
    # With neither floor nor the width of the formula it is not.
    assert by_elements(inner_mm, ring.width_mm, 0.0) > 1.15 * by_rule
