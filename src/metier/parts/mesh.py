"""Bodies as meshes: closed, of the right volume, without a face through another."""

from collections.abc import Sequence

import numpy as np
from manifold3d import CrossSection, FillRule, Manifold, Mesh64, OpType, triangulate
from numpy.typing import NDArray

from metier.formats.mesh_written import NamedMesh, stl_bytes, threemf_bytes
from metier.parts.fill import polygons_of
from metier.parts.solid import Body, Lofted, Region, Slab, Turned

# More than this of its volume astray, and a mesh is not what was drawn.
_ASTRAY = 1e-5
# Corners nearer than this to each other, or to a straight edge, are left out.
_SLIVER_MM = 5e-4
# A thread's profile is turned in so many steps; what is cut out reaches so far beyond its body.
_ROUND, _BEYOND_MM = 192, 0.5


class MeshFault(Exception):
    """A mesh that is not closed, or not what was drawn: a fault of the program."""


def mesh_of(body: Body) -> NamedMesh:
    """Return a body as one closed mesh, its faces outwards.

    Raises:
        MeshFault: it is not closed.
    """
    pieces = [_prism(slab) for slab in body.intervals()]
    pieces += [_loft(lofted) for lofted in body.lofted]
    solid = Manifold.batch_boolean([_settled(piece) for piece in pieces], OpType.Add)
    for turned in body.turned:
        thread = _thread(turned)
        solid = solid - thread if turned.hollow else solid + thread
    solid = _settled(solid.simplify(_SLIVER_MM)).simplify(_SLIVER_MM)
    if solid.is_empty() or not solid.volume() > 0:
        raise MeshFault(f"{body.name} is not closed: {solid.status()}")
    drawn = body.volume_mm3()
    if not body.turned and abs(solid.volume() - drawn) > _ASTRAY * drawn:
        raise MeshFault(f"{body.name} has {solid.volume():.3f} mm³ where {drawn:.3f} were drawn")
    mesh = solid.to_mesh()
    return NamedMesh(body.name, mesh.vert_properties, mesh.tri_verts)


def _settled(solid: Manifold) -> Manifold:
    """Return a solid whose corners lie where a file of single precision has them.

    What a reader of that file takes for one corner must be one, and pieces that touch must touch.
    """
    return Manifold(solid.to_mesh())


def _prism(slab: Slab) -> Manifold:
    """Return a slab as a solid."""
    rings = [
        np.asarray(ring.coords[:-1])
        for polygon in polygons_of(slab.region)
        for ring in (polygon.exterior, *polygon.interiors)
    ]
    flat = CrossSection(rings, fillrule=FillRule.EvenOdd)
    return Manifold.extrude(flat, slab.to_mm - slab.from_mm).translate((0, 0, slab.from_mm))


def _ring(region: Region) -> NDArray[np.float64]:
    """Return the corners of a polygon without holes, against the clock; (n, 2)."""
    corners = np.asarray(region.exterior.coords[:-1])
    return corners if region.exterior.is_ccw else corners[::-1]


def _loft(lofted: Lofted) -> Manifold:
    """Return a piece that changes as it rises: two rings, closed by its polygons."""
    low, high = _ring(lofted.low), _ring(lofted.high)
    rings = [np.column_stack((ring, np.full(len(ring), height)))
             for ring, height in ((low, lofted.from_mm), (high, lofted.to_mm))]  # fmt: skip
    return _walled(np.array(rings), triangulate([low]), triangulate([high]))


def _thread(turned: Turned) -> Manifold:
    """Return a thread: rings of its turning section one above the other, cut to its profile."""
    section = _ring(turned.region)
    count = len(section)
    radius = np.hypot(section[:, 0], section[:, 1])
    angle = np.arctan2(section[:, 1], section[:, 0])
    order = np.argsort(np.round(angle % (2 * np.pi), 9))
    radius, angle = radius[order], angle[order]
    beyond_mm = _BEYOND_MM if turned.hollow else 0.0
    low, high = turned.within[0][0] - beyond_mm, turned.within[-1][0] + beyond_mm
    step = turned.pitch_mm / count
    heights = [low, *(step * np.arange(np.ceil(low / step + 1e-6), high / step - 1e-6)), high]
    rings = []
    for height in heights:
        # The section, turned by so many of its own corners.
        place = (np.arange(count) - height / step) % count
        out = np.interp(place, np.arange(count + 1), np.append(radius, radius[0]))
        rings.append(
            np.column_stack((out * np.cos(angle), out * np.sin(angle), np.full(count, height)))
        )
    tube = _walled(np.array(rings), triangulate([rings[0][:, :2]]), triangulate([rings[-1][:, :2]]))
    limits = _revolved(turned)
    return (tube + limits if turned.hollow else tube ^ limits).translate((*turned.at, 0.0))


def _walled(
    rings: NDArray[np.float64], bottom: NDArray[np.int32], top: NDArray[np.int32]
) -> Manifold:
    """Return rings one above the other, (levels, corners, 3), as a solid that ends in two faces of
    those triangles."""
    levels, count, _ = rings.shape
    corner = np.arange(count)
    beside = (corner + 1) % count
    faces = [bottom[:, ::-1]]
    for level in range(levels - 1):
        a, b = level * count, (level + 1) * count
        faces.append(np.column_stack((a + corner, a + beside, b + beside)))
        faces.append(np.column_stack((a + corner, b + beside, b + corner)))
    faces.append(top + (levels - 1) * count)
    triangles = np.vstack(faces).astype(np.uint64)
    return Manifold(Mesh64(np.ascontiguousarray(rings.reshape(-1, 3)), triangles))


def _revolved(turned: Turned) -> Manifold:
    """Return the profile that a thread is cut to, turned round its axis."""
    profile = [(0.0, turned.within[0][0])]
    profile += [(radius, height) for height, radius in turned.within]
    profile += [(0.0, turned.within[-1][0])]
    return Manifold.revolve(CrossSection([np.array(profile)], fillrule=FillRule.EvenOdd), _ROUND)


def mesh_bytes(bodies: Sequence[Body], ending: str) -> bytes:
    """Return bodies as a file: ``.3mf``, each by its name, or ``.stl``, all in one.

    Raises:
        MeshFault: one of them is not closed.
    """
    meshes = [mesh_of(body) for body in bodies]
    return stl_bytes(meshes) if ending == ".stl" else threemf_bytes(meshes)
