"""Bodies as meshes: closed, of the right volume, and as they were drawn."""

import io
import math
from itertools import pairwise

import lib3mf
import numpy as np
import pytest
import trimesh
from hypothesis import given
from hypothesis import strategies as st

from metier.core.fit.thread import profile_of, thread_of
from metier.parts.columns import Columns
from metier.parts.coupons import Coupons
from metier.parts.mesh import mesh_bytes
from metier.parts.mesh import mesh_of as named_mesh_of
from metier.parts.part import Compensated
from metier.parts.plate import DrawnSize, Plate
from metier.parts.solid import Body, Lofted, Slab, disc, square
from metier.parts.tab import text_region
from metier.parts.threads import BoltAndNut
from tests.conftest import LONG, not_quick
from tests.parts.crossings import crossings
from tests.parts.drawn import EVERY_BORE, all_parts, line_of, tube


def mesh_of(body):
    """A body's mesh, as it can be cut and measured."""
    mesh = named_mesh_of(body)
    return trimesh.Trimesh(mesh.corners_mm, mesh.triangles, process=False)


@pytest.mark.parametrize("bore_mm", EVERY_BORE)
def test_every_mesh_is_closed_as_it_is_read_from_its_file(bore_mm):
    for part in all_parts(bore_mm):
        bodies = part.bodies()
        read = trimesh.load(io.BytesIO(mesh_bytes(bodies, ".stl")), file_type="stl")
        assert read.is_watertight, part.name
        assert read.is_winding_consistent
        # No face turned inside out: the volume is not negative, nor that of any piece.
        pieces = read.split(only_watertight=False)
        assert all(piece.volume > 0 for piece in pieces)
        assert len(pieces) == len(bodies), part.name
        if not any(body.turned for body in bodies):
            drawn = sum(body.volume_mm3() for body in bodies)
            assert read.volume == pytest.approx(drawn, rel=1e-5)


@pytest.mark.slow
@pytest.mark.parametrize(
    "bore_mm", [0.25, 0.4, 1.0][0 if LONG > 1 else 1 : None if LONG > 1 else 2]
)
def test_the_library_of_the_3mf_consortium_reads_it_strictly(bore_mm):
    threads = [
        BoltAndNut(11, thread_of(name), "mid", line_of(bore_mm), 40.0, Compensated())
        for name in ("M20x2.5 6H/6g", "3/4-10 UNC 2B/2A")
    ]
    for part in [*all_parts(bore_mm), *threads]:
        bodies = part.bodies()
        model = lib3mf.get_wrapper().CreateModel()
        reader = model.QueryReader("3mf")
        reader.SetStrictModeActive(True)
        reader.ReadFromBuffer(mesh_bytes(bodies, ".3mf"))
        assert reader.GetWarningCount() == 0
        assert model.GetUnit() == lib3mf.ModelUnit.MilliMeter
        objects, named = model.GetMeshObjects(), {}
        while objects.MoveNext():
            drawn = objects.GetCurrentMeshObject()
            assert drawn.IsManifoldAndOriented(), drawn.GetName()
            corners = np.array([list(one.Coordinates) for one in drawn.GetVertices()])
            triangles = np.array([list(one.Indices) for one in drawn.GetTriangleIndices()])
            assert crossings(corners, triangles) == 0, drawn.GetName()
            named[drawn.GetName()] = corners
        assert list(named) == [body.name for body in bodies]
        # Nothing of it stands beside the platform, which begins at 0, 0, 0.
        items, lowest = model.GetBuildItems(), []
        while items.MoveNext():
            placed = items.GetCurrent()
            moved = np.array([list(row) for row in placed.GetObjectTransform().Fields])[3]
            name = placed.GetObjectResource().GetName()
            lowest.append(named[name].min(axis=0) + moved)
        assert np.min(lowest, axis=0) == pytest.approx([0, 0, 0], abs=1e-4)


def test_faces_that_pass_through_each_other_are_counted():
    corners = [(0, 0, 0), (2, 0, 0), (0, 2, 0), (0.5, 0.5, -1), (0.5, 0.6, 1), (3, 3, 1)]
    assert crossings(corners, [(0, 1, 2), (3, 4, 5)]) == 1
    assert crossings(corners, [(0, 1, 2), (0, 4, 5)]) == 0


def test_the_volume_of_a_block_is_that_of_its_formula():
    line = line_of(0.5)
    (body,) = tube(line, (3, 1.0), number=7).bodies()
    high = 2 * 0.24 + 34 * 0.24
    letters = text_region("7", 6.0).area
    # The tab: a bridge of one layer reaching half a line... into the block, a plate, its number.
    expected = 30 * 30 * high + 14 * 1.0 * 0.24 + 14 * 9 * 3 * 0.24 + letters * 2 * 0.24
    assert mesh_of(body).volume == pytest.approx(expected, rel=1e-6)


