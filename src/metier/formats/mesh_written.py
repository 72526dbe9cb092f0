"""Meshes as files that slicers read: 3MF by the core specification of its consortium, and STL."""

import io
import zipfile
from collections.abc import Sequence
from typing import Any, NamedTuple
from xml.etree import ElementTree

import numpy as np
from numpy.typing import NDArray

_CORE = "http://schemas.microsoft.com/3dmanufacturing/core/2015/02"
_CONTENT_TYPES = (
    '<?xml version="1.0" encoding="UTF-8"?>\n'
    '<Types xmlns="http://schemas.openxmlformats.org/package/2006/content-types">'
    '<Default Extension="rels" '
    'ContentType="application/vnd.openxmlformats-package.relationships+xml"/>'
    '<Default Extension="model" '
    'ContentType="application/vnd.ms-package.3dmanufacturing-3dmodel+xml"/></Types>'
)
_RELATIONS = (
    '<?xml version="1.0" encoding="UTF-8"?>\n'
    '<Relationships xmlns="http://schemas.openxmlformats.org/package/2006/relationships">'
    '<Relationship Target="/3D/3dmodel.model" Id="rel0" '
    'Type="http://schemas.microsoft.com/3dmanufacturing/2013/01/3dmodel"/></Relationships>'
)
_MODEL = "3D/3dmodel.model"
# Packed files are alike whenever they are written.
_EPOCH = (1980, 1, 1, 0, 0, 0)


class NamedMesh(NamedTuple):
    """A closed mesh by its name: corners in mm, (n, 3), and triangles of them, (m, 3), whose
    outside is where they go round against the clock."""

    name: str
    corners_mm: NDArray[np.float32]
    triangles: NDArray[Any]


def threemf_bytes(meshes: Sequence[NamedMesh]) -> bytes:
    """Return meshes as a 3MF package, an object each."""
    model = ElementTree.Element("model", {"xmlns": _CORE, "unit": "millimeter", "xml:lang": "en"})
    resources = ElementTree.SubElement(model, "resources")
    build = ElementTree.SubElement(model, "build")
    # A build platform begins at 0, 0.
    low_x, low_y, low_z = np.min([mesh.corners_mm.min(axis=0) for mesh in meshes], axis=0)
    moved = f"1 0 0 0 1 0 0 0 1 {-low_x:.7g} {-low_y:.7g} {-low_z:.7g}"
    for number, mesh in enumerate(meshes, start=1):
        told = {"id": str(number), "type": "model", "name": mesh.name}
        drawn = ElementTree.SubElement(ElementTree.SubElement(resources, "object", told), "mesh")
        corners = ElementTree.SubElement(drawn, "vertices")
        for x, y, z in mesh.corners_mm.tolist():
            ElementTree.SubElement(
                corners, "vertex", {"x": f"{x:.9g}", "y": f"{y:.9g}", "z": f"{z:.9g}"}
            )
        faces = ElementTree.SubElement(drawn, "triangles")
        for first, two, three in mesh.triangles.tolist():
            ElementTree.SubElement(
                faces, "triangle", {"v1": str(first), "v2": str(two), "v3": str(three)}
            )
        ElementTree.SubElement(build, "item", {"objectid": str(number), "transform": moved})
    text = ElementTree.tostring(model, encoding="UTF-8", xml_declaration=True)
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as package:
        for name, content in (
            ("[Content_Types].xml", _CONTENT_TYPES), ("_rels/.rels", _RELATIONS), (_MODEL, text),
        ):  # fmt: skip
            package.writestr(zipfile.ZipInfo(name, _EPOCH), content, zipfile.ZIP_DEFLATED)
    return out.getvalue()


def stl_bytes(meshes: Sequence[NamedMesh]) -> bytes:
    """Return meshes as one binary STL."""
    corners = np.concatenate([mesh.corners_mm[mesh.triangles] for mesh in meshes]).astype("<f4")
    across = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    length = np.linalg.norm(across, axis=1, keepdims=True)
    facets = np.zeros(
        len(corners), [("normal", "<f4", 3), ("corners", "<f4", (3, 3)), ("extra", "<u2")]
    )
    facets["normal"] = across / np.where(length > 0, length, 1.0)
    facets["corners"] = corners
    head = b"Metier, in millimetres".ljust(80)
    return head + np.uint32(len(facets)).tobytes() + facets.tobytes()
