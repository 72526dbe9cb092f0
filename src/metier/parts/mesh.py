"""Bodies as meshes: watertight, of the right volume, written as 3MF or STL."""

from collections.abc import Sequence
from typing import Any

import manifold3d
import numpy as np
import trimesh

from metier.parts.fill import polygons_of
from metier.parts.solid import Body, Lofted, Slab, Turned

# More than this of its volume astray, and a mesh is not what was drawn.
_ASTRAY = 1e-5
# Packing harder takes longer than it saves.
_PACKED = 3
# Corners nearer than this to each other, or to a straight edge, are left out.
_SLIVER_MM = 5e-4


class MeshFault(Exception):
    """A mesh that is not closed, or not what was drawn: a fault of the program."""


def mesh_of(body: Body) -> Any:
    """Return a body as one closed mesh, its faces outwards.

    Raises:
        MeshFault: it is not closed.
    """
    pieces = [piece for slab in body.intervals() for piece in _prisms(slab)]
    pieces += [_loft(one) for one in body.lofted]
    solid = trimesh.boolean.union(pieces, engine="manifold", check_volume=False)
    for one in body.turned:
        thread = _thread(one)
        join = trimesh.boolean.difference if one.hollow else trimesh.boolean.union
        solid = join([solid, thread], engine="manifold", check_volume=False)
    solid = _settled(solid)
    if not (solid.is_watertight and solid.is_winding_consistent and solid.volume > 0):
        raise MeshFault(f"{body.name} is not closed")
    drawn = body.volume_mm3()
    if not body.turned and abs(solid.volume - drawn) > _ASTRAY * drawn:
        raise MeshFault(f"{body.name} has {solid.volume:.3f} mm³ where {drawn:.3f} were drawn")
    return solid


def _settled(solid: Any) -> Any:
    """Return a mesh without slivers, its corners where a file of single precision has them.

    What a reader of that file takes for one corner must be one.
    """
    raw = manifold3d.Mesh(
        np.asarray(solid.vertices, np.float32), np.asarray(solid.faces, np.uint32)
    )
    found = manifold3d.Manifold(raw).simplify(_SLIVER_MM).to_mesh()
    return trimesh.Trimesh(found.vert_properties, found.tri_verts, process=False)


def _prisms(slab: Slab) -> list[Any]:
    """Return a slab as prisms, one for each polygon of its region."""
    found = []
    for polygon in polygons_of(slab.region):
        prism = trimesh.creation.extrude_polygon(
            polygon, slab.to_mm - slab.from_mm, engine="manifold"
        )
        prism.apply_translation((0.0, 0.0, slab.from_mm))
        found.append(prism)
    return found


def _loft(one: Lofted) -> Any:
    """Return a piece that changes as it rises: two rings, closed by its polygons."""
    low, high = (np.array(region.exterior.coords[:-1]) for region in (one.low, one.high))
    if not one.low.exterior.is_ccw:
        low, high = low[::-1], high[::-1]
    _, ends = trimesh.creation.triangulate_polygon(one.low, engine="manifold")
    count, here = len(low), np.arange(len(low))
    beside = (here + 1) % count
    vertices = np.vstack(
        (
            np.column_stack((low, np.full(count, one.from_mm))),
            np.column_stack((high, np.full(count, one.to_mm))),
        )
    )
    faces = np.vstack(
        (
            np.column_stack((here, beside, count + beside)),
            np.column_stack((here, count + beside, count + here)),
            ends[:, ::-1],
            ends + count,
        )
    )
    return trimesh.Trimesh(vertices, faces, process=False)


def _thread(one: Turned) -> Any:
    """Return a thread: rings of its turning section one above the other, cut to its profile."""
    section = np.array(one.region.exterior.coords[:-1])
    if not one.region.exterior.is_ccw:
        section = section[::-1]
    count = len(section)
    radius = np.hypot(section[:, 0], section[:, 1])
    angle = np.arctan2(section[:, 1], section[:, 0])
    order = np.argsort(np.round(angle % (2 * np.pi), 9))
    radius, angle = radius[order], angle[order]
    low = one.within[0][0] - (0.5 if one.hollow else 0.0)
    high = one.within[-1][0] + (0.5 if one.hollow else 0.0)
    step = one.pitch_mm / count
    heights = [low, *(step * np.arange(np.ceil(low / step + 1e-6), high / step - 1e-6)), high]
    rings = []
    for height in heights:
        # The section, turned by so many of its own corners.
        place = (np.arange(count) - height / step) % count
        here = np.interp(place, np.arange(count + 1), np.append(radius, radius[0]))
        rings.append(
            np.column_stack((here * np.cos(angle), here * np.sin(angle), np.full(count, height)))
        )
    tube = _closed(np.array(rings))
    limits = _revolved(one)
    join = trimesh.boolean.union if one.hollow else trimesh.boolean.intersection
    solid = join([tube, limits], engine="manifold", check_volume=False)
    solid.apply_translation((*one.at, 0.0))
    return solid


def _closed(rings: Any) -> Any:
    """Return rings one above the other as a closed mesh."""
    levels, count, _ = rings.shape
    vertices = rings.reshape(-1, 3)
    middles = np.array([[0, 0, rings[0, 0, 2]], [0, 0, rings[-1, 0, 2]]])
    here = np.arange(count)
    beside = (here + 1) % count
    faces = []
    for level in range(levels - 1):
        a, b = level * count, (level + 1) * count
        faces.append(np.column_stack((a + here, a + beside, b + beside)))
        faces.append(np.column_stack((a + here, b + beside, b + here)))
    bottom, top = levels * count, levels * count + 1
    last = (levels - 1) * count
    faces.append(np.column_stack((np.full(count, bottom), beside, here)))
    faces.append(np.column_stack((np.full(count, top), last + here, last + beside)))
    return trimesh.Trimesh(np.vstack((vertices, middles)), np.vstack(faces), process=False)


def _revolved(one: Turned) -> Any:
    """Return the profile that a thread is cut to, turned round its axis."""
    profile = [(0.0, one.within[0][0])]
    profile += [(radius, height) for height, radius in one.within]
    profile += [(0.0, one.within[-1][0])]
    return trimesh.creation.revolve(np.array(profile), sections=192)


def mesh_bytes(bodies: Sequence[Body], ending: str) -> bytes:
    """Return bodies as a file: ``.3mf``, each by its name, or ``.stl``, all in one.

    Raises:
        MeshFault: one of them is not closed.
    """
    meshes = {body.name: mesh_of(body) for body in bodies}
    if ending == ".stl":
        joined: Any = trimesh.util.concatenate(list(meshes.values()))
        written: bytes = joined.export(file_type="stl")
        return written
    scene = trimesh.Scene()
    for name, mesh in meshes.items():
        scene.add_geometry(mesh, node_name=name, geom_name=name)
    export: Any = trimesh.exchange.threemf.export_3MF
    packed: bytes = export(scene, compresslevel=_PACKED)
    return packed