def test_the_volume_of_a_rod_is_that_of_its_formula():
    line = line_of(0.5)
    part = Coupons(12, (2.0, 3.0), 1, line)
    bare = part.bodies()[0]._replace(slabs=part.bodies()[0].slabs[:3])
    corners = len(bare.slabs[0].region.exterior.coords) - 1
    shape = corners / (2 * math.pi) * math.sin(2 * math.pi / corners)
    foot, gauge, cone = 13 * 0.24, 67 * 0.24, 9 * 0.24
    cones = math.pi / 3 * cone * (5**2 + 5 * 3 + 3**2)
    expected = math.pi * (2 * 25 * foot + 9 * gauge) + 2 * cones
    assert mesh_of(bare).volume == pytest.approx(expected * shape, rel=1e-6)


def test_a_piece_that_changes_as_it_rises():
    piece = Lofted(square(10.0), square(4.0), 0.0, 6.0)
    body = Body("a cut pyramid", (), (piece,))
    expected = 6 / 3 * (100 + 40 + 16)
    assert body.volume_mm3() == pytest.approx(expected, rel=1e-9)
    assert mesh_of(body).volume == pytest.approx(expected, rel=1e-6)
    assert body.at(3.0).area == pytest.approx(49)


def test_slabs_that_overlap_count_once():
    body = Body("two", (Slab(square(10.0), 0.0, 4.0), Slab(square(4.0), 2.0, 6.0)))
    assert body.volume_mm3() == pytest.approx(400 + 32)
    # The upper one is nothing of its own where it lies within the lower one.
    assert [(one.from_mm, one.to_mm) for one in body.intervals()] == [(0, 4), (4, 6)]
    assert mesh_of(body).volume == pytest.approx(432, rel=1e-6)


@given(
    layer_mm=st.sampled_from([0.1, 0.12, 0.15, 0.2, 0.24, 0.25, 0.28, 0.3]),
    first_c=st.integers(200, 240),
    count=st.integers(2, 10),
    step_mm=st.sampled_from([5.0, 8.0, 10.0]),
)
def test_columns_of_any_layers_are_a_mesh(layer_mm, first_c, count, step_mm):
    """Heights that sum up to nearly the same are the same: no slab without a height."""
    heats = tuple(float(first_c - 5 * step) for step in range(count))
    part = Columns(3, line_of(0.4)._replace(layer_mm=layer_mm), heats, 40.0, step_mm)
    (body,) = part.bodies()
    found = body.intervals()
    assert all(one.to_mm - one.from_mm >= layer_mm - 1e-6 for one in found[1:])
    assert found[-1].to_mm == pytest.approx(part.height_mm)
    # A bridge a step, and columns alone below each: that and no more.
    bridged = [one for one in found if one.region.geom_type == "Polygon"]
    assert len([one for one in bridged if one.from_mm > part.foot_mm]) == count
    assert [row.from_mm for row in part.table()][1:] == [
        pytest.approx(part.foot_mm + step * part.step_mm) for step in range(1, count)
    ]


def test_holes_and_posts_have_their_sizes_and_facets_their_corners():
    sizes = [DrawnSize("hole", 10.0), DrawnSize("hole", 12.0, 6), DrawnSize("post", 10.0)]
    part = Plate(9, sizes, line_of(0.4), 40.0, Compensated())
    mesh = mesh_of(part.bodies()[0])
    for size, at in part.places():
        height = 3.0
        section = mesh.section(plane_origin=(0, 0, height), plane_normal=(0, 0, 1))
        near = np.hypot(*(section.vertices[:, :2] - at).T)
        mine = near[np.abs(near - size.diameter_mm / 2) < 0.3]
        # Corners of faceted holes lie on the circle of their size, round ones within 1 µm of it.
        assert mine.max() == pytest.approx(size.diameter_mm / 2, abs=1.05e-3)
        if size.facets is None:
            assert mine.min() == pytest.approx(size.diameter_mm / 2, abs=1.05e-3)


def test_the_number_is_raised_in_front_on_a_tab_that_touches_the_wall_only_below():
    line = line_of(0.5)
    (body,) = tube(line, (3, 1.0), number=123).bodies()
    first, above = body.at(0.1), body.at(0.5)
    assert first.geom_type == "Polygon"
    block, tab = sorted(above.geoms, key=lambda one: -one.area)
    assert tab.bounds[3] <= block.bounds[1] - 0.9
    digits = body.at(1.0).difference(block)
    assert digits.area == pytest.approx(text_region("123", 6.0).area)
    # It reads from the front: «1» is left of «3».
    assert tab.covers(digits)
    assert tab.bounds[2] - tab.bounds[0] >= 14


