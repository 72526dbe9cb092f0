"""Whether faces of a mesh pass through each other."""

import numpy as np
import shapely


def crossings(corners, triangles):
    """Return how many pairs of faces cut through each other, beside at corners they share."""
    corners, triangles = np.asarray(corners, float), np.asarray(triangles, int)
    faces = corners[triangles]
    low, high = faces.min(axis=1), faces.max(axis=1)
    boxes = shapely.box(low[:, 0], low[:, 1], high[:, 0], high[:, 1])
    one, other = shapely.STRtree(boxes).query(boxes)
    near = (one < other) & (low[one, 2] <= high[other, 2]) & (low[other, 2] <= high[one, 2])
    one, other = one[near], other[near]
    cut = np.zeros(len(one), bool)
    for first, second in ((one, other), (other, one)):
        for edge in range(3):
            begin, end = faces[first, edge], faces[first, (edge + 1) % 3]
            cut |= _pierced(begin, end - begin, faces[second])
    return int(cut.sum())


def _pierced(origin, way, faces):
    """Whether lines pass through the inside of faces (Möller and Trumbore, 1997)."""
    along, across = faces[:, 1] - faces[:, 0], faces[:, 2] - faces[:, 0]
    normal = np.cross(way, across)
    det = np.einsum("ij,ij->i", along, normal)
    with np.errstate(all="ignore"):
        off = origin - faces[:, 0]
        u = np.einsum("ij,ij->i", off, normal) / det
        turned = np.cross(off, along)
        v = np.einsum("ij,ij->i", way, turned) / det
        at = np.einsum("ij,ij->i", across, turned) / det
        small = 1e-6
        inside = (u > small) & (v > small) & (u + v < 1 - small)
    return inside & (at > small) & (at < 1 - small) & (np.abs(det) > 1e-12)