@pytest.mark.parametrize("name", ["M8 6G/6e", *not_quick("M20x2.5 6H/6g", "3/4-10 UNC 2B/2A")])
@pytest.mark.parametrize("drawn", ["least", *not_quick("mid", "most")])
def test_a_thread_has_its_pitch_diameter_on_its_section(name, drawn):
    thread = thread_of(name)
    part = BoltAndNut(11, thread, drawn, line_of(0.4), 40.0, Compensated())
    bolt, nut = (mesh_of(body) for body in part.bodies())
    found = {
        "bolt": _pitch_diameter(bolt, part._bolt_at[0], 8.0 + 3 * thread.pitch_mm, thread.pitch_mm),
        "nut": _pitch_diameter(nut, part._nut_at[0], 3 * thread.pitch_mm, thread.pitch_mm),
    }
    for piece, diameter in found.items():
        wanted = profile_of(thread, piece, drawn).pitch_diameter_mm
        assert diameter == pytest.approx(wanted, abs=5e-3), piece
    # The play between them is what the standard leaves there.
    assert found["nut"] - found["bolt"] == pytest.approx(thread.play_mm(drawn), abs=8e-3)


def _pitch_diameter(mesh, x, height, pitch_mm):
    """Return the diameter at which ridge and groove are equally wide, on a section along x."""
    section = mesh.section(plane_origin=(x, 0, 0), plane_normal=(0, 1, 0))
    points = []
    for entity in section.entities:
        for one, other in pairwise(section.vertices[entity.points]):
            steps = np.linspace(0, 1, 60)[:, None]
            points.append(one + (other - one) * steps)
    cloud = np.vstack(points)
    # Right of the axis, over two whole pitches: radius as a function of height along the flanks.
    here = cloud[(cloud[:, 0] > x + 1) & (np.abs(cloud[:, 2] - height) <= 1.3 * pitch_mm)]
    here = here[here[:, 0] < here[:, 0].min() + 1.2 * pitch_mm]
    order = np.argsort(here[:, 2])
    even = np.linspace(height - pitch_mm, height + pitch_mm, 4000)
    profile = np.interp(even, here[order, 2], here[order, 0] - x)
    # Half of a pitch lies outside of the pitch line: its radius is the median.
    return 2 * float(np.median(profile))


def test_round_things_are_round():
    """Within 1 µm of their circle, outside at corners and inside between them."""
    for diameter_mm in (2.0, 20.0, 150.0):
        corners = np.array(disc(diameter_mm).exterior.coords)
        middles = (corners[1:] + corners[:-1]) / 2
        radii = np.hypot(*np.vstack((corners, middles)).T)
        assert np.abs(radii - diameter_mm / 2).max() < 1.05e-3


@pytest.mark.parametrize(("piece", "height"), [("bolt", 20.0), ("nut", 8.0)])
def test_a_thread_is_right_handed(piece, height):
    """On the way up it turns against the clock, as seen from above (ISO 965-1)."""
    thread = thread_of("M20x2.5 6H/6g")
    part = BoltAndNut(11, thread, "mid", line_of(0.4), 40.0, Compensated())
    body = part.bodies()[piece == "nut"]
    at_x = (part._bolt_at if piece == "bolt" else part._nut_at)[0]
    mesh = mesh_of(body)

    def angle(corners):
        corners = np.array(corners)[:, :2] - (at_x, 0)
        far = np.hypot(*corners.T)
        # The thread's largest radius; the hexagon's sides are further out.
        far[far > 10.6] = 0
        return np.degrees(np.arctan2(*corners[far > far.max() - 0.05].mean(axis=0)[::-1]))

    turned = []
    for up_mm in (0.0, thread.pitch_mm / 4):
        section = mesh.section(plane_origin=(0, 0, height + up_mm), plane_normal=(0, 0, 1))
        flat = body.at(height + up_mm)
        ring = flat.exterior if piece == "bolt" else flat.interiors[0]
        # As a mesh, and as what is cut into lines.
        turned.append((angle(section.vertices), angle(ring.coords)))
    for before, after in zip(*turned, strict=True):
        assert (after - before) % 360 == pytest.approx(90, abs=4)


def test_walls_of_a_part_of_sections_are_as_thick_as_their_lines():
    line = line_of(0.5)
    (body,) = tube(line, (3, 1.0), (1, 1.0), number=7).bodies()
    mesh = mesh_of(body)
    for place, lines in enumerate((3, 1)):
        height = 2 * 0.24 + (place + 0.5) * 34 * 0.24
        section = mesh.section(plane_origin=(0, 0, height), plane_normal=(0, 0, 1))
        across = section.vertices[:, 0]
        wall_mm = 15.0 - np.abs(across[np.abs(across) < 14.99]).max()
        assert wall_mm == pytest.approx(line.width_mm + (lines - 1) * line.apart_mm, abs=1e-6)
